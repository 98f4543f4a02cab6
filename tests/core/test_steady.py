"""Steady: what hangs still boils less, what moves is left alone, and the picture stays the same
whichever way it is asked for."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.core.test_engine import changed, library, preview, shot
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.picture.steady import REACH, Neighbour, motion, steadied

__all__ = ["library", "preview", "shot"]

SIDE = 270


def truth(x: float, y: float) -> np.ndarray:
    """Coverage of a five-leaved shape about a place, drawn at eight times the size."""
    a = np.linspace(0, 2 * np.pi, 300)
    r = 70 + 18 * np.cos(5 * a)
    line = np.stack([x + r * np.cos(a), y + r * np.sin(a)], 1) * 8
    fine = np.zeros((SIDE * 8, SIDE * 8), np.uint8)
    cv2.fillPoly(fine, [np.rint(line).astype(np.int32)], 255)
    return cv2.resize(fine, (SIDE, SIDE), interpolation=cv2.INTER_AREA) / 255


def take(speed: float, boil: float = 0.09) -> tuple[list[np.ndarray], list[np.ndarray], list]:
    """Truths, pictures and cut-outs of frames in which the shape goes so many pixels a frame and the
    matte boils: its edge has an error of its own in every frame."""
    rng = np.random.default_rng(3)
    truths, pictures, cuts = [], [], []
    for n in range(REACH * 2 + 2):
        alpha = truth(110 + speed * n, 130 + 0.4 * speed * n)
        noise = cv2.GaussianBlur(rng.standard_normal((SIDE, SIDE)), (0, 0), 1.2) * 3
        edge = 4 * alpha * (1 - alpha)
        keyed = np.clip(alpha + boil * noise * cv2.dilate(edge, np.ones((3, 3))), 0, 1)
        cut = np.stack([keyed * 200, keyed * 120, keyed * 40, keyed * 255], -1)
        picture = np.array([200, 120, 40, 255]) * alpha[..., None] + np.array(
            [40, 160, 60, 255]
        ) * (1 - alpha[..., None])
        truths.append(alpha)
        pictures.append(np.rint(picture).astype(np.uint8))
        cuts.append(np.rint(cut).astype(np.uint8))
    return truths, pictures, cuts


def calmed(pictures: list[np.ndarray], cuts: list[np.ndarray], at: int) -> np.ndarray:
    beside = [
        Neighbour(pictures[n], cuts[n], motion(cuts[at], cuts[n]))
        for n in range(at - REACH, at + REACH + 1)
        if n != at and 0 <= n < len(cuts)
    ]
    return steadied(pictures[at], cuts[at], beside, 1.0)


def errors(truths: list[np.ndarray], mattes: list[np.ndarray]) -> tuple[float, float]:
    """Mean squared error and dtSSD of two frames that follow each other."""
    off = [m / 255 - t for m, t in zip(mattes, truths, strict=True)]
    mse = float(np.mean([o**2 for o in off]))
    return mse, float(np.sqrt(((off[1] - off[0]) ** 2).mean()))


@pytest.mark.parametrize("speed", [0.0, 0.05])
def test_a_hanging_subject_boils_less(speed):
    truths, pictures, cuts = take(speed)
    now = [REACH, REACH + 1]
    before = errors([truths[n] for n in now], [cuts[n][..., 3] for n in now])
    after = errors([truths[n] for n in now], [calmed(pictures, cuts, n)[..., 3] for n in now])
    assert after[1] < 0.6 * before[1]
    assert after[0] < before[0]


def test_what_moves_fast_is_left_alone():
    truths, pictures, cuts = take(6.0)
    now = [REACH, REACH + 1]
    before = errors([truths[n] for n in now], [cuts[n][..., 3] for n in now])
    after = errors([truths[n] for n in now], [calmed(pictures, cuts, n)[..., 3] for n in now])
    assert after[0] < 1.02 * before[0]


def test_colour_never_exceeds_coverage():
    _, pictures, cuts = take(0.05, boil=0.3)
    calm = calmed(pictures, cuts, REACH)
    assert (calm[..., :3] <= calm[..., 3:]).all()


def test_motion_is_found_in_pixels_of_the_picture():
    a, b = (np.zeros((2 * SIDE, 2 * SIDE, 4), np.uint8) for _ in range(2))
    big = [cv2.resize(truth(x, 130), (2 * SIDE, 2 * SIDE)) for x in (120, 123)]
    a[..., 3], b[..., 3] = np.rint(big[0] * 255), np.rint(big[1] * 255)
    flow = cv2.resize(motion(a, b), (2 * SIDE, 2 * SIDE))
    edge = (big[0] > 0.2) & (big[0] < 0.8)
    assert np.median(flow[edge], axis=0) == pytest.approx([6, 0], abs=0.7)


def test_a_steadied_shot_is_the_same_however_it_is_asked_for(shot, preview):
    steady = changed(shot, "l-moth", seam__edge__steady=100)
    cold = Engine(preview)
    frames = (40, 41, 42)
    wanted = [cold.picture(cold.plan(steady, n, short_side=270)).copy() for n in frames]
    plain = cold.picture(cold.plan(shot, 41, short_side=270))
    assert not np.array_equal(wanted[1], plain)
    other = Engine(preview, passing=True)
    begun = [other.begin(other.plan(steady, n, short_side=270), np.copy) for n in frames]
    for one, future in zip(wanted, begun, strict=True):
        assert np.array_equal(future.result(), one)
    alone = Engine(preview, cache_bytes=1000)
    assert np.array_equal(alone.picture(alone.plan(steady, 41, short_side=270)), wanted[1])


def test_frames_that_follow_key_each_frame_once(shot, preview):
    steady = changed(shot, "l-moth", seam__edge__steady=100)
    engine = Engine(preview, passing=True)
    for n in range(40, 46):
        engine.picture(engine.plan(steady, n, short_side=270))
    assert engine.counts["screen-key"] == 6 + 2 * REACH
