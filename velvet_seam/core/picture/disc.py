"""A blur by a disc, as of a lens that is out of focus: bright points stay bright.

Light is summed as squares of display values, near enough to linear light for bright points to win over what lies
around them, and taken back by the root. Each row of the disc is a difference of two running sums; what it covers of the
pixels at its edge counts in part, so that a focus that is pulled goes evenly. A large disc is applied to a shrunk picture,
which is enlarged again by a cubic.
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

WHOLE = 64
"""Parts into which what a pixel counts is divided."""

FINE = 16
"""Heights within a row at which it is asked how wide a disc is."""

FOUR = np.uint64(4)
"""Channels; as places are counted, for a place less a signed number would be a float."""

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
def _span(sums, low, high, whole, part, to):
    """Sums over the pixels from ``low`` up to ``high`` places on, ``whole`` times, and over one pixel more at either end,
    ``part`` times."""
    for k in range(to.size):
        i = np.uint64(k)
        from_, up_to = np.uint64(low) + i, np.uint64(high) + i
        inner = np.uint32(sums[up_to] - sums[from_])
        outer = np.uint32(sums[up_to + FOUR] - sums[from_ - FOUR])
        to[i] = np.uint32(np.uint32(whole) * inner) + np.uint32(np.uint32(part) * outer)


@nb.njit(error_model="numpy")
def _two_spans(one, other, low, high, whole, part, to):
    """The same of two rows, added: those above and below the middle of a disc are as wide. Said to be 32 bits at each
    step, for else it is reckoned in 64, at half the speed."""
    for k in range(to.size):
        i = np.uint64(k)
        from_, up_to = np.uint64(low) + i, np.uint64(high) + i
        inner = np.uint32(one[up_to] - one[from_] + other[up_to] - other[from_])
        outer = np.uint32(
            one[up_to + FOUR] - one[from_ - FOUR] + other[up_to + FOUR] - other[from_ - FOUR]
        )
        to[i] += np.uint32(np.uint32(whole) * inner) + np.uint32(np.uint32(part) * outer)


@nb.njit(error_model="numpy")
def _rooted(sums, per, to):
    for k in range(to.size):
        to[k] = np.uint8(np.int32(np.sqrt(np.float32(np.int32(sums[k])) * per) + np.float32(0.5)))


@kernel(parallel=True)
def _disc(picture, halves, wholes, parts):
    """A disc of such rows (:func:`rows_of`) over every pixel. Rows of sums lie in a ring, in the nearest caches."""
    height, width = picture.shape[0], picture.shape[1]
    reach, count = len(halves) // 2, 0
    pad = reach + 2
    out = np.empty_like(picture)
    for n in range(len(halves)):
        count += (2 * halves[n] + 1) * wholes[n] + (2 * halves[n] + 3) * parts[n]
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
            half, whole, part = halves[reach], wholes[reach], parts[reach]
            middle = sums[y % len(halves)]
            _span(middle, 4 * (pad - half), 4 * (pad + half + 1), whole, part, to)
            for t in range(1, reach + 1):
                above, below = max(y - t, 0) % len(halves), min(y + t, height - 1) % len(halves)
                half, whole, part = halves[reach + t], wholes[reach + t], parts[reach + t]
                low, high = 4 * (pad - half), 4 * (pad + half + 1)
                _two_spans(sums[above], sums[below], low, high, whole, part, to)
            _rooted(to, per, out[y].reshape(-1))
    return out


def rows_of(radius: float) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """The rows of a disc of any radius, so that one that grows does so evenly.

    Returns:
        of each row, from the topmost: pixels on either side of the middle one that it surely covers; how much these count,
        of :data:`WHOLE` in all; and how much they count with one more at either end.

    >>> [one.tolist() for one in rows_of(1)]
    [[0, 0, 0], [24, 35, 24], [5, 29, 5]]
    """
    reach = int(np.ceil(radius - 0.5))
    # half of what each row is wide, at many heights within it
    heights = np.arange(-reach, reach + 1)[:, None] + (np.arange(FINE) + 0.5) / FINE - 0.5
    chords = np.sqrt(np.maximum(radius**2 - heights**2, 0))
    level = np.maximum(np.minimum(2 * chords, 1).mean(1), 1e-9)
    beyond = np.maximum(chords.mean(1) / level - 0.5, 0)
    halves = np.floor(beyond).astype(np.int64)
    counts = np.rint(level * WHOLE).astype(np.int64)
    parts = np.rint((beyond - halves) * level * WHOLE).astype(np.int64)
    return halves, counts - parts, parts


def defocused(picture: Picture, radius: float) -> Picture:
    """A picture, (h, w, 4) uint8 RGBA premultiplied, blurred by a disc of so many pixels.

    >>> dot = np.zeros((5, 5, 4), np.uint8)
    >>> dot[2, 2] = 200
    >>> defocused(dot, 1)[:, 2, 0].tolist()
    [0, 76, 113, 76, 0]
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
    made = np.asarray(_disc(small, *rows_of(radius)))
    if shrink > 1:
        large = cv2.resize(made, (width, height), interpolation=cv2.INTER_CUBIC)
        made = covered(np.asarray(large, np.uint8))
    return made
