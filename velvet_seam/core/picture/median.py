"""The median of several pictures, pixel by pixel."""

from __future__ import annotations

from math import ceil

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

RUN = 1024
"""Values that are sorted side by side: of some dozens of pictures they lie in the nearest cache."""


@kernel(parallel=True)
def _medians(pictures, runs):
    """Of each value: (n, m) to (m,). Every picture's run is compared with the next one's, the even and the odd pairs in turn
    (N. Haberman, 1972): n turns sort them, and each comparison is of a whole run, in vectors."""
    count, size = pictures.shape
    out = np.empty(size, np.uint8)
    for run in nb.prange(runs):
        begin = run * RUN
        n = min(RUN, size - begin)
        held = np.empty((count, n), np.uint8)
        for k in range(count):
            held[k] = pictures[k, begin : begin + n]
        for turn in range(count):
            for k in range(turn % 2, count - 1, 2):
                low, high = held[k], held[k + 1]
                for x in range(n):
                    one, other = low[x], high[x]
                    low[x], high[x] = min(one, other), max(one, other)
        low, high = held[(count - 1) // 2], held[count // 2]
        for x in range(n):
            out[begin + x] = (np.uint16(low[x]) + np.uint16(high[x])) // np.uint16(2)
    return out


def median(pictures: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The median of pictures, (n, …) uint8 with n of at least 1: (…), of an even number the mean of the two in the middle,
    rounded down.

    >>> median(np.uint8([[10], [13], [200], [12]])).tolist()
    [12]
    """
    flat = np.ascontiguousarray(pictures).reshape(len(pictures), -1)
    return np.asarray(_medians(flat, ceil(flat.shape[1] / RUN)), np.uint8).reshape(
        pictures.shape[1:]
    )
