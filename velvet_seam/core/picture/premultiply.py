"""Between straight colour, as files keep it, and premultiplied colour, as the engine does."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray


def premultiply(rgba: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Straight (height, width, 4) uint8 RGBA to premultiplied, rounded to nearest.

    >>> premultiply(np.array([[[255, 100, 0, 128]]], np.uint8)).tolist()
    [[[128, 50, 0, 128]]]
    """
    if rgba[..., 3].min(initial=255) == 255:
        return rgba
    out = rgba.copy()
    alpha = rgba[..., 3].astype(np.uint16)
    for channel in range(3):
        scaled = rgba[..., channel].astype(np.uint16) * alpha + 127
        out[..., channel] = scaled // 255
    return out


def covered(rgba: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Premultiplied (height, width, 4) uint8 RGBA with no colour above its coverage, which resizing may leave.

    >>> covered(np.array([[[130, 50, 0, 128]]], np.uint8)).tolist()
    [[[128, 50, 0, 128]]]
    """
    alpha = cv2.extractChannel(rgba, 3)
    return np.asarray(cv2.min(rgba, cv2.merge([alpha] * 4)), np.uint8)
