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


@nb.njit(error_model="numpy")
def _span(row):
    """The first pixel of a packed row that is not clear, and the one after the last; 0, 0 if none."""
    none = np.int32(row.size)
    first, last = none, np.int32(0)
    for x in range(row.size):
        some = row[x] != 0
        first = min(first, np.int32(x) if some else none)
        last = max(last, np.int32(x + 1) if some else np.int32(0))
    return min(first, last), last


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def spans(picture):
    """Where the rows of a picture of packed pixels, (h, w) uint32, are not clear: (h, 2) int32."""
    out = np.empty((picture.shape[0], 2), np.int32)
    for y in nb.prange(picture.shape[0]):
        first, last = _span(picture[y])
        out[y, 0] = first
        out[y, 1] = last
    return out


@nb.njit(error_model="numpy")
def _add_row(line, row, weight):
    for f in range(line.size):
        line[f] += weight * np.float32(row[f])


@nb.njit(error_model="numpy")
def _across(line, columns, weights, first, last, to):
    """Weighted sums over the columns, for the new pixels ``first`` to ``last`` of a row."""
    half, zero, top = np.float32(0.5), np.float32(0), np.float32(255.5)
    for i in range(first, last):
        r, g, b, a = half, half, half, half
        at = np.uint64(4 * columns[i])
        for k in range(weights.shape[1]):
            w = weights[i, k]
            r += w * line[at]
            g += w * line[at + np.uint64(1)]
            b += w * line[at + np.uint64(2)]
            a += w * line[at + np.uint64(3)]
            at += np.uint64(4)
        a = min(max(a, zero), top)  # bicubic weights overshoot
        to[4 * i] = np.uint8(np.int32(min(max(r, zero), a)))
        to[4 * i + 1] = np.uint8(np.int32(min(max(g, zero), a)))
        to[4 * i + 2] = np.uint8(np.int32(min(max(b, zero), a)))
        to[4 * i + 3] = np.uint8(np.int32(a))


@nb.njit(error_model="numpy")
def _weigh_row(source, held, row, row_weights, columns, column_weights, line, to):
    """One new row. What is clear in all the rows it is made of is passed over."""
    taps_y, taps_x = row_weights.size, column_weights.shape[1]
    last_row, width = source.shape[0] - 1, columns.size
    begin, end = source.shape[1] // 4, 0
    for k in range(taps_y):
        y = min(row + k, last_row)
        if held[y, 1] > 0:
            begin, end = min(begin, held[y, 0]), max(end, held[y, 1])
    if end == 0:
        return
    line[4 * max(begin - taps_x, 0) : 4 * (end + taps_x)] = 0
    for k in range(taps_y):
        if row_weights[k] != 0:
            y = min(row + k, last_row)
            _add_row(line[4 * begin : 4 * end], source[y, 4 * begin : 4 * end], row_weights[k])
    first, last = 0, width
    while first < width and columns[first] + taps_x <= begin:
        first += 1
    while last > first and columns[last - 1] >= end:
        last -= 1
    _across(line, columns, column_weights, first, last, to)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _weigh(source, held, rows, row_weights, columns, column_weights):
    """Weighted sums over rows, then over columns; ``held`` says where the rows are not clear."""
    height, width = rows.size, columns.size
    out = np.zeros((height, 4 * width), np.uint8)
    room = source.shape[1] + 8 * column_weights.shape[1]
    for j in nb.prange(height):
        _weigh_row(source, held, rows[j], row_weights[j], columns, column_weights,
                   np.empty(room, np.float32), out[j])  # fmt: skip
    return out


def _taps(size: int, scale: float, shift: float, first: int, count: int) -> tuple[
    NDArray[np.int32], NDArray[np.float32]
]:  # fmt: skip
    return (_areas if scale < 1 else _cubics)(size, scale, shift, first, count)


def resize(
    picture: NDArray[np.uint8], scale: tuple[float, float], shift: tuple[float, float],
    window: tuple[int, int, int, int], held: NDArray[np.int32] | None = None,
) -> NDArray[np.uint8]:  # fmt: skip
    """Resize a picture along its axes into a window of the canvas.

    Args:
        picture: (h, w, 4) uint8, premultiplied RGBA.
        scale: canvas pixels per source pixel across and down.
        shift: where the source's corner lies on the canvas.
        window: left, top, width, height of the canvas area to fill.
        held: the :func:`spans` of the picture, where they are known already.

    >>> picture = np.array([[[0, 0, 0, 255], [90, 90, 90, 255], [30, 30, 30, 255]]], np.uint8)
    >>> resize(picture, (2 / 3, 1.0), (0.0, 0.0), (0, 0, 2, 1))[0, :, 0].tolist()
    [30, 50]
    """
    height, width = picture.shape[:2]
    left, top, w, h = window
    columns, across = _taps(width, scale[0], shift[0], left, w)
    lines, down = _taps(height, scale[1], shift[1], top, h)
    whole = np.ascontiguousarray(picture)
    if held is None:
        held = spans(whole.view(np.uint32)[..., 0])
    flat = whole.reshape(height, -1)
    return np.asarray(_weigh(flat, held, lines, down, columns, across).reshape(h, w, 4))
