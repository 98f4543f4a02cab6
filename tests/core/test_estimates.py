"""Which estimate of coverage the screen key believes where."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import cv2
import numpy as np
import pytest

from bench.screens import Clip, made
from velvet_seam.core.picture import estimates
from velvet_seam.core.picture.estimates import WEIGHTS, weighed
from velvet_seam.core.picture.screen import measure_border
from velvet_seam.core.picture.screen_key import Screen, read_screen, screen_key
from velvet_seam.core.picture.study import study
from velvet_seam.core.picture.surroundings import FACTS, MOST_NEAR, facts

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
        assert (keyed(number)[inner] < 0.98).mean() < 0.02


def test_the_weights_are_those_of_the_network_in_plain_numpy():
    given = np.random.default_rng(3).normal(0.4, 0.4, (FACTS, 7, 19)).astype(np.float32)
    given[MOST_NEAR] = 0.5  # subject is near everywhere
    with np.load(Path(estimates.__file__).with_name("estimates.npz")) as held:
        numbers = {name: held[name].astype(float) for name in held.files}
    x = given.reshape(FACTS, -1).astype(float)
    for layer in "12":
        x = numbers[f"w{layer}"] @ x + numbers[f"b{layer}"][:, None]
        x = np.where(x > 0, x, 0.1 * x)
    x = np.maximum(1 + (numbers["w3"] @ x + numbers["b3"][:, None]) / 8, 0.05) ** 8
    wanted = (x / x.sum(0))[:WEIGHTS].T.reshape(7, 19, WEIGHTS)
    assert np.abs(weighed(given).weights - wanted).max() < 1e-4


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


def test_a_place_that_looks_like_the_screen_is_not_lost_for_being_clear():
    """A patch of the screen's own colour inside a solid subject is kept, as a whole or not at all: no row or
    segment of it is skipped because nothing of it is seen."""
    picture = np.full((360, 360, 4), (60, 160, 70, 255), np.uint8)
    cv2.circle(picture, (180, 180), 110, (200, 60, 50, 255), -1)
    cv2.rectangle(picture, (170, 172), (186, 184), (86, 150, 80, 255), -1)
    alpha = screen_key(picture, read_screen(picture, (60, 160, 70)), (60, 160, 70))[..., 3]
    inside = alpha[174:183, 172:185].astype(int)
    assert inside.max() - inside.min() < 40
