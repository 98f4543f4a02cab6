"""A take whose camera is knocked against half way, where a lamp goes out: both are told, to the frame."""

from __future__ import annotations

import av
import cv2
import numpy as np
import pytest

from velvet_seam.core.analyse.match import gain_of
from velvet_seam.core.register.holding import Held
from velvet_seam.core.register.warps import mapped
from velvet_seam.demo import fox, stage
from velvet_seam.demo.draw import FOLDER

HALF = 2
"""Frames are looked at in half their size."""

MIDDLE = np.array([[fox.WIDTH / 2 / HALF, fox.HEIGHT / 2 / HALF]])


@pytest.fixture(scope="module")
def frames() -> dict[int, np.ndarray]:
    """Some frames of the clip, (960, 540, 3) RGB, by their number."""
    wanted = range(40, 60)
    with av.open(str(FOLDER / "fox-knocked.mp4")) as clip:
        return {
            n: cv2.resize(
                frame.to_ndarray(format="rgb24"), None, fx=1 / HALF, fy=1 / HALF, interpolation=cv2.INTER_AREA
            )
            for n, frame in enumerate(clip.decode(video=0)) if n in wanted
        }  # fmt: skip


def test_where_the_camera_stood_before_and_after(frames: dict[int, np.ndarray]):
    greys = {n: cv2.cvtColor(one, cv2.COLOR_RGB2GRAY) for n, one in frames.items()}
    held = Held(greys[40])
    for n in range(41, 60):
        warp = held.warp_to(greys[n])
        assert warp is not None, n
        went = HALF * (mapped(warp, MIDDLE) - MIDDLE)[0]
        truth = fox.KNOCK if n >= fox.KNOCKED else (0.0, 0.0)
        assert np.abs(went - truth).max() < 0.12, n


def test_how_much_light_went(frames: dict[int, np.ndarray]):
    move = np.array([[1, 0, -fox.KNOCK[0] / HALF], [0, 1, -fox.KNOCK[1] / HALF]])
    inside = np.zeros((960, 540), bool)
    inside[20:-20, 20:-20] = True
    for n in (45, 50, 55, 59):
        one = frames[n]
        if n >= fox.KNOCKED:
            one = cv2.warpAffine(one, move, (540, 960), flags=cv2.INTER_CUBIC)
        found = gain_of(frames[40], one, inside)
        assert found is not None
        went = 2 ** (fox.DIMMED / 2.2) if n >= fox.KNOCKED else 1.0
        truth = stage.flicker(40) / (stage.flicker(n) * went)
        assert np.mean(found) == pytest.approx(truth, rel=0.01), n  # H.264 keeps no half of a level
