"""The lines that a blur about a point is a mean along: rings round it, or rays from it, in bands of distance."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, log, pi
from typing import Any

import numpy as np
from numpy.typing import NDArray

LINES_APART = 0.5
"""Pixels between two lines beside each other, at the outer end of a band."""

RATIO = 1.5
"""How much farther out a band ends than it begins."""

NEAR = 3.0
"""A blur away from the point leaves what is nearer to it, pixels."""

CHUNK = 32
"""Places that are read one after the other."""

FEWEST = 8
"""Of the places that a mean is taken of."""


@dataclass(frozen=True)
class Band:
    """Lines of one band, and where on them places lie.

    Attributes:
        near, far: distances between which it answers, pixels.
        across, along: for each line, and for the first place of each chunk of places, a complex number; their
            product is the place, seen from the point.
        within: the same factor for the places of a chunk.
        places: on each line; ``count`` of them make a mean, and every ``stride``-th mean is kept.
        first, step: of the means, in radians or in the logarithm of the distance.
        line, apart: of the lines, in pixels or in radians.
    """

    near: float
    far: float
    across: NDArray[np.complexfloating[Any, Any]]
    along: NDArray[np.complexfloating[Any, Any]]
    within: NDArray[np.complexfloating[Any, Any]]
    places: int
    count: int
    stride: int
    first: float
    step: float
    line: float
    apart: float


def _edges(far: float, near: float) -> list[tuple[float, float]]:
    bands = []
    while far > near:
        begin = far / RATIO if far / RATIO > max(near, 16.0) else near
        bands.append((begin, far))
        far = begin
    return bands


def rings(angle: float, far: float) -> list[Band]:
    """Bands for a mean over an ``angle``, radians, round the point, out to a distance."""
    bands = []
    for near, end in _edges(far, 0.0):
        count = max(FEWEST, 2 * ceil(angle * end / 2))
        step, stride = angle / count, min(max(count // 16, 1), 8)
        first = -2 * stride * step
        means = ceil(2 * pi / (stride * step)) + 5
        places = (means - 1) * stride + count
        begin = np.arange(-(-places // CHUNK)) * CHUNK + 0.5
        bands.append(Band(
            near, end, near + LINES_APART * np.arange(ceil((end - near) / LINES_APART) + 2) + 0j,
            np.exp(1j * (first - angle / 2 + begin * step)), np.exp(1j * step * np.arange(CHUNK)),
            places, count, stride, first, stride * step, near, LINES_APART,
        ))  # fmt: skip
    return bands


def rays(length: float, far: float) -> list[Band]:
    """Bands for a mean over factors of the distance from exp(−length/2) to exp(length/2)."""
    bands = []
    for near, end in _edges(far, NEAR):
        count = max(FEWEST, 2 * ceil(length * end / 2))
        step, stride = length / count, min(max(count // 16, 1), 8)
        first = log(near) - 2 * stride * step
        means = ceil(log(end / near) / (stride * step)) + 5
        places = (means - 1) * stride + count
        begin = np.arange(-(-places // CHUNK)) * CHUNK + 0.5
        lines = ceil(2 * pi * end / LINES_APART)
        bands.append(Band(
            near, end, np.exp(2j * pi * np.arange(lines + 2) / lines),
            np.exp(first - length / 2 + begin * step) + 0j, np.exp(step * np.arange(CHUNK)) + 0j,
            places, count, stride, first, stride * step, 0.0, 2 * pi / lines,
        ))  # fmt: skip
    return bands
