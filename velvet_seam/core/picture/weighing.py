"""The kernels that weigh the estimates of coverage of some pixels of a row.

:mod:`velvet_seam.core.picture.estimates` says which estimates there are and where their weights come from.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from velvet_seam.core.picture.unmix import BLOCK, PLANE


@nb.njit(error_model="numpy")
def clipped(row, first, length, black, gain):
    """Coverage of a run of pixels, of which up to ``black`` becomes 0, rising by ``gain`` from there."""
    zero, one = np.float32(0), np.float32(1)
    for n in range(length):
        x = np.uint64(first) + np.uint64(n)
        row[x] = min(max((row[x] - black) * gain, zero), one)


@nb.njit(error_model="numpy", fastmath={"contract"})
def weights_of(above, below, share, first, length, planes, room):
    """The weights of some pixels of a row between two others, which hold them in planes, as planes of ``room``."""
    width = above.size // planes
    for e in range(planes):
        at, to = np.uint64(e * width + first), np.uint64(e * PLANE)
        for n in range(length):
            m = np.uint64(n)
            one = above[at + m]
            room[to + m] = one + (below[at + m] - one) * share


@nb.njit(error_model="numpy", fastmath={"contract"})
def believed(room, length, by, stretch, black, gain):
    """Coverage of a run of pixels, its estimates weighed. Planes 0 to 5 of ``room`` hold the weights, 6 coverage as
    solved, 7 made crisp; 8 becomes the result.

    ``by`` says how much the weights count; coverage up to ``black`` becomes 0, and rises by ``gain`` from there.
    """
    zero, one, two, three = np.float32(0), np.float32(1), np.float32(2), np.float32(3)
    for n in range((length + BLOCK - 1) // BLOCK * BLOCK):
        m = np.uint64(n)
        a, c = room[np.uint64(6 * PLANE) + m], room[np.uint64(7 * PLANE) + m]
        made = room[m] * c + room[np.uint64(PLANE) + m] * a + room[np.uint64(2 * PLANE) + m]
        made += room[np.uint64(3 * PLANE) + m] * min(two * a, one)
        made += room[np.uint64(4 * PLANE) + m] * max(two * a - one, zero)
        made += room[np.uint64(5 * PLANE) + m] * min(max(a + three * (c - a), zero), one)
        made = c + (min(made * stretch, one) - c) * by
        room[np.uint64(8 * PLANE) + m] = min(max((made - black) * gain, zero), one)
