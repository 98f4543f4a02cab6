"""Strokes of a brush: coverage from the distance to the line that the brush went."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel


@nb.njit(error_model="numpy")
def _near(plane, ax, ay, bx, by, reach):
    """The least square of the distance to one more piece of the line, where it is near."""
    height, width = plane.shape
    dx, dy = bx - ax, by - ay
    long = max(dx * dx + dy * dy, np.float32(1e-6))
    x0, x1 = int(np.floor(min(ax, bx) - reach)), int(np.ceil(max(ax, bx) + reach)) + 1
    y0, y1 = int(np.floor(min(ay, by) - reach)), int(np.ceil(max(ay, by) + reach)) + 1
    for y in range(max(y0, 0), min(y1, height)):
        py = np.float32(y) + np.float32(0.5) - ay
        for x in range(max(x0, 0), min(x1, width)):
            px = np.float32(x) + np.float32(0.5) - ax
            t = min(max((px * dx + py * dy) / long, np.float32(0)), np.float32(1))
            ex, ey = px - t * dx, py - t * dy
            d = ex * ex + ey * ey
            if d < plane[y, x]:
                plane[y, x] = d


@kernel()
def _stroked(points, width, height, radius, soft):
    far = np.full((height, width), np.float32(1e12), np.float32)
    reach = radius + np.float32(1)
    for n in range(max(1, len(points) - 1)):
        last = min(n + 1, len(points) - 1)
        _near(far, points[n, 0], points[n, 1], points[last, 0], points[last, 1], reach)
    out = np.zeros((height, width), np.uint8)
    per, half = np.float32(1) / soft, np.float32(0.5)
    for y in range(height):
        for x in range(width):
            if far[y, x] < np.float32(1e11):
                t = (radius + half - np.sqrt(far[y, x])) * per
                t = min(max(t, np.float32(0)), np.float32(1))
                out[y, x] = np.uint8(
                    np.int32(t * t * (np.float32(3) - np.float32(2) * t) * np.float32(255) + half)
                )
    return out


def stroked(
    points: NDArray[np.float64], size: tuple[int, int], radius: float, hardness: float
) -> tuple[int, int, NDArray[np.uint8]] | None:
    """The coverage of a stroke over a picture: its left and top, and (h, w) uint8; None where it lies outside.

    Args:
        points: (n, 2), pixels; one is a dab.
        size: width and height of the picture.
        radius: of the brush, pixels; one thinner than a pixel is one of half its coverage.
        hardness: 0 to 1: how much of the radius is full.

    >>> left, top, plane = stroked(np.array([[2.0, 4.0], [9.0, 4.0]]), (12, 9), 2.0, 1.0)
    >>> plane[4 - top - 1, 5 - left], plane[0, 0]
    (np.uint8(255), np.uint8(0))
    """
    reach = max(radius, 0.5) + 2
    x0, y0 = (int(max(0, np.floor(points[:, n].min() - reach))) for n in (0, 1))
    x1, y1 = (int(min(size[n], np.ceil(points[:, n].max() + reach))) for n in (0, 1))
    if x0 >= x1 or y0 >= y1:
        return None
    own = np.ascontiguousarray(points - (x0, y0), np.float32)
    soft = max(1.0, radius * (1 - hardness) + 0.5)
    made = np.asarray(
        _stroked(own, x1 - x0, y1 - y0, np.float32(max(radius, 0.5)), np.float32(soft))
    )
    return x0, y0, made
