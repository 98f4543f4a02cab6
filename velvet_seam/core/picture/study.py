"""The small picture at which a screen is studied."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.picture.pointer import bytes_at

STUDY = 180
"""Short side, in pixels, at which a screen is studied: the same for a proxy and an original."""

_MOST_STEP = 16
_BAND = 40
"""Rows of squares that share the room they are worked out in."""


def study(picture: NDArray[np.uint8] | Planes) -> NDArray[np.float32]:
    """(h, w, 4) uint8, or planes, to (h', w', 3) float32 R'G'B' in 0 to 1, short side at most
    :data:`STUDY`.

    Of planes the means are taken as their codec holds them, since R'G'B' is linear in Y'CbCr; only what
    lies outside the range is held in it once for every mean, not for every pixel.
    """
    height, width = size_of(picture)
    step = min(height, width) // STUDY
    if min(height, width) != step * STUDY or height % max(step, 1) or width % max(step, 1):
        step = 0
    if isinstance(picture, Planes):
        if 1 < step <= _MOST_STEP and step % 2 == 0:
            return np.asarray(_plane_means(picture.whereabouts(), width, height, step, picture.k))
        picture = picture.rgba()
    if 1 < step <= _MOST_STEP:
        pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
        return np.asarray(_block_means(pixels, step))
    factor = min(1.0, STUDY / min(height, width))
    w, h = max(1, round(width * factor)), max(1, round(height * factor))
    small = cv2.resize(picture, (w, h), interpolation=cv2.INTER_AREA) if factor < 1 else picture
    rgb = cv2.cvtColor(np.asarray(small, np.uint8), cv2.COLOR_RGBA2RGB)
    return np.asarray(rgb, np.float32) * np.float32(1 / 255)


def places(size: int, step: float, cells: int) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """For every pixel along an axis the cell before it, of so many each ``1 / step`` pixels long, and how far it is past
    the middle of that.

    >>> [one.tolist() for one in places(4, 0.5, 2)]
    [[0, 0, 0, 1], [0.0, 0.25, 0.75, 0.0]]
    """
    at = np.clip((np.arange(size) + 0.5) * step - 0.5, 0, cells - 1)
    cell = at.astype(np.int64)
    return cell, (at - cell).astype(np.float32)


def size_of(picture: NDArray[np.uint8] | Planes) -> tuple[int, int]:
    """Height and width of a picture, or of one that its codec holds."""
    if isinstance(picture, Planes):
        return picture.height, picture.width
    return picture.shape[0], picture.shape[1]


@nb.njit(error_model="numpy")
def _add_pixels(row, other, two, red_blue, green):
    """Add a row of packed pixels, or two, to sums: red in the lower half of a number, blue in the upper,
    and green. A square of 16 pixels a side still fits."""
    ends, byte, eight = np.uint32(0xFF00FF), np.uint32(255), np.uint32(8)
    if two:
        for k in range(row.size):
            x = np.uint64(k)
            v, w = row[x], other[x]
            red_blue[x] += (v & ends) + (w & ends)
            green[x] += ((v >> eight) & byte) + ((w >> eight) & byte)
    else:
        for k in range(row.size):
            x = np.uint64(k)
            v = row[x]
            red_blue[x] += v & ends
            green[x] += (v >> eight) & byte


@kernel()
def _block_means(pixels, step):
    """Means of squares of ``step`` pixels a side, at most 16, packed pixels to R'G'B' in 0 to 1."""
    rows, columns = pixels.shape[0] // step, pixels.shape[1] // step
    out = np.empty((rows, columns, 3), np.float32)
    scale, half = np.float32(1 / (255 * step * step)), np.uint32(0xFFFF)
    for j in range(rows):
        red_blue = np.zeros(pixels.shape[1], np.uint32)
        green = np.zeros(pixels.shape[1], np.uint32)
        for k in range(0, step, 2):
            y = j * step + k
            _add_pixels(
                pixels[y], pixels[min(y + 1, rows * step - 1)], k + 1 < step, red_blue, green
            )
        for i in range(columns):
            ends, g = np.uint32(0), np.uint32(0)
            for k in range(i * step, i * step + step):
                ends += red_blue[k]
                g += green[k]
            out[j, i, 0] = np.float32(np.int32(ends & half)) * scale
            out[j, i, 1] = np.float32(np.int32(g)) * scale
            out[j, i, 2] = np.float32(np.int32(ends >> np.uint32(16))) * scale
    return out


@nb.njit(error_model="numpy")
def _add_bytes(plane, at, weight, to, n):
    """Add some bytes, weighed, to sums."""
    for k in range(n):
        x = np.uint64(k)
        to[x] += np.int32(np.int32(plane[at + x]) * weight)


@nb.njit(error_model="numpy")
def _row_sums(luma, blue, red, luma_row, chroma_row, lines, step, j, y, u, v):
    """Down every column of row ``j`` of squares: the sum of Y', and four times those of Cb and Cr. Chroma
    lies midway between two rows, so those above and below the square count for a little, too; the last
    sum of it stands twice."""
    half, columns = step // 2, u.size - 1
    y[:] = 0
    u[:] = 0
    v[:] = 0
    for n in range(step):
        at = np.uint64((j * step + n) * luma_row)
        _add_bytes(luma, at, np.int32(1), y, y.size)
    for n in range(-1, half + 1):
        at = np.uint64(min(max(j * half + n, 0), lines - 1) * chroma_row)
        # a row takes three quarters from the nearer line and one from the other
        weight = 1 if n in (-1, half) else 8 - (n == 0) - (n == half - 1)
        _add_bytes(blue, at, np.int32(weight), u, columns)
        _add_bytes(red, at, np.int32(weight), v, columns)
    u[columns], v[columns] = u[columns - 1], v[columns - 1]


@nb.njit(error_model="numpy", inline="always")
def _sums_of(values, step, to):
    for i in range(to.size):
        some = np.int32(0)
        for n in range(i * step, i * step + step):
            some += values[n]
        to[i] = some


@nb.njit(error_model="numpy")
def _across(values, step, to):
    """Sums of every ``step`` values. Of the usual steps each has a loop of its own, which then runs in
    vectors: 720, 1080 and 2160 pixels to :data:`STUDY`."""
    if step == 2:
        _sums_of(values, 2, to)
    elif step == 3:
        _sums_of(values, 3, to)
    elif step == 4:
        _sums_of(values, 4, to)
    elif step == 6:
        _sums_of(values, 6, to)
    elif step == 12:
        _sums_of(values, 12, to)
    else:
        _sums_of(values, step, to)


@nb.njit(error_model="numpy")
def _chroma_across(values, half, to):
    """Four times the sums of every ``half`` values, as the pixels of a row take them: chroma lies on the
    left of two columns, and midway to the next one is the mean of both."""
    _across(values, half, to)
    wide = np.uint64(half)
    for k in range(to.size):
        i = np.uint64(k)
        at = i * wide
        to[i] = np.int32(np.int32(4) * to[i] - values[at] + values[at + wide])


@nb.njit(error_model="numpy")
def _mean_row(y, u, v, step, k, to):
    """R'G'B' of a row of squares of ``step`` pixels, of the sums of their Y', Cb and Cr."""
    unit, zero, one = np.float32(1 / 255), np.float32(0), np.float32(1)
    rv, gu, gv, bu = k[2], k[3], k[4], k[5]
    light, dark = k[0] * unit / np.float32(step * step), k[0] * k[1] * unit
    # 4 times across, 4 times down, a quarter of the pixels
    colour, grey = unit / np.float32(8 * step * step), np.float32(128) * unit
    second, third, three = np.uint64(1), np.uint64(2), np.uint64(3)
    for i in range(y.size):
        n = np.uint64(i)
        m = three * n
        level = np.float32(y[n]) * light - dark
        cb, cr = np.float32(u[n]) * colour - grey, np.float32(v[n]) * colour - grey
        to[m] = min(max(level + rv * cr, zero), one)
        to[m + second] = min(max(level + gu * cb + gv * cr, zero), one)
        to[m + third] = min(max(level + bu * cb, zero), one)


@nb.njit(error_model="numpy")
def _mean_band(folded, width, height, step, k, first, last, out):
    luma_row, chroma_row, lines = np.int64(folded[3]), np.int64(folded[4]), height // 2
    luma = nb.carray(bytes_at(folded[0]), luma_row * height)
    blue = nb.carray(bytes_at(folded[1]), chroma_row * lines)
    red = nb.carray(bytes_at(folded[2]), chroma_row * lines)
    chroma = width // 2 + 1
    y, u, v = np.empty(width, np.int32), np.empty(chroma, np.int32), np.empty(chroma, np.int32)
    sums = np.empty((3, out.shape[1]), np.int32)
    for j in range(first, last):
        _row_sums(luma, blue, red, luma_row, chroma_row, lines, step, j, y, u, v)
        _across(y, step, sums[0])
        _chroma_across(u, step // 2, sums[1])
        _chroma_across(v, step // 2, sums[2])
        _mean_row(sums[0], sums[1], sums[2], step, k, out[j].reshape(-1))


@kernel()
def _plane_means(folded, width, height, step, k):
    """Means of squares of ``step`` pixels a side, even and at most 16, of the planes that ``folded`` says the
    :meth:`~velvet_seam.core.picture.planes.Planes.whereabouts` of, to R'G'B' in 0 to 1."""
    rows = height // step
    out = np.empty((rows, width // step, 3), np.float32)
    for band in range((rows + _BAND - 1) // _BAND):
        first = band * _BAND
        _mean_band(folded, width, height, step, k, first, min(first + _BAND, rows), out)
    return out
