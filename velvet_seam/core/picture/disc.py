"""A blur by a disc, as of a lens that is out of focus: bright points stay bright.

Light is summed as squares of display values, near enough to linear light for bright points to win over what lies
around them, and taken back by the root. Each row of the disc is a difference of two running sums. A large disc is
applied to a shrunk picture, which is enlarged again by the cubic of :mod:`velvet_seam.core.picture.gaussian`.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

Picture = NDArray[np.uint8]

LARGEST = 7.0
"""Radius in pixels up to which the disc is applied to the picture as it is."""


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
        to[i] += sums[np.uint64(high) + i] - sums[np.uint64(low) + i]


@nb.njit(error_model="numpy")
def _rooted(sums, per, to):
    for k in range(to.size):
        to[k] = np.uint8(np.int32(np.sqrt(np.float32(sums[k]) * per) + np.float32(0.5)))


@kernel(parallel=True)
def _disc(picture, halves):
    height, width = picture.shape[0], picture.shape[1]
    reach = len(halves) // 2
    pad = reach + 1
    sums = np.empty((height, 4 * (width + 2 * pad + 1)), np.uint32)
    for y in nb.prange(height):
        sums[y, :4] = 0
        _squares(picture[y], pad, sums[y])
    out = np.empty_like(picture)
    count = 0
    for half in halves:
        count += 2 * half + 1
    per = np.float32(1.0 / count)
    for y in nb.prange(height):
        to = np.zeros(4 * width, np.uint32)
        for t in range(len(halves)):
            row = sums[min(max(y + t - reach, 0), height - 1)]
            _span(row, 4 * (pad - halves[t]), 4 * (pad + halves[t] + 1), to)
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
        made = np.asarray(
            cv2.resize(made, (width, height), interpolation=cv2.INTER_CUBIC), np.uint8
        )
        made[..., :3] = np.minimum(made[..., :3], made[..., 3:])
    return made
