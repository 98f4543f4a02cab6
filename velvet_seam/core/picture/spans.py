"""Where packed pixels are not clear: most of a cut-out is, and is passed over."""

from __future__ import annotations

import numba as nb
import numpy as np

from velvet_seam.core.kernels import kernel

LOOK = 32
"""Pixels that are looked at together for any that is not clear."""


@nb.njit(error_model="numpy")
def any_of(row, begin, length, bits):
    """Whether any of some packed pixels has any of some bits."""
    some = np.uint32(0)
    for k in range(length):
        some |= row[np.uint64(begin) + np.uint64(k)]
    return some & bits != 0


@nb.njit(error_model="numpy")
def any_covered(row, begin, length):
    """Whether any of some packed pixels is not clear."""
    return any_of(row, begin, length, np.uint32(0xFFFFFFFF))


@nb.njit(error_model="numpy")
def span(row):
    """The first pixel of a packed row that is not clear, and the one after the last; 0, 0 if none. Looked
    for from both ends, so that a row that is covered throughout costs next to nothing."""
    first, last = 0, row.size
    while first < last and not any_covered(row, first, min(LOOK, last - first)):
        first = min(first + LOOK, last)
    while last > first and not any_covered(row, max(last - LOOK, first), min(LOOK, last - first)):
        last = max(last - LOOK, first)
    if first == last:
        return 0, 0
    while row[first] == 0:
        first += 1
    while row[last - 1] == 0:
        last -= 1
    return first, last


@kernel(parallel=True)
def spans(picture):
    """Where the rows of a picture of packed pixels, (h, w) uint32, are not clear: (h, 2) int32."""
    out = np.empty((picture.shape[0], 2), np.int32)
    for y in nb.prange(picture.shape[0]):
        first, last = span(picture[y])
        out[y, 0] = first
        out[y, 1] = last
    return out
