"""Colours of what is surely the subject, or surely not, carried to the band between: what a pixel of the band is mixed of.

They are means over as little around a place as holds enough of what is sure, at a few pixels' distance from each other.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

F32 = NDArray[np.float32]

SPREAD = (3, 9, 27)
"""Radii of what the means are over, in parts of the band's reach over 4."""

COARSER = 2.0
"""They lie so far from each other that the band's reach is so many of them."""

LEAST = 0.02
"""Part of a mean that what is sure must have; less is filled up by the next larger."""


@kernel()
def _sums(picture, deep, reach, step):
    """Red, green, blue, how many, and squares, of what is surely the subject, and surely not, in cells: (2, h', w', 5)."""
    height, width = deep.shape
    out = np.zeros((2, -(-height // step), -(-width // step), 5), np.float32)
    per, one = np.float32(1 / 255), np.float32(1)
    for y in range(height):
        cells = out[:, y // step]
        for x in range(width):
            d = deep[y, x]
            if -reach < d < reach:
                continue
            cell = cells[0 if d > 0 else 1, x // step]
            square = np.float32(0)
            for c in range(3):
                value = np.float32(picture[y, x, c]) * per
                cell[c] += value
                square += value * value
            cell[3] += one
            cell[4] += square
    return out


def nearby(picture: NDArray[np.uint8], deep: F32, reach: float) -> tuple[F32, F32, int]:
    """Colours of the subject, and of its surroundings, near each place.

    Args:
        picture: (h, w, 4) uint8.
        deep: (h, w) how far inside the subject each pixel is, in pixels, below 0 outside.
        reach: how far the band reaches, of which nothing is sure.

    Returns:
        (h', w', 4) float32 of either: red, green, blue, 0 to 1, and how much they vary there. And how many pixels they lie
        apart.
    """
    step = max(1, round(reach / COARSER))
    sums = _sums(picture, deep, np.float32(reach), step) * np.float32(1 / step**2)
    own, other = (_spread(one, reach / 4 / step) for one in sums)
    return own, other, step


def _spread(parts: F32, unit: float) -> F32:
    mean: F32 = np.empty_like(parts)
    total = cv2.reduce(parts.reshape(-1, 5), 0, cv2.REDUCE_SUM)[0]
    mean[:] = total / max(float(total[3]), 1e-6)
    least = np.float32(LEAST)
    for radius in reversed(SPREAD):
        side = 2 * max(1, round(radius * unit)) + 1
        some = cv2.blur(parts, (side, side), borderType=cv2.BORDER_CONSTANT)
        mean = np.asarray((some + least * mean) / (some[..., 3:4] + least), np.float32)
    red, green, blue, _, squares = cv2.split(mean)
    varies = np.maximum(squares - red * red - green * green - blue * blue, 0)
    return np.asarray(cv2.merge([red, green, blue, varies]))


@nb.njit(error_model="numpy", fastmath={"contract"})
def taken(held, y, x, step, out):
    """What is held of places so far apart, at a pixel: mixed of the four around it."""
    zero, half, per = np.float32(0), np.float32(0.5), np.float32(1 / step)
    v = min(max((np.float32(y) + half) * per - half, zero), np.float32(held.shape[0] - 1))
    u = min(max((np.float32(x) + half) * per - half, zero), np.float32(held.shape[1] - 1))
    top, left = np.int64(v), np.int64(u)
    down, right = v - np.float32(top), u - np.float32(left)
    low, next_ = min(top + 1, held.shape[0] - 1), min(left + 1, held.shape[1] - 1)
    for c in range(out.size):
        above = held[top, left, c] + (held[top, next_, c] - held[top, left, c]) * right
        below = held[low, left, c] + (held[low, next_, c] - held[low, left, c]) * right
        out[c] = above + (below - above) * down
