"""Pictures made ready to be lined up: grey, freed of light and shade, in levels each half the size of the one before."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Grey = NDArray[np.uint8]
Plane = NDArray[np.float32]
Valid = NDArray[np.uint8]

LEAST_SIDE = 120
"""The smallest level has a short side of at least as much, pixels."""

ABOUT = 17
"""Pixels across: what a pixel's brightness is compared with."""

FLOOR = 3.0
"""Levels of brightness: a neighbourhood that varies less is taken for noise, and is not raised to full contrast."""

SMOOTH = 0.8
"""Pixels: the Gaussian that a picture is smoothed with first, so that it can be asked between pixels."""


@dataclass(frozen=True)
class Level:
    """A picture in one size: (h, w) float32, brightness less its local mean by its local spread; ``valid``, (h, w)
    uint8, is 255 where the picture shows something, well away from where it does not."""

    plane: Plane
    valid: Valid
    scale: float
    """Its pixels to one of the first."""

    @property
    def size(self) -> tuple[int, int]:
        height, width = self.plane.shape
        return width, height


def normalised(grey: NDArray[np.uint8] | Plane, sigma: float = SMOOTH) -> Plane:
    """Brightness less its mean over 17 pixels, by its spread there: the same in other light.

    >>> bright = np.tile(np.arange(0, 200, 5, np.uint8), (40, 1))
    >>> bool(np.abs(normalised(bright) - normalised(bright // 2 + 40)).max() < 0.2)
    True
    """
    smooth = cv2.GaussianBlur(grey.astype(np.float32), (0, 0), sigma)
    mean = cv2.blur(smooth, (ABOUT, ABOUT))
    square = cv2.blur(smooth * smooth, (ABOUT, ABOUT))
    spread = np.sqrt(np.maximum(square - mean * mean, 0) + np.float32(FLOOR * FLOOR))
    return np.asarray((smooth - mean) / spread, np.float32)


def levels_of(grey: Grey, valid: Valid | None = None) -> list[Level]:
    """The levels of a picture, (h, w) uint8, the largest first."""
    height, width = grey.shape
    shown = np.full((height, width), 255, np.uint8) if valid is None else valid
    found: list[Level] = []
    small, scale = grey, 1.0
    while True:
        found.append(Level(normalised(small), _well_inside(shown), scale))
        height, width = small.shape
        if min(height, width) // 2 < LEAST_SIDE:
            return found
        size = width // 2, height // 2
        # an odd last row or column is left out, so that a pixel is four of before
        small = _halved(small, size)
        shown = np.where(_halved(shown, size) == 255, 255, 0).astype(np.uint8)
        scale /= 2


def _halved(picture: NDArray[np.uint8], size: tuple[int, int]) -> NDArray[np.uint8]:
    even = picture[: 2 * size[1], : 2 * size[0]]
    return np.asarray(cv2.resize(even, size, interpolation=cv2.INTER_AREA), np.uint8)


def _well_inside(shown: Valid) -> Valid:
    """What is compared with its neighbourhood must have one: away from what is not shown, not from the frame."""
    if shown.min() == 255:
        return shown
    around = np.ones((ABOUT, ABOUT), np.uint8)
    kept = cv2.erode(shown, around, borderType=cv2.BORDER_CONSTANT, borderValue=255.0)
    return np.asarray(kept, np.uint8)
