"""Which estimate of coverage before a clean plate is to be believed where.

The difference key has several estimates of how much of a pixel is subject: how much of the way from the plate to the
subject nearby the pixel lies; more or less of that; and that all of it is subject or none. What :mod:`~velvet_seam.core.picture.difference_facts` tells of each study pixel goes into a
small network that weighs them; the weights are then used for every pixel of the picture, between study pixels linearly.

The network's numbers are in ``difference.npz``; ``python -m bench.fit_difference`` finds them anew.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.network import numbers_of, weigh_row, whole_lanes

F32 = NDArray[np.float32]

WAY, MORE, LESS, ALL = range(4)
"""The estimates of coverage, in the order of their weights: the part of the way β; 2β; 2β − 1; and 1. What the weights lack
of 1 is that of 0. What the difference alone says is none of them: fitted with it, it gained nothing."""

WEIGHTS = 4

STRETCH = 1.03
"""What the weighed coverage is multiplied by: a hundredth more or less of doubt leaves a solid thing solid."""


@kernel(parallel=True)
def _weigh(given, w1, b1, w2, b2, w3, b3):
    """(facts, h, w) to (h, w, :data:`WEIGHTS`)."""
    height, width = given.shape[1], given.shape[2]
    wide = whole_lanes(width)
    out = np.empty((height, width, WEIGHTS), np.float32)
    for y in nb.prange(height):
        told = np.zeros(given.shape[0] * wide, np.float32)
        first, second, last = (
            np.empty(w1.shape[0] * wide, np.float32),
            np.empty(w2.shape[0] * wide, np.float32),
            np.empty(w3.shape[0] * wide, np.float32),
        )
        total = np.empty(wide, np.float32)
        for f in range(given.shape[0]):
            for x in range(width):
                told[f * wide + x] = given[f, y, x]
        weigh_row(told, w1, b1, w2, b2, w3, b3, first, second, last, wide, total)
        for x in range(width):
            for e in range(WEIGHTS):
                out[y, x, e] = last[e * wide + x] / total[x]
    return out


def weighed(given: F32) -> F32:
    """The weights for what :func:`~velvet_seam.core.picture.difference_facts.facts` tells, (facts, h, w): (h, w,
    :data:`WEIGHTS`) float32."""
    return np.asarray(_weigh(given, *numbers_of("difference")), np.float32)
