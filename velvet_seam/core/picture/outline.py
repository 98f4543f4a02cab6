"""Outlines: closed polygons, from Bézier curves or stars, as coverage by signed distance.

Only pixels near the line need a distance; the others are inside or outside by the even-odd rule.
A wide feather is computed on a smaller picture, where it is as smooth as on the large one.
"""

from __future__ import annotations

from math import ceil, cos, hypot, pi, sin

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.shape import Soft

MOST_REACH = 48
"""So many pixels from the line distances are computed at most; beyond, on a smaller picture."""


def flattened(vertices: NDArray[np.float64], tolerance: float = 0.03) -> NDArray[np.float64]:
    """Bézier curves as a polygon.

    Args:
        vertices: (n, 7): x, y, incoming handle x, y, outgoing handle x, y (both from the point), and
            an extra feather.
        tolerance: how far the polygon may lie from the curve, in its units; the number of pieces
            follows from the second differences of the control points (Wang's formula).

    Returns:
        (m, 3): x, y and the extra feather.
    """
    pieces = []
    count = len(vertices)
    for n in range(count):
        a, b = vertices[n], vertices[(n + 1) % count]
        p0, p3 = a[:2], b[:2]
        p1, p2 = p0 + a[4:6], p3 + b[2:4]
        bend = max(np.abs(p0 - 2 * p1 + p2).max(), np.abs(p1 - 2 * p2 + p3).max())
        steps = int(min(max(1, ceil((0.75 * bend / tolerance) ** 0.5)), 64))
        t = (np.arange(steps) / steps)[:, None]
        s = 1 - t
        curve = s**3 * p0 + 3 * s * s * t * p1 + 3 * s * t * t * p2 + t**3 * p3
        pieces.append(np.concatenate([curve, a[6] * s + b[6] * t], axis=1))
    return np.concatenate(pieces)


def star(points: int, radius: float, inner: float) -> NDArray[np.float64]:
    """A star's polygon about 0, a point upwards: (2 · points, 3), without extra feather.

    >>> star(4, 10, 0.5).round(2)[:2, :2].tolist()
    [[0.0, -10.0], [3.54, -3.54]]
    """
    corners = []
    for n in range(2 * points):
        r = radius if n % 2 == 0 else radius * inner
        corners.append((r * sin(pi * n / points), -r * cos(pi * n / points), 0.0))
    return np.array(corners) + 0.0


@kernel()
def _inside(line, width, height):
    """Even-odd: 1 for pixels whose middle lies inside a closed polygon (n, 3)."""
    flips = np.zeros((height, width + 1), np.uint8)
    count = line.shape[0]
    for n in range(count):
        x0, y0 = line[n, 0], line[n, 1]
        x1, y1 = line[(n + 1) % count, 0], line[(n + 1) % count, 1]
        if y0 == y1:
            continue
        if y0 > y1:
            x0, y0, x1, y1 = x1, y1, x0, y0
        first = max(int(np.ceil(y0 - 0.5)), 0)
        last = min(int(np.ceil(y1 - 0.5)), height)
        for y in range(first, last):
            x = x0 + (x1 - x0) * (y + 0.5 - y0) / (y1 - y0)
            at = min(max(int(np.ceil(x - 0.5)), 0), width)
            flips[y, at] ^= 1
    out = np.empty((height, width), np.uint8)
    for y in range(height):
        state = np.uint8(0)
        for x in range(width):
            state ^= flips[y, x]
            out[y, x] = state
    return out


@kernel()
def _near(line, width, height, reach):
    """Squared distance to the line of every pixel up to ``reach`` away (elsewhere more), and the
    extra feather at the nearest place."""
    far = np.float32((reach + 2) * (reach + 2))
    square = np.full((height, width), far, np.float32)
    extra = np.zeros((height, width), np.float32)
    count = line.shape[0]
    for n in range(count):
        ax, ay, af = line[n, 0], line[n, 1], line[n, 2]
        m = (n + 1) % count
        bx, by, bf = line[m, 0], line[m, 1], line[m, 2]
        y0 = max(int(np.floor(min(ay, by) - reach)), 0)
        y1 = min(int(np.ceil(max(ay, by) + reach)) + 1, height)
        x0 = max(int(np.floor(min(ax, bx) - reach)), 0)
        x1 = min(int(np.ceil(max(ax, bx) + reach)) + 1, width)
        ex, ey = bx - ax, by - ay
        long = max(ex * ex + ey * ey, 1e-12)
        for y in range(y0, y1):
            py = y + 0.5 - ay
            for x in range(x0, x1):
                px = x + 0.5 - ax
                t = min(max((px * ex + py * ey) / long, 0.0), 1.0)
                dx, dy = px - t * ex, py - t * ey
                d = np.float32(dx * dx + dy * dy)
                if d < square[y, x]:
                    square[y, x] = d
                    extra[y, x] = np.float32(af + (bf - af) * t)
    return square, extra


@kernel(parallel=True)
def _levels(inside, square, extra, unit, grow, inner, outer, pixel):
    height, width = inside.shape
    out = np.empty((height, width), np.uint8)
    one, zero, half = np.float32(1), np.float32(0), np.float32(0.5)
    for y in nb.prange(height):
        for x in range(width):
            d = np.sqrt(square[y, x]) * unit
            d = -d if inside[y, x] else d
            wide = inner + outer + extra[y, x]
            end = grow + outer + extra[y, x]
            if wide < pixel:
                end = grow + (outer + extra[y, x] - inner) * half + pixel * half
                wide = pixel
            a = min(max((end - d) / wide, zero), one)
            out[y, x] = np.uint8(np.int32(a * np.float32(255) + half))
    return out


def cover_outline(
    size: tuple[int, int], line: NDArray[np.float64], unit: float, soft: Soft
) -> NDArray[np.uint8]:
    """Coverage of a closed polygon over a picture.

    Args:
        size: width and height, pixels.
        line: (n, 3): x, y in pixels of the picture, and an extra feather in canvas pixels.
        unit: canvas pixels to a pixel of the picture.

    >>> square = np.array([[2, 1, 0], [6, 1, 0], [6, 3, 0], [2, 3, 0]], float)
    >>> cover_outline((8, 4), square, 1.0, Soft())[1].tolist()
    [0, 0, 255, 255, 255, 255, 0, 0]
    """
    width, height = size
    if len(line) < 3 or not np.isfinite(line).all():
        return np.zeros((height, width), np.uint8)
    widest = float(line[:, 2].max())
    away = (abs(soft.grow) + max(soft.inside, soft.outside + widest)) / unit
    reach = away + 2
    shrink = MOST_REACH / away if away > 1.25 * MOST_REACH else 1.0
    if shrink < 1 and min(width, height) * shrink > 8:
        small = (max(8, round(width * shrink)), max(8, round(height * shrink)))
        k = np.array([small[0] / width, small[1] / height, 1.0])
        coarser = unit / hypot(k[0], k[1]) * 2**0.5
        made = cover_outline(small, line * k, coarser, soft)
        return np.asarray(
            cv2.resize(made, (width, height), interpolation=cv2.INTER_LINEAR), np.uint8
        )
    line = np.ascontiguousarray(line, np.float64)
    square, extra = _near(line, width, height, float(reach))
    return np.asarray(
        _levels(_inside(line, width, height), square, extra, np.float32(unit), np.float32(soft.grow),
                np.float32(soft.inside), np.float32(soft.outside), np.float32(soft.pixel))
    )  # fmt: skip
