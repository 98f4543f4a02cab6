"""What cannot be followed, and why: regions that show too little, or too little in one way."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.levels import Grey
from velvet_seam.core.register.region import Corners, cropped, signed_area
from velvet_seam.core.register.warps import Model

Unfit = Literal["", "small", "outside", "structure", "direction", "side"]

SAID: dict[str, str] = {
    "small": "That is too small to be followed: take in at least 12 pixels each way.",
    "outside": "Most of that lies beyond the picture.",
    "structure": "There is too little to see in there to be followed: plain wall, sky, skin, dark. "
    "Take in something with structure, such as an edge of another colour.",
    "direction": "All that is seen in there runs in one direction, so nothing says where along it the region is. "
    "Take in a corner or an end.",
    "side": "All that is seen in there lies on one side, so nothing says how the rest turns in space. Take in only that "
    "side, or follow it as a point.",
}
"""Why a region cannot be followed, in words."""

LEAST_SIDE = 12.0
"""Pixels each way."""

LEAST_VARIES = 1.6
"""Levels of brightness, of 255: what varies less, once noise and slow shades are taken out, is bare."""

ONE_SIDE = 0.7
"""Of what a region must vary, each half of a plane must vary by at least so much."""

ALONG = 0.02
"""Of how much the region rises the one way, it must rise the other way by at least so much."""

FEW = 50
"""Pixels: a half of which no more lie in the picture is not judged."""


def unfit(grey: Grey, corners: Corners, model: Model = "stretch") -> Unfit:
    """Why a region of a frame, (h, w) uint8, cannot be followed as a model says; empty where it can."""
    height, width = grey.shape
    if min(np.ptp(corners, 0)) < LEAST_SIDE or abs(signed_area(corners)) < LEAST_SIDE**2:
        return "small"
    clipped = np.clip(corners, 0, [width, height])
    if min(np.ptp(clipped, 0)) < LEAST_SIDE or abs(signed_area(clipped)) < 0.4 * abs(
        signed_area(corners)
    ):
        return "outside"
    origin, seen, region = cropped(grey, corners)
    crop, inside = seen.astype(np.float32), region > 0
    fine, smooth, ground = (cv2.GaussianBlur(crop, (0, 0), sigma) for sigma in (0.8, 2.0, 12.0))
    noise = float(np.median(np.abs((crop - fine)[inside]))) * 1.4826
    bare = max(LEAST_VARIES, 0.3 * noise)
    varies = smooth - ground
    if float(np.std(varies[inside])) < bare:
        return "structure"
    rise = np.stack([cv2.Sobel(smooth, cv2.CV_32F, *way)[inside] for way in ((1, 0), (0, 1))])
    small, large = np.linalg.eigvalsh(rise.astype(np.float64) @ rise.T)
    if small < ALONG * large:
        return "direction"
    if model == "plane" and any(
        np.std(varies[half & inside]) < ONE_SIDE * bare
        for half in _halves(inside.shape, corners - origin)
        if np.count_nonzero(half & inside) > FEW
    ):
        return "side"
    return ""


def _halves(shape: tuple[int, ...], corners: Corners) -> Iterator[NDArray[np.bool_]]:
    """The pixels, (h, w), of a region's four halves: left, top, right, bottom."""
    y, x = np.mgrid[: shape[0], : shape[1]].astype(np.float32)
    across = (corners[1] + corners[2] - corners[0] - corners[3]) / 2
    down = (corners[3] + corners[2] - corners[0] - corners[1]) / 2
    middle = corners.mean(0)
    for way in (down, across):  # the line through the middle, along the other way
        side = (x - middle[0]) * way[1] - (y - middle[1]) * way[0]
        yield side < 0
        yield side > 0
