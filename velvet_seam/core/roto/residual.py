"""What is left over when the camera's movement is taken away: how unlike each pixel of a frame is what the frames around it
show of the same place. What moves by itself stands out, however flat it is, as soon as it has left its place."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise

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

FLAT = 1e-3
"""A movement by which so little is left of an area was not found."""

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


def camera_between(one: Seen, other: Seen) -> F64:
    """Where the camera's movement takes the places of one frame in another, (2, 3), at half the size of both."""
    return camera_move(flow(one.halved(), other.halved(), smooth=False))


def residual(here: Seen, before: list[Seen], after: list[Seen]) -> F32:
    """How much each pixel of a frame differs from what the camera would show there in other frames.

    Args:
        before, after: earlier and later frames, nearest first; see :func:`around`.

    Returns:
        (h, w) float32: the logarithm of what is left over, as a part of what is usual; 0 is usual, and what nothing is
        known of.
    """
    earlier = [camera_between(*two) for two in pairwise([*before[::-1], here])][::-1]
    later = [camera_between(*two) for two in pairwise([here, *after])]
    return left_over(here, before, earlier, after, later)


def left_over(
    here: Seen, before: list[Seen], earlier: list[F64], after: list[Seen], later: list[F64]
) -> F32:
    """The same with the camera's movement known: from each earlier frame to the next nearer one, and from each nearer one to
    the next later one."""
    own, to = here.halved(), _from_here(earlier, later)
    f = own.f
    least = np.full(f.shape[:2], np.inf, np.float32)
    second = least.copy()
    for there, matrix in zip((*before, *after), to, strict=True):
        differs = _differs(f, there.halved().f, matrix[:2])
        second = np.minimum(second, np.maximum(least, differs))
        least = np.minimum(least, differs)
    low, high = (np.float32(np.exp(one)) for one in (LEAST, MOST))
    value = least if len(to) < ENOUGH else np.where(second < np.inf, second, least)
    made = np.log(np.clip(np.where(value < np.inf, value, 1), low, high))
    size = here.light.shape[::-1]
    return np.asarray(cv2.resize(made, size, interpolation=cv2.INTER_LINEAR), np.float32)


def _from_here(earlier: list[F64], later: list[F64]) -> list[F64]:
    """Where the places of a frame lie in the earlier ones, and in the later ones: (3, 3) each."""
    made = []
    for moves, back in ((earlier, True), (later, False)):
        to = np.eye(3)
        for move in moves:
            whole = np.vstack([move, [0, 0, 1]])
            to = (np.linalg.inv(whole) if back and abs(np.linalg.det(whole)) > FLAT else whole) @ to
            made.append(to)
    return made


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
