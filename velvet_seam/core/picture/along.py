"""A blur along a line: running sums down lines that lean, each pixel on one of them.

A line leans by whole pixels from row to row, so that nothing is interpolated; the ends of its length count in
parts. Directions that are nearer to level than to upright are blurred in the turned picture.
"""

from __future__ import annotations

from math import cos, floor, radians, sin

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

Picture = NDArray[np.uint8]

_BAND = 160


@nb.njit(error_model="numpy")
def _leaned(row, shift, pad, to):
    """A row moved by ``-shift`` pixels, so that lines stand upright; beyond its ends it goes on as it ends."""
    first = 4 * (pad - shift)
    last = first + row.size
    for k in range(0, first, 4):
        for c in range(4):
            to[k + c] = np.int32(row[c])
    at = np.uint64(first)
    for k in range(row.size):
        to[at + np.uint64(k)] = np.int32(row[k])
    for k in range(last, to.size, 4):
        for c in range(4):
            to[k + c] = np.int32(row[row.size - 4 + c])


@nb.njit(error_model="numpy")
def _add(sums, row, sign):
    for k in range(sums.size):
        sums[k] += sign * row[k]


@nb.njit(error_model="numpy")
def _written(sums, before, after, at, part, scale, to):
    half = np.float32(0.5)
    if part > 0:
        for k in range(to.size):
            i = np.uint64(at) + np.uint64(k)
            ends = part * np.float32(before[i] + after[i])
            to[k] = np.uint8(np.int32((np.float32(sums[i]) + ends) * scale + half))
    else:
        for k in range(to.size):
            to[k] = np.uint8(
                np.int32(np.float32(sums[np.uint64(at) + np.uint64(k)]) * scale + half)
            )


@kernel(parallel=True)
def _down(picture, lean, reach, part):
    """Each row the mean of those up to ``reach`` above and below it along lines, and ``part`` of the next."""
    height, size = picture.shape
    out = np.empty_like(picture)
    scale = np.float32(1) / (np.float32(2 * reach + 1) + np.float32(2) * part)
    for band in nb.prange((height + _BAND - 1) // _BAND):
        first = band * _BAND
        last = min(first + _BAND, height)
        far = np.int64(np.ceil(abs(lean) * (last - first + 2 * reach + 4))) + 2
        pad = far
        wide = size + 8 * pad
        sums, row = np.zeros(wide, np.int32), np.empty(wide, np.int32)
        before, after = np.empty(wide, np.int32), np.empty(wide, np.int32)
        for y in range(first - reach, first + reach):
            _leaned(
                picture[min(max(y, 0), height - 1)], np.int64(np.rint(lean * (y - first))), pad, row
            )
            _add(sums, row, np.int32(1))
        for y in range(first, last):
            _leaned(
                picture[min(y + reach, height - 1)],
                np.int64(np.rint(lean * (y + reach - first))),
                pad,
                row,
            )
            _add(sums, row, np.int32(1))
            if y > first:
                gone = y - reach - 1
                _leaned(
                    picture[min(max(gone, 0), height - 1)],
                    np.int64(np.rint(lean * (gone - first))),
                    pad,
                    row,
                )
                _add(sums, row, np.int32(-1))
            if part > 0:
                up, down = y - reach - 1, y + reach + 1
                _leaned(
                    picture[min(max(up, 0), height - 1)],
                    np.int64(np.rint(lean * (up - first))),
                    pad,
                    before,
                )
                _leaned(
                    picture[min(max(down, 0), height - 1)],
                    np.int64(np.rint(lean * (down - first))),
                    pad,
                    after,
                )
            at = 4 * (pad - np.int64(np.rint(lean * (y - first))))
            _written(sums, before, after, at, part, scale, out[y])
    return out


def along(picture: Picture, length: float, degrees: float) -> Picture:
    """A picture blurred along a line.

    Args:
        picture: (h, w, 4) uint8 RGBA, premultiplied.
        length: of the line, pixels.
        degrees: 0 is level; clockwise.

    >>> dot = np.zeros((7, 1, 4), np.uint8)
    >>> dot[3] = 255
    >>> along(dot, 3, 90)[:, 0, 0].tolist()
    [0, 0, 85, 85, 85, 0, 0]
    """
    if length <= 1:
        return picture
    across, down = cos(radians(degrees)), sin(radians(degrees))
    turned = abs(across) > abs(down)
    if turned:
        across, down = down, across
        picture = np.ascontiguousarray(cv2.transpose(picture))
    # so long a line spans so many rows
    rows = min(length * abs(down), 2.0 * max(picture.shape[:2]))
    reach = max(0, floor((rows - 1) / 2))
    part = (rows - 1) / 2 - reach
    flat = np.ascontiguousarray(picture).reshape(picture.shape[0], -1)
    made = np.asarray(_down(flat, across / down, reach, np.float32(max(part, 0.0))))
    made = made.reshape(picture.shape)
    return np.ascontiguousarray(cv2.transpose(made)) if turned else made
