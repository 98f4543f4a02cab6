"""A blur by a disc, as of a lens that is out of focus: bright points stay bright.

Light is summed as squares of display values, near enough to linear light for bright points to win over what lies
around them, and taken back by the root. Each row of the disc is a difference of two running sums. A large disc is
applied to a shrunk picture, which is enlarged again by a cubic.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.premultiply import covered

Picture = NDArray[np.uint8]

LARGEST = 7.0
"""Radius in pixels up to which the disc is applied to the picture as it is."""

CHUNK = 120
"""Rows done by one thread after the other."""


@nb.njit(error_model="numpy")
def _squares(row, pad, sums):
    """Running sums of the squares of all four channels, from ``pad`` pixels before the row to as many behind it, where
    it goes on as it ends. They may run over: only differences are used."""
    r, g, b, a = np.uint32(0), np.uint32(0), np.uint32(0), np.uint32(0)
    last = row.shape[0] - 1
    for k in range(row.shape[0] + 2 * pad):
        x = min(max(k - pad, 0), last)
        r += np.uint32(row[x, 0]) * np.uint32(row[x, 0])
        g += np.uint32(row[x, 1]) * np.uint32(row[x, 1])
        b += np.uint32(row[x, 2]) * np.uint32(row[x, 2])
        a += np.uint32(row[x, 3]) * np.uint32(row[x, 3])
        sums[4 * (k + 1)] = r
        sums[4 * (k + 1) + 1] = g
        sums[4 * (k + 1) + 2] = b
        sums[4 * (k + 1) + 3] = a


@nb.njit(error_model="numpy")
def _span(sums, low, high, to):
    """Sums over the pixels from ``low`` up to ``high`` places on."""
    for k in range(to.size):
        i = np.uint64(k)
        to[i] = sums[np.uint64(high) + i] - sums[np.uint64(low) + i]


@nb.njit(error_model="numpy")
def _two_spans(one, other, low, high, to):
    """The same of two rows, added: those above and below the middle of a disc are as wide."""
    for k in range(to.size):
        i = np.uint64(k)
        from_, up_to = np.uint64(low) + i, np.uint64(high) + i
        to[i] += one[up_to] - one[from_] + other[up_to] - other[from_]


@nb.njit(error_model="numpy")
def _rooted(sums, per, to):
    for k in range(to.size):
        to[k] = np.uint8(np.int32(np.sqrt(np.float32(np.int32(sums[k])) * per) + np.float32(0.5)))


@kernel(parallel=True)
def _disc(picture, halves):
    """A disc of so many pixels to either side, row by row, over every pixel. Rows of sums lie in a ring, in the nearest
    caches."""
    height, width = picture.shape[0], picture.shape[1]
    reach, count = len(halves) // 2, 0
    pad = reach + 1
    out = np.empty_like(picture)
    for half in halves:
        count += 2 * half + 1
    per = np.float32(1.0 / count)
    for chunk in nb.prange((height + CHUNK - 1) // CHUNK):
        sums = np.empty((len(halves), 4 * (width + 2 * pad + 1)), np.uint32)
        sums[:, :4] = 0
        to = np.empty(4 * width, np.uint32)
        known = max(chunk * CHUNK - reach, 0)  # the next row whose sums are not in the ring
        for y in range(chunk * CHUNK, min(height, chunk * CHUNK + CHUNK)):
            while known <= min(y + reach, height - 1):
                _squares(picture[known], pad, sums[known % len(halves)])
                known += 1
            _span(sums[y % len(halves)], 4 * (pad - reach), 4 * (pad + reach + 1), to)
            for t in range(1, reach + 1):
                above, below = max(y - t, 0) % len(halves), min(y + t, height - 1) % len(halves)
                half = halves[reach + t]
                _two_spans(sums[above], sums[below], 4 * (pad - half), 4 * (pad + half + 1), to)
            _rooted(to, per, out[y].reshape(-1))
    return out


def defocused(picture: Picture, radius: float) -> Picture:
    """A picture, (h, w, 4) uint8 RGBA premultiplied, blurred by a disc of so many pixels.

    >>> dot = np.zeros((5, 5, 4), np.uint8)
    >>> dot[2, 2] = 200
    >>> defocused(dot, 1)[:, 2, 0].tolist()
    [0, 89, 89, 89, 0]
    """
    if radius < 0.5:
        return picture
    height, width = picture.shape[:2]
    shrink = max(1, int(np.ceil(radius / LARGEST)))
    small = np.ascontiguousarray(picture)
    if shrink > 1:
        size = max(1, width // shrink), max(1, height // shrink)
        small = np.asarray(cv2.resize(small, size, interpolation=cv2.INTER_AREA), np.uint8)
        radius /= shrink
    rows = np.arange(-int(radius), int(radius) + 1)
    halves = np.sqrt(np.maximum(radius**2 - rows**2, 0)).astype(np.int64)
    made = np.asarray(_disc(small, halves))
    if shrink > 1:
        large = cv2.resize(made, (width, height), interpolation=cv2.INTER_CUBIC)
        made = covered(np.asarray(large, np.uint8))
    return made
