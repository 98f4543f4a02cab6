"""A region of a picture as its four corners."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.levels import Grey

Corners = NDArray[np.float64]
"""(4, 2), pixels of a frame: left top, right top, right bottom, left bottom of the region as it was drawn."""

PAD = 12
"""Pixels around the region that are looked at, so that what lies on its rim has a neighbourhood."""


class Cropped(NamedTuple):
    """A region and what lies around it: where the crop's first pixel is, x and y; the crop; and 255 where it is the
    region."""

    origin: NDArray[np.int64]
    crop: Grey
    inside: Grey


def cropped(grey: Grey, corners: Corners, within: Grey | None = None) -> Cropped:
    """A region of a picture, (h, w) uint8, as far as it lies within it; ``within`` is 255 where it counts, (h, w)."""
    height, width = grey.shape
    low = np.floor(corners.min(0)).astype(np.int64) - PAD
    high = np.ceil(corners.max(0)).astype(np.int64) + PAD
    low, high = np.maximum(low, 0), np.minimum(high, [width, height])
    crop = grey[low[1] : high[1], low[0] : high[0]]
    inside = np.zeros(crop.shape, np.uint8)
    cv2.fillConvexPoly(inside, np.round((corners - low) * 16).astype(np.int32), 255, shift=4)
    if within is not None:
        inside = np.minimum(inside, within[low[1] : high[1], low[0] : high[0]])
    return Cropped(low, crop, inside)


def signed_area(corners: Corners) -> float:
    """Square pixels; negative where the corners run the other way round.

    >>> signed_area(np.array([[0, 0], [4, 0], [4, 3], [0, 3]], float))
    12.0
    """
    x, y = corners.T
    return float(0.5 * (x * np.roll(y, -1) - np.roll(x, -1) * y).sum())


def convex(corners: Corners) -> bool:
    """Whether the corners turn the same way all round."""
    side = np.roll(corners, -1, 0) - corners
    after = np.roll(side, -1, 0)
    turn = side[:, 0] * after[:, 1] - side[:, 1] * after[:, 0]
    return bool((turn > 0).all() or (turn < 0).all())
