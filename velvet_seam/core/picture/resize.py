"""Resizing along the axes, in two passes over rows and columns.

Shrinking takes the mean of what lies under each new pixel; enlarging is bicubic (Catmull–Rom,
R. Keys 1981). Each axis does what it needs.
"""

from __future__ import annotations

from math import ceil

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.spans import spans

FEW = 0.15
"""Below this part of the new pixels that need a last tap, it is added to them one by one."""

CHUNK = 32
"""New rows that are made one after the other by one thread."""


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
def _picked(row, places, tap, first, last, to):
    """The pixel that a tap takes for each of the new pixels ``first`` to ``last``: fetched one by one, so
    that the weighing after it runs in vectors."""
    for k in range(last - first):
        x = np.uint64(first) + np.uint64(k)
        to[x] = row[places[tap, x]]


@nb.njit(error_model="numpy")
def _across(row, places, weights, few, first, last, pixels, to):
    """Weighted sums over the columns for the new pixels ``first`` to ``last`` of a row; ``to`` holds the
    planes R, G, B and coverage, one after the other, 0 to 255. ``few``, unless empty, are those that
    need the last tap."""
    width, byte = weights.shape[1], np.uint32(255)
    eight, sixteen, top = np.uint32(8), np.uint32(16), np.uint32(24)
    g_at, b_at, a_at = np.uint64(width), np.uint64(2 * width), np.uint64(3 * width)
    to[:] = 0
    taps = weights.shape[0] - 1 if few.size else weights.shape[0]
    for tap in range(taps):
        _picked(row, places, tap, first, last, pixels)
        weight = weights[tap]
        for k in range(last - first):
            x = np.uint64(first) + np.uint64(k)
            pixel, w = pixels[x], weight[x]
            to[x] += w * np.float32(np.int32(pixel & byte))
            to[g_at + x] += w * np.float32(np.int32((pixel >> eight) & byte))
            to[b_at + x] += w * np.float32(np.int32((pixel >> sixteen) & byte))
            to[a_at + x] += w * np.float32(np.int32(pixel >> top))
    for column in few:
        if first <= column < last:
            x = np.uint64(column)
            pixel, w = row[places[taps, x]], weights[taps, x]
            to[x] += w * np.float32(np.int32(pixel & byte))
            to[g_at + x] += w * np.float32(np.int32((pixel >> eight) & byte))
            to[b_at + x] += w * np.float32(np.int32((pixel >> sixteen) & byte))
            to[a_at + x] += w * np.float32(np.int32(pixel >> top))


@nb.njit(error_model="numpy")
def _add(planes, weight, first, last, fresh, to):
    """Add the pixels ``first`` to ``last`` of four planes, weighed, to others, or begin anew with them."""
    for c in range(4):
        at = np.uint64(c * (planes.size // 4) + first)
        if fresh:
            for k in range(last - first):
                to[at + np.uint64(k)] = weight * planes[at + np.uint64(k)]
        else:
            for k in range(last - first):
                to[at + np.uint64(k)] += weight * planes[at + np.uint64(k)]


@nb.njit(error_model="numpy")
def _packed(planes, first, last, to):
    """Planes as packed pixels, rounded; bicubic weights overshoot, what they do is held in bounds."""
    width = to.size
    half, zero, most = np.float32(0.5), np.float32(0), np.float32(255.5)
    eight, sixteen, top = np.uint32(8), np.uint32(16), np.uint32(24)
    g_at, b_at, a_at = np.uint64(width), np.uint64(2 * width), np.uint64(3 * width)
    for k in range(last - first):
        x = np.uint64(first) + np.uint64(k)
        a = min(max(planes[a_at + x] + half, zero), most)
        pixel = np.uint32(np.int32(min(max(planes[x] + half, zero), a)))
        pixel |= np.uint32(np.int32(min(max(planes[g_at + x] + half, zero), a))) << eight
        pixel |= np.uint32(np.int32(min(max(planes[b_at + x] + half, zero), a))) << sixteen
        to[x] = pixel | np.uint32(np.int32(a)) << top


@nb.njit(error_model="numpy")
def _reached(held, y, places, taps):
    """Which new pixels of a row take anything from the covered part of source row ``y``."""
    first, last = 0, places.shape[1]
    if held[y, 1] == 0:
        return last, last
    while first < last and places[taps - 1, first] < held[y, 0]:
        first += 1
    while last > first and places[0, last - 1] >= held[y, 1]:
        last -= 1
    return first, last


@nb.njit(error_model="numpy")
def _weigh_rows(source, held, rows, row_weights, places, weights, few, begin, end, out):
    """New rows ``begin`` to ``end``. Source rows are weighed across once and held while new rows need
    them; what is clear is passed over."""
    taps_y, taps_x, width = row_weights.shape[1], weights.shape[0], places.shape[1]
    across = np.empty((taps_y, 4 * width), np.float32)
    which, reach = np.full(taps_y, -1), np.zeros((taps_y, 2), np.int64)
    total, pixels = np.empty(4 * width, np.float32), np.empty(width, np.uint32)
    for j in range(begin, end):
        first, last = width, 0
        for k in range(taps_y):
            y = min(rows[j] + k, source.shape[0] - 1)
            slot = y % taps_y
            if row_weights[j, k] != 0 and which[slot] != y:
                which[slot] = y
                reach[slot] = _reached(held, y, places, taps_x)
                _across(source[y], places, weights, few, reach[slot, 0], reach[slot, 1], pixels,
                        across[slot])  # fmt: skip
            if row_weights[j, k] != 0:
                first, last = min(first, reach[slot, 0]), max(last, reach[slot, 1])
        if first >= last:
            continue
        fresh = True
        for k in range(taps_y):
            if row_weights[j, k] != 0:
                slot = min(rows[j] + k, source.shape[0] - 1) % taps_y
                _add(across[slot], row_weights[j, k], first, last, fresh, total)
                fresh = False
        _packed(total, first, last, out[j])


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _weigh(source, held, rows, row_weights, places, weights, few):
    """Weighted sums over columns, then over rows; ``held`` says where the rows are not clear."""
    out = np.zeros((rows.size, places.shape[1]), np.uint32)
    for chunk in nb.prange((rows.size + CHUNK - 1) // CHUNK):
        begin = chunk * CHUNK
        _weigh_rows(source, held, rows, row_weights, places, weights, few, begin,
                    min(begin + CHUNK, rows.size), out)  # fmt: skip
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
    source = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    if held is None:
        held = spans(source)
    taps = np.arange(across.shape[1])[:, None]
    places = np.minimum(columns + taps, width - 1).astype(np.int32)
    few = np.flatnonzero(across[:, -1]).astype(np.int32)
    if len(few) > FEW * w:
        few = few[:0]
    weighed = _weigh(source, held, lines, down, places, np.ascontiguousarray(across.T), few)
    return np.asarray(weighed.view(np.uint8).reshape(h, w, 4))
