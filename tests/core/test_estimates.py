"""Which estimate of coverage the screen key believes where."""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from pathlib import Path

import cv2
import numpy as np
import pytest

from bench.screens import Clip, made
from velvet_seam.core.picture.estimates import ALL, CRISP, WEIGHTS, Estimates
from velvet_seam.core.picture.screen import measure_border
from velvet_seam.core.picture.screen_key import Screen, read_screen, screen_key
from velvet_seam.core.picture.study import study
from velvet_seam.core.picture.surroundings import FACTS, facts

NOWHERE = Path("no-cutouts")
# none of these is among the clips that the network was fitted on
FRESH = (
    Clip("fur", "dim green", "slope", 0.8, "added", 0.3, seed=71, size=(360, 640)),
    Clip("ball", "blue cloth", "hot spot", 1.0, "wrapped", 0.3, seed=72, size=(640, 360)),
    Clip("leaves", "pale blue", "folds", 0.8, "none", seed=73, size=(360, 640)),
    Clip("spokes", "magenta", "slope", 0.8, "multiplied", 0.3, seed=74, size=(540, 960)),
    Clip("blob", "orange", "even", 0.3, "multiplied", 0.4, seed=75, size=(362, 642)),
    Clip("sign", "vivid green", "folds", 1.6, "wrapped", 0.3, seed=76, size=(640, 362)),
)  # fmt: skip


@cache
def film(number: int) -> tuple[np.ndarray, np.ndarray, Screen, tuple[int, int, int]]:
    """A fresh clip's frame, its true coverage, and its screen."""
    clip = made(FRESH[number], NOWHERE, 2, (1,))
    colour = tuple(round(c) for c in measure_border(clip.frames).colour)
    return clip.frames[0], clip.truth[0][1], read_screen(clip.frames[0], colour), colour


def keyed(number: int, **more: float) -> np.ndarray:
    picture, _, screen, colour = film(number)
    return screen_key(picture, screen, colour, **more)[..., 3] / 255


def test_clips_it_was_not_fitted_on_come_nearer_to_the_truth():
    errors = [
        [((keyed(n, hold=hold) - film(n)[1]) ** 2).mean() for hold in (0.0, 1.0)]
        for n in range(len(FRESH))
    ]
    before, now = np.exp(np.log(np.array(errors) + 1e-6).mean(0))
    assert now < 0.75 * before


def test_what_a_subject_encloses_is_whole():
    """The ball and the blob are solid: of what lies two pixels within, nearly nothing is seen through."""
    for number in (1, 4):
        inner = cv2.erode((film(number)[1] > 0.995).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        assert (keyed(number)[inner] < 0.98).mean() < 0.04


def test_facts_are_finite_and_bounded_for_any_picture():
    rng = np.random.default_rng(4)
    for picture in (
        np.zeros((40, 30, 4), np.uint8), np.full((1, 1, 4), 255, np.uint8), np.full((2, 700, 4), 90, np.uint8),
        rng.integers(0, 256, (181, 333, 4)).astype(np.uint8),
    ):  # fmt: skip
        for colour in ((60, 160, 70), (0, 0, 0), (128, 128, 128)):
            screen, small = read_screen(picture, colour), study(picture)
            told = facts(small, screen.surface, screen.foreground, int(np.argmax(colour)))
            assert told.shape == (FACTS, *small.shape[:2])
            assert np.isfinite(told).all()
            assert -1e-3 <= told.min() <= told.max() <= 3
            sums = screen.estimates.weights.sum(2)
            assert 0 <= sums.min() <= sums.max() <= 1.0001
            assert np.isfinite(screen_key(picture, screen, colour).astype(float)).all()


@pytest.mark.parametrize("hold", [0.0, 0.4, 1.0])
def test_hold_goes_evenly_from_the_solved_matte_to_the_weighed_one(hold):
    least, most = keyed(0, hold=0.0), keyed(0, hold=1.0)
    made_of = keyed(0, hold=hold)
    assert np.abs(made_of - (least + hold * (most - least))).max() < 0.03


@pytest.mark.parametrize("size", [(360, 360), (203, 517), (540, 304)])
def test_what_is_held_is_kept_though_nothing_of_it_is_seen(size):
    """Where the weights say that all is subject, a place of the screen's very colour stays, to the pixel where they say
    so: no segment of it is passed over as clear, and none beside it is kept."""
    picture = np.full((*size, 4), (60, 160, 70, 255), np.uint8)
    picture[: size[0] // 4, : size[1] // 4, :3] = (200, 60, 50)
    screen = read_screen(picture, (60, 160, 70))
    height, width = screen.estimates.held.shape
    weights = np.zeros((height, width, WEIGHTS), np.float32)
    weights[:, : width // 2, ALL] = weights[:, width // 2 :, CRISP] = 1
    held = np.zeros((height, width), np.uint8)
    held[:, : width // 2 + 1] = 1
    told = replace(screen, estimates=Estimates(weights, held))
    alpha = screen_key(picture, told, (60, 160, 70))[..., 3] / 255
    across = (np.arange(size[1]) + 0.5) * width / size[1] - 0.5
    wanted = np.interp(across, [width // 2 - 1, width // 2], [1, 0])
    below = alpha[size[0] // 2 :]
    assert np.abs(below - np.minimum(1.03 * wanted, 1)).max() < 0.01
    assert screen_key(picture, told, (60, 160, 70), hold=0.0)[size[0] // 2 :, :, 3].max() == 0


def test_grain_on_the_screen_is_no_subject_and_a_thread_is():
    """In a dim, noisy take single pixels stand out as far as a subject would; a thread a pixel wide stays."""
    rng = np.random.default_rng(8)
    picture = np.full((1280, 720, 4), (50, 120, 55, 255), np.uint8)
    picture[300:900, 360, :3] = (210, 190, 170)
    grainy = picture[..., :3] + rng.normal(0, 11, (1280, 720, 1)) + rng.normal(0, 2, (1280, 720, 3))
    picture[..., :3] = np.clip(grainy, 0, 255).astype(np.uint8)
    screen = read_screen(picture, (50, 120, 55))
    bare, weighed_one = (
        screen_key(picture, screen, (50, 120, 55), hold=hold)[..., 3] / 255 for hold in (0.0, 1.0)
    )
    away = np.ones((1280, 720), bool)
    away[280:920, 340:380] = False
    assert (bare[away] > 0.02).mean() > 0.2
    assert (weighed_one[away] > 0.02).mean() < 0.001
    assert weighed_one[320:880, 360].mean() > 0.6 * bare[320:880, 360].mean() > 0.5
