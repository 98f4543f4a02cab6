"""What is left over when the camera's movement is taken away: how unlike each pixel of a frame is what the frames around it
show of the same place. What moves by itself stands out, however flat it is, as soon as it has left its place."""

from __future__ import annotations

from fractions import Fraction

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.channels import mean_of
from velvet_seam.core.roto.camera import camera_move
from velvet_seam.core.roto.seen import Seen, flow

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]

APART = Fraction(4, 25)
"""Seconds from one frame that is compared to the next: a walker has left his place after a few."""

MANY = 6
"""Frames that are compared, half of them before and half after where there are so many."""

ENOUGH = 5
"""Of so many and more the second least that is left over counts, else the least: background is hidden in some of them, and a
subject comes to lie before its own colours in some."""

FEW, QUIET = 2, 0.5
"""Of every so many pixels it is asked what is usual, which is at least so much."""

EVEN = 0.5
"""Pixels by which what differs is blurred."""

LEAST, MOST = -1.5, 3.5
"""The logarithm of what is left over, as a part of what is usual, is held between these."""


def around(frame: int, first: int, last: int, rate: Fraction) -> tuple[list[int], list[int]]:
    """The frames that one is compared with, of those from ``first`` to ``last``: earlier ones and later ones, nearest first.

    >>> around(50, 0, 99, Fraction(25)), around(0, 0, 99, Fraction(25))
    (([46, 42, 38], [54, 58, 62]), ([], [4, 8, 12, 16, 20, 24]))
    >>> around(5, 0, 9, Fraction(25)), around(3, 3, 3, Fraction(25))
    (([1], [9]), ([], []))
    """
    apart = max(1, round(APART * rate))
    before = list(range(frame - apart, first - 1, -apart))[:MANY]
    after = list(range(frame + apart, last + 1, apart))[:MANY]
    fewer = min(len(before), max(MANY // 2, MANY - len(after)))
    return before[:fewer], after[: MANY - fewer]


def residual(here: Seen, before: list[Seen], after: list[Seen]) -> F32:
    """How much each pixel of a frame differs from what the camera would show there in other frames.

    Args:
        before, after: earlier and later frames, nearest first; see :func:`around`.

    Returns:
        (h / 2, w / 2) float32, at half the size of the frames: the logarithm of what is left over, as a part of what is
        usual; 0 is usual, and what nothing is known of.
    """
    own = here.halved()
    least = np.full(own.light.shape, np.inf, np.float32)
    second = least.copy()
    for side in (before, after):
        to, last = np.eye(3), own
        for there in side:
            last, earlier = there.halved(), last
            move = camera_move(flow(earlier, last, smooth=False))
            to = np.vstack([move, [0, 0, 1]]) @ to
            differs = _differs(own.f, last.f, to[:2])
            second = np.minimum(second, np.maximum(least, differs))
            least = np.minimum(least, differs)
    low, high = (np.float32(np.exp(one)) for one in (LEAST, MOST))
    value = least if len(before) + len(after) < ENOUGH else np.where(second < np.inf, second, least)
    return np.asarray(np.log(np.clip(np.where(value < np.inf, value, 1), low, high)), np.float32)


def _differs(own: F32, there: F32, to: F64) -> F32:
    """How unlike what the camera shows of another frame each pixel is, as a part of what is usual; infinite beyond it."""
    height, width = own.shape[:2]
    shown, inside = (
        cv2.warpAffine(one, to, (width, height), flags=how | cv2.WARP_INVERSE_MAP)
        for one, how in (
            (there, cv2.INTER_LINEAR),
            (np.ones((height, width), np.uint8), cv2.INTER_NEAREST),
        )
    )
    left = mean_of(np.asarray(np.abs(shown - own), np.float32))
    differs = np.asarray(cv2.GaussianBlur(left, (0, 0), EVEN), np.float32)
    within = inside > 0
    some = differs[::FEW, ::FEW][within[::FEW, ::FEW]]
    usual = np.float32(max(float(np.median(some)), QUIET)) if some.size else np.float32(1)
    return np.where(within, differs / usual, np.float32(np.inf))
