"""Resizing along the axes, in two passes over rows and columns.

Shrinking takes the mean of what lies under each new pixel; enlarging is bicubic (Catmull–Rom,
R. Keys 1981). Each axis does what it needs.
"""

from __future__ import annotations

from functools import lru_cache
from math import ceil

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.spans import spans

FEW = 0.15
"""Below this part of the new pixels that need a last tap, it is added to them one by one."""

GRID = 512
"""Canvas pixels by which weights are kept."""

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
    taps = min(ceil(1 / scale), size) + 1  # a layer that grows in begins as almost nothing
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


@nb.extending.intrinsic
def _pair_at(typing, row, place):
    """The pixel at a place of a row and the one after it, as one number: one load instead of two."""
    if not (isinstance(row, nb.types.Array) and row.dtype == nb.uint32 and row.layout == "C"):
        return None

    def generate(context, builder, signature, arguments):
        array = context.make_array(signature.args[0])(context, builder, arguments[0])
        spot = builder.gep(array.data, [arguments[1]])
        two = context.get_value_type(nb.uint64)
        return builder.load(builder.bitcast(spot, two.as_pointer()), align=4)

    return nb.uint64(row, nb.uint64), generate


@nb.njit(error_model="numpy")
def _picked(row, starts, tap, first, last, to):
    """Two neighbouring pixels that two taps take for each of the new pixels ``first`` to ``last``: fetched
    one by one, so that the weighing after it runs in vectors."""
    for k in range(last - first):
        x = np.uint64(first) + np.uint64(k)
        to[x] = _pair_at(row, np.uint64(starts[x] + tap))


@nb.njit(error_model="numpy", inline="always")
def _channel(pixel, shift):
    return np.float32(np.int32((pixel >> np.uint32(shift)) & np.uint32(255)))


@nb.njit(error_model="numpy")
def _weigh_pairs(pairs, one, other, first, last, fresh, to):
    """Weigh two pixels each, and add them to the planes, or begin anew with them."""
    g_at, b_at, a_at = np.uint64(one.size), np.uint64(2 * one.size), np.uint64(3 * one.size)
    low, up = np.uint64(0xFFFFFFFF), np.uint64(32)
    if fresh:
        for k in range(last - first):
            x = np.uint64(first) + np.uint64(k)
            p, q, v, w = np.uint32(pairs[x] & low), np.uint32(pairs[x] >> up), one[x], other[x]
            to[x] = v * _channel(p, 0) + w * _channel(q, 0)
            to[g_at + x] = v * _channel(p, 8) + w * _channel(q, 8)
            to[b_at + x] = v * _channel(p, 16) + w * _channel(q, 16)
            to[a_at + x] = v * _channel(p, 24) + w * _channel(q, 24)
    else:
        for k in range(last - first):
            x = np.uint64(first) + np.uint64(k)
            p, q, v, w = np.uint32(pairs[x] & low), np.uint32(pairs[x] >> up), one[x], other[x]
            to[x] += v * _channel(p, 0) + w * _channel(q, 0)
            to[g_at + x] += v * _channel(p, 8) + w * _channel(q, 8)
            to[b_at + x] += v * _channel(p, 16) + w * _channel(q, 16)
            to[a_at + x] += v * _channel(p, 24) + w * _channel(q, 24)


@nb.njit(error_model="numpy")
def _across(row, starts, weights, few, first, last, pairs, to):
    """Weighted sums over the columns for the new pixels ``first`` to ``last`` of a row; ``to`` holds the planes
    R, G, B and coverage, one after the other, 0 to 255. ``few`` are those that need the last tap, where there
    is an odd number of them."""
    width, taps = weights.shape[1], weights.shape[0]
    for tap in range(0, taps - 1, 2):
        _picked(row, starts, tap, first, last, pairs)
        _weigh_pairs(pairs, weights[tap], weights[tap + 1], first, last, tap == 0, to)
    g_at, b_at, a_at = np.uint64(width), np.uint64(2 * width), np.uint64(3 * width)
    for column in few:
        if first <= column < last:
            x = np.uint64(column)
            pixel, w = row[starts[x] + taps - 1], weights[taps - 1, x]
            to[x] += w * _channel(pixel, 0)
            to[g_at + x] += w * _channel(pixel, 8)
            to[b_at + x] += w * _channel(pixel, 16)
            to[a_at + x] += w * _channel(pixel, 24)


@nb.njit(error_model="numpy")
def _begun(planes, weight, left, right, first, last, to):
    """Sums for the pixels ``first`` to ``last`` of four planes, begun with those of a row, weighed, that reaches
    from ``left`` to ``right``."""
    wide, zero = planes.size // 4, np.float32(0)
    for c in range(4):
        for k in range(c * wide + first, c * wide + left):
            to[np.uint64(k)] = zero
        at = np.uint64(c * wide + left)
        for k in range(right - left):
            to[at + np.uint64(k)] = weight * planes[at + np.uint64(k)]
        for k in range(c * wide + right, c * wide + last):
            to[np.uint64(k)] = zero


@nb.njit(error_model="numpy")
def _add(planes, weight, left, right, to):
    """Add a row, weighed, from ``left`` to ``right``."""
    for c in range(4):
        at = np.uint64(c * (planes.size // 4) + left)
        for k in range(right - left):
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
def _reached(held, y, starts, taps):
    """Which new pixels of a row take anything from the covered part of source row ``y``."""
    first, last = 0, starts.size
    if held[y, 1] == 0:
        return last, last
    while first < last and starts[first] + taps - 1 < held[y, 0]:
        first += 1
    while last > first and starts[last - 1] >= held[y, 1]:
        last -= 1
    return first, last


@nb.njit(error_model="numpy")
def _weigh_rows(source, held, rows, row_weights, starts, weights, few, begin, end, out):
    """New rows ``begin`` to ``end``. Source rows are weighed across once and held while new rows need
    them; what is clear is passed over."""
    taps_y, taps_x, width = row_weights.shape[1], weights.shape[0], starts.size
    across = np.empty((taps_y, 4 * width), np.float32)
    which, reach = np.full(taps_y, -1), np.zeros((taps_y, 2), np.int64)
    total, pairs = np.empty(4 * width, np.float32), np.empty(width, np.uint64)
    for j in range(begin, end):
        first, last = width, 0
        for k in range(taps_y):
            if row_weights[j, k] == 0:
                continue
            y = min(rows[j] + k, source.shape[0] - 1)
            slot = y % taps_y
            if which[slot] != y:
                which[slot] = y
                reach[slot] = _reached(held, y, starts, taps_x)
                if reach[slot, 0] < reach[slot, 1]:
                    _across(source[y], starts, weights, few, reach[slot, 0], reach[slot, 1], pairs,
                            across[slot])  # fmt: skip
            if reach[slot, 0] < reach[slot, 1]:
                first, last = min(first, reach[slot, 0]), max(last, reach[slot, 1])
        if first >= last:
            continue
        fresh = True
        for k in range(taps_y):
            slot = min(rows[j] + k, source.shape[0] - 1) % taps_y
            left, right = reach[slot, 0], reach[slot, 1]
            if row_weights[j, k] == 0 or left >= right:
                continue
            if fresh:
                _begun(across[slot], row_weights[j, k], left, right, first, last, total)
            else:
                _add(across[slot], row_weights[j, k], left, right, total)
            fresh = False
        _packed(total, first, last, out[j])


@kernel(parallel=True)
def _weigh(source, held, rows, row_weights, starts, weights, few):
    """Weighted sums over columns, then over rows; ``held`` says where the rows are not clear."""
    out = np.zeros((rows.size, starts.size), np.uint32)
    for chunk in nb.prange((rows.size + CHUNK - 1) // CHUNK):
        begin = chunk * CHUNK
        _weigh_rows(source, held, rows, row_weights, starts, weights, few, begin,
                    min(begin + CHUNK, rows.size), out)  # fmt: skip
    return out


@lru_cache(maxsize=64)
def _taps_kept(size: int, scale: float, shift: float, first: int, count: int) -> tuple[
    NDArray[np.int32], NDArray[np.float32]
]:  # fmt: skip
    return (_areas if scale < 1 else _cubics)(size, scale, shift, first, count)


def _taps(size: int, scale: float, shift: float, first: int, count: int) -> tuple[
    NDArray[np.int32], NDArray[np.float32]
]:  # fmt: skip
    """The source pixels of ``count`` canvas pixels from ``first`` on, and their weights. A layer that stays
    where it is asks for them frame by frame, though rarely for the very same piece of canvas: they are kept
    for pieces of a fixed grid."""
    begin, end = first // GRID * GRID, -(-(first + count) // GRID) * GRID
    start, weights = _taps_kept(size, scale, shift, begin, end - begin)
    return start[first - begin :][:count], weights[first - begin :][:count]


def _inside(
    start: NDArray[np.int32], weights: NDArray[np.float32], size: int
) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """The same sums with every tap inside a source of ``size`` pixels: what would begin too late begins
    earlier, with weights that come later."""
    late = np.maximum(start + weights.shape[1] - size, 0)
    if not late.any():
        return start, weights
    index = np.arange(weights.shape[1]) - late[:, None]
    moved = np.take_along_axis(weights, np.maximum(index, 0), axis=1)
    return start - late.astype(np.int32), np.where(index < 0, 0, moved).astype(np.float32)


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
    # taps are weighed two at a time. Of an odd number the last is left for those that need it, where they
    # are few; else there is one more, that weighs nothing
    taps = across.shape[1]
    if taps % 2 and (taps == 1 or np.count_nonzero(across[:, -1]) > FEW * w):
        across = np.pad(across, ((0, 0), (0, 1)))
        taps += 1
    if width < taps:
        source = np.ascontiguousarray(np.pad(source, ((0, 0), (0, taps - width))))
    columns, across = _inside(columns, across, max(width, taps))
    few = np.flatnonzero(across[:, -1]) if taps % 2 else np.empty(0, np.int64)
    weighed = _weigh(source, held, lines, down, columns, np.ascontiguousarray(across.T), few)
    return np.asarray(weighed.view(np.uint8).reshape(h, w, 4))
