"""What lies around each pixel of a plane: (h, w) float32 each, squares of ``side`` pixels."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.channels import most_of

F32 = NDArray[np.float32]

_FAR = 16
"""Pixels that count as far away."""


def least(plane: F32, side: int) -> F32:
    """The least value of each square."""
    return np.asarray(cv2.erode(plane, np.ones((side, side), np.uint8)), np.float32)


def most(plane: F32, side: int) -> F32:
    """The highest value of each square."""
    return np.asarray(cv2.dilate(plane, np.ones((side, side), np.uint8)), np.float32)


def mean(plane: F32, side: int) -> F32:
    """The mean of each square."""
    return np.asarray(cv2.blur(plane, (side, side)), np.float32)


def deviation(plane: F32, side: int, middle: F32 | None = None) -> F32:
    """The standard deviation in each square; ``middle``: its means, where they are known.

    >>> deviation(np.full((9, 9), 0.25, np.float32), 5).max().item()
    0.0
    """
    middle = mean(plane, side) if middle is None else middle
    return np.sqrt(np.maximum(mean(plane * plane, side) - middle * middle, 0))


def correlation(one: F32, other: F32, side: int) -> F32:
    """How alike two planes run in each square, −1 to 1; 0 where there is no pattern in either.

    >>> ramp = np.tile(np.arange(9, dtype=np.float32) / 9, (9, 1))
    >>> correlation(ramp, 1 - ramp, 5)[4, 4].round(3).item()
    -1.0
    """
    a, b = mean(one, side), mean(other, side)
    both = mean(one * other, side) - a * b
    spread = (mean(one * one, side) - a * a) * (mean(other * other, side) - b * b)
    return np.asarray(both / np.sqrt(np.maximum(spread, 0) + np.float32(1e-7)), np.float32)


def far(there: NDArray[np.bool_]) -> F32:
    """How far the next pixel is where there is nothing, 0 to 2; 1 is far away."""
    away = cv2.distanceTransform(there.astype(np.uint8), cv2.DIST_L2, 3)
    return np.asarray(np.minimum(away / np.float32(_FAR), 2), np.float32)


def noise_between(small: F32, plate: F32) -> float:
    """How far a pixel is from what it should be, as a rule, where it is near it: at the middle of every sixteenth.

    Args:
        small, plate: (h, w, 3) float32, 0 to 1.
    """
    away = most_of(
        cv2.absdiff(np.ascontiguousarray(small[::4, ::4]), np.ascontiguousarray(plate[::4, ::4]))
    )
    near = away[away < 0.05]
    return float(np.median(near)) if near.size > 25 else 0.01
