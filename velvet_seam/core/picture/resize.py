"""Resizing along the axes, in two passes over rows and columns.

Shrinking takes the mean of what lies under each new pixel; enlarging is bicubic (Catmull–Rom,
R. Keys 1981). Each axis does what it needs.
"""

from __future__ import annotations

from math import ceil

import numba as nb
import numpy as np
from numpy.typing import NDArray


def _areas(size: int, scale: float, shift: float, first: int, count: int) -> tuple[
    NDArray[np.int32], NDArray[np.float32]
]:  # fmt: skip
    """Which source pixels lie on each of ``count`` canvas pixels from ``first`` on, along one axis:
    the number of the first, and for all that follow the part of the canvas pixel they cover."""
    edges = (np.arange(first, first + count + 1) - shift) / scale
    low, high = np.clip(edges[:-1], 0, size), np.clip(edges[1:], 0, size)
    start = np.minimum(low.astype(np.int32), size - 1)
    taps = ceil(1 / scale) + 1
    index = start[:, None] + np.arange(taps)
    over = np.minimum(high[:, None], index + 1) - np.maximum(low[:, None], index)
    weights = np.where(index < size, np.maximum(over, 0), 0) * scale
    return start.astype(np.int32), weights.astype(np.float32)


def _cubics(size: int, scale: float, shift: float, first: int, count: int) -> tuple[
    NDArray[np.int32], NDArray[np.float32]
]:  # fmt: skip
    """The same for enlarging: four bicubic weights, scaled by how much of the canvas pixel the
    source covers. Beyond its border a source goes on as its last pixel."""
    centre = (np.arange(first, first + count) + 0.5 - shift) / scale
    base = np.floor(centre - 0.5).astype(np.int64)
    t = (centre - 0.5 - base)[:, None]
    weights = 0.5 * np.concatenate(
        [
            t * (t * (2 - t) - 1),
            t * t * (3 * t - 5) + 2,
            t * (t * (4 - 3 * t) + 1),
            t * t * (t - 1),
        ],
        axis=1,
    )
    covered = np.clip(np.minimum(centre, size - centre) * scale + 0.5, 0, 1)
    start = np.clip(base - 1, 0, max(size - 4, 0))
    folded = np.zeros((count, 4))
    index = np.clip(base[:, None] + np.arange(-1, 3), 0, size - 1) - start[:, None]
    for tap in range(4):
        np.add.at(folded, (np.arange(count), np.clip(index[:, tap], 0, 3)), weights[:, tap])
    return start.astype(np.int32), (folded * covered[:, None]).astype(np.float32)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _weigh(source, rows, row_weights, columns, column_weights, top, bottom):
    """Weighted sums over rows, then over columns; what lies outside ``top``…``bottom`` is empty."""
    sh, sw = source.shape[0], source.shape[1] // 4
    height, width = rows.size, columns.size
    out = np.zeros((height, 4 * width), np.uint8)
    half, zero, top_value = np.float32(0.5), np.float32(0), np.float32(255.5)
    taps_y, taps_x = row_weights.shape[1], column_weights.shape[1]
    for j in nb.prange(height):
        if rows[j] + taps_y <= top or rows[j] >= bottom:
            continue
        line = np.zeros(4 * (sw + taps_x), np.float32)
        for k in range(taps_y):
            w = row_weights[j, k]
            if w == 0:
                continue
            row = source[min(rows[j] + k, sh - 1)]
            for f in range(4 * sw):
                line[f] += w * np.float32(row[f])
        for i in range(width):
            r, g, b, a = half, half, half, half
            at = 4 * columns[i]
            for k in range(taps_x):
                w = column_weights[i, k]
                r += w * line[at]
                g += w * line[at + 1]
                b += w * line[at + 2]
                a += w * line[at + 3]
                at += 4
            a = min(max(a, zero), top_value)  # bicubic weights overshoot
            out[j, 4 * i] = np.uint8(np.int32(min(max(r, zero), a)))
            out[j, 4 * i + 1] = np.uint8(np.int32(min(max(g, zero), a)))
            out[j, 4 * i + 2] = np.uint8(np.int32(min(max(b, zero), a)))
            out[j, 4 * i + 3] = np.uint8(np.int32(a))
    return out


def _taps(size: int, scale: float, shift: float, first: int, count: int) -> tuple[
    NDArray[np.int32], NDArray[np.float32]
]:  # fmt: skip
    return (_areas if scale < 1 else _cubics)(size, scale, shift, first, count)


def resize(
    picture: NDArray[np.uint8], scale: tuple[float, float], shift: tuple[float, float],
    window: tuple[int, int, int, int], rows: tuple[int, int],
) -> NDArray[np.uint8]:  # fmt: skip
    """Resize a picture along its axes into a window of the canvas.

    Args:
        picture: (h, w, 4) uint8, premultiplied RGBA.
        scale: canvas pixels per source pixel across and down.
        shift: where the source's corner lies on the canvas.
        window: left, top, width, height of the canvas area to fill.
        rows: first and last (excluded) row of the source that is not empty.

    >>> picture = np.array([[[0, 0, 0, 255], [90, 90, 90, 255], [30, 30, 30, 255]]], np.uint8)
    >>> resize(picture, (2 / 3, 1.0), (0.0, 0.0), (0, 0, 2, 1), (0, 1))[0, :, 0].tolist()
    [30, 50]
    """
    height, width = picture.shape[:2]
    left, top, w, h = window
    columns, across = _taps(width, scale[0], shift[0], left, w)
    lines, down = _taps(height, scale[1], shift[1], top, h)
    flat = np.ascontiguousarray(picture).reshape(height, -1)
    return np.asarray(_weigh(flat, lines, down, columns, across, *rows).reshape(h, w, 4))
