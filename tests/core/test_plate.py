"""A clean plate from takes in which somebody stands still for long: against the scene without him, and a median."""

from __future__ import annotations

from collections.abc import Collection

import cv2
import numpy as np
import pytest

from bench.register import drawn, seen
from velvet_seam.core.analyse.plate import clean_plate, light_of, spread_over

SIZE = (180, 320)


def scene(seed: int) -> np.ndarray:
    view = np.clip(seen(drawn(seed), np.eye(3), np.random.default_rng(0)), 0, 255)
    return cv2.resize(view, SIZE, interpolation=cv2.INTER_AREA)


def take(
    seed: int, away: Collection[int], flicker: float = 0.06, count: int = 60
) -> tuple[np.ndarray, np.ndarray]:
    """Frames of a scene in which somebody stands at one place but for some frames, and walks about then; the scene."""
    rng = np.random.default_rng(seed)
    wall, body = scene(960 + seed), cv2.resize(drawn(970 + seed), (44, 150)).astype(np.float32)
    frames = []
    for n in range(count):
        view = wall.copy()
        x = 110 if n not in away else int(rng.integers(0, 60))
        view[120:270, x : x + 44] = body
        view = view * (1 + rng.uniform(-flicker, flicker)) + rng.normal(0, 2.5, view.shape)
        frames.append(np.clip(view, 0, 255).astype(np.uint8))
    return np.stack(frames), wall


def wrong(made: np.ndarray, wall: np.ndarray) -> np.ndarray:
    """Where a picture is off by more than 20 levels, once it is in the scene's own light."""
    gain = np.median(wall / np.maximum(made, 4), axis=(0, 1))
    return np.abs(made * gain - wall).max(-1) > 20


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_who_stands_still_for_most_of_a_take_is_not_in_its_plate(seed: int):
    """For seven tenths of it: seen before and after him, the wall comes back."""
    frames, wall = take(seed, [*range(9), *range(51, 60)])
    made = clean_plate(frames)
    median = np.median(frames, axis=0)
    assert wrong(median, wall).mean() > 0.08
    assert wrong(made.picture.astype(float), wall).mean() < 0.01


def test_what_is_seen_only_late_is_marked_and_filled_from_a_frame():
    """He is there from the first frame on and leaves for the last third: nothing says which of both is the wall."""
    frames, wall = take(4, range(42, 60))
    made = clean_plate(frames)
    bad = wrong(made.picture.astype(float), wall)
    assert bad.mean() > 0.03
    assert (made.unsure & bad).sum() > 0.8 * bad.sum()
    assert made.unsure.mean() < 0.2
    filled = clean_plate(frames, frames[59:60])
    assert wrong(filled.picture.astype(float), wall)[120:270, 110:154].mean() < 0.02
    assert not filled.unsure.any()


def test_light_that_flickers_is_evened():
    frames, _ = take(5, range(60), flicker=0.12)
    gains = light_of(frames)
    frames = frames[:, :110]  # above whoever walks about
    level = (frames.astype(float) * gains[:, None, None]).mean((1, 2, 3))
    assert level.std() / level.mean() < 0.01
    assert frames.mean((1, 2, 3)).std() / frames.mean() > 0.04


def test_frames_are_spread_over_the_take():
    assert spread_over(5, 5) == [5]
    assert spread_over(0, 3) == [0, 1, 2, 3]
    many = spread_over(0, 1499)
    assert len(many) == 60
    assert (many[0], many[-1]) == (0, 1499)
