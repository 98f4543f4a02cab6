"""Which estimate of coverage is to be believed where.

The screen key has several estimates of how much of a pixel is subject, each right somewhere: coverage made crisp or
very crisp, as it was solved, more or less of that, and that all of it is subject or none. A person tells by what lies
around: a faint place inside a solid thing is part of it, the same faint value over smoke is not. Here what
:mod:`~velvet_seam.core.picture.surroundings` tells of each study pixel goes into a small network that weighs the
estimates; the weights are then used for every pixel of the picture, between study pixels linearly.

The network's numbers are in ``estimates.npz``; ``python -m bench.fit_estimates`` finds them anew.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.network import numbers_of, weigh_row, whole_lanes
from velvet_seam.core.picture.surroundings import LEAST_BESIDE, MOST_NEAR, NONE

F32 = NDArray[np.float32]

CRISP, SOLVED, ALL, MORE, LESS, CRISPER = range(6)
"""The estimates of coverage α, in the order of their weights: made crisp; as solved; 1; 2α; 2α − 1; and three times as
crisp. What the weights lack of 1 is that of 0."""

WEIGHTS = 6

STRETCH = 1.03
"""What the weighed coverage is multiplied by: a hundredth more or less of doubt leaves a solid thing solid."""


_DOUBT = 0.3
"""How far from the most there is the raw coverage of a pixel and those beside it may be before the network counts for
all."""


_LEAST_HELD = 0.04
"""The weight of being subject from which on a pixel that looks like the screen is looked at all the same."""


@kernel(parallel=True)
def _weigh(given, w1, b1, w2, b2, w3, b3):
    """(facts, h, w) to (h, w, :data:`WEIGHTS`), and which pixels may be subject though nothing of them is seen."""
    height, width = given.shape[1], given.shape[2]
    wide = whole_lanes(width)
    out, held = np.zeros((height, width, WEIGHTS), np.float32), np.zeros((height, width), np.uint8)
    zero, one = np.float32(0), np.float32(1)
    for y in nb.prange(height):
        told = np.zeros(given.shape[0] * wide, np.float32)
        first, second, last = (
            np.empty(w1.shape[0] * wide, np.float32),
            np.empty(w2.shape[0] * wide, np.float32),
            np.empty(w3.shape[0] * wide, np.float32),
        )
        which, count, total = np.empty(width, np.int64), 0, np.empty(wide, np.float32)
        # where all around is screen, nothing is to be weighed: what stands out is grain; and what by its colour, and
        # that of all around it, surely is subject needs nobody's opinion
        for x in range(width):
            if given[LEAST_BESIDE, y, x] >= one:
                out[y, x, CRISP] = one
            elif given[MOST_NEAR, y, x] > np.float32(NONE):
                which[count] = x
                count += 1
        for f in range(given.shape[0]):
            for n in range(count):
                told[f * wide + n] = given[f, y, which[n]]
        weigh_row(told, w1, b1, w2, b2, w3, b3, first, second, last, whole_lanes(count), total)
        for n in range(count):
            x = which[n]
            open_to = min(
                max((one - given[LEAST_BESIDE, y, x]) * np.float32(1 / _DOUBT), zero), one
            )
            for e in range(WEIGHTS):
                out[y, x, e] = open_to * last[e * wide + n] / total[n]
            out[y, x, CRISP] += one - open_to
            held[y, x] = last[ALL * wide + n] > np.float32(_LEAST_HELD) * total[n]
    return out, held


@dataclass(frozen=True)
class Estimates:
    """``weights``: (h, w, :data:`WEIGHTS`) float32 of every study pixel; ``held``: (h, w) uint8, 1 where a pixel, or
    one beside it, may be subject although it looks like the screen."""

    weights: F32
    held: NDArray[np.uint8]

    @property
    def nbytes(self) -> int:
        return self.weights.nbytes + self.held.nbytes


def weighed(given: F32) -> Estimates:
    """The weights for what :func:`~velvet_seam.core.picture.surroundings.facts` tells: (facts, h, w)."""
    weights, held = _weigh(given, *numbers_of("estimates"))
    return Estimates(weights, np.asarray(cv2.dilate(held, np.ones((3, 3), np.uint8)), np.uint8))
