"""Curves of brightness, drawn: one for all channels, then one for each."""

from __future__ import annotations

from functools import lru_cache
from itertools import pairwise
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, Field

from velvet_seam.core.kernels import kernel
from velvet_seam.core.looks.base import Planes, Stage, Tone
from velvet_seam.core.timing.at import At

MOST_POINTS = 16
STEPS = 1024
"""A curve is looked up in so many straight pieces."""

Level = Annotated[float, Field(ge=0, le=1)]
Points = tuple[tuple[Level, Level], ...]

STRAIGHT: Points = ((0.0, 0.0), (1.0, 1.0))


def _rising(points: Points) -> Points:
    if any(b[0] - a[0] < 1e-4 for a, b in pairwise(points)):
        raise ValueError("the points of a curve lie one after the other, from dark to bright")
    return points


Curve = Annotated[Points, Field(min_length=2, max_length=MOST_POINTS), AfterValidator(_rising)]
"""Points from dark to bright: what a level, 0 to 1, becomes."""


class Curves(Tone):
    """A smooth curve through points, which never swings beyond the two points it runs between (F. Fritsch and
    R. Carlson, 1980). The one for all channels acts first."""

    label: ClassVar[str] = "Curves"
    says: ClassVar[str] = "Brightness and each channel, along a curve you draw"
    find: ClassVar[str] = "curve contrast levels red green blue gamma"

    kind: Literal["curves"] = "curves"
    master: Curve = STRAIGHT
    red: Curve = STRAIGHT
    green: Curve = STRAIGHT
    blue: Curve = STRAIGHT

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        every = (self.master, self.red, self.green, self.blue)
        if all(one == STRAIGHT for one in every):
            return ()
        numbers = [
            part for one in every for part in (float(len(one)), *(v for p in one for v in p))
        ]
        return (Stage(_curved, tuple(numbers), channelwise=True),)


def slopes_of(x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.float64]:
    """The slope of a monotone cubic at each of its points, by the harmonic mean of its neighbours' (F. Fritsch and
    J. Butland, 1984): flat where the curve turns.

    >>> slopes_of(np.array([0, 0.5, 1]), np.array([0, 0.5, 1])).tolist()
    [1.0, 1.0, 1.0]
    """
    width = np.diff(x)
    rise = np.diff(y) / width
    slopes = np.empty(len(x))
    slopes[0], slopes[-1] = rise[0], rise[-1]
    for n in range(1, len(x) - 1):
        one, other = rise[n - 1], rise[n]
        if one * other <= 0:
            slopes[n] = 0.0
            continue
        w = (2 * width[n] + width[n - 1]), (width[n] + 2 * width[n - 1])
        slopes[n] = (w[0] + w[1]) / (w[0] / one + w[1] / other)
    return slopes


def drawn(points: Points, levels: NDArray[np.float64]) -> NDArray[np.float64]:
    """What a curve makes of levels. Beyond its ends it stays, but goes straight on where they are those of the scale.

    >>> drawn(((0, 0), (0.5, 0.7), (1, 1)), np.array([0, 0.5, 1])).tolist()
    [0.0, 0.7, 1.0]
    """
    x, y = np.array(points, np.float64).T
    slopes = slopes_of(x, y)
    n = np.clip(np.searchsorted(x, levels, "right") - 1, 0, len(x) - 2)
    width = x[n + 1] - x[n]
    t = np.clip((levels - x[n]) / width, 0, 1)
    bent = (
        (1 + 2 * t) * (1 - t) ** 2 * y[n]
        + t * (1 - t) ** 2 * width * slopes[n]
        + t * t * (3 - 2 * t) * y[n + 1]
        - t * t * (1 - t) * width * slopes[n + 1]
    )
    return np.asarray(bent)


@lru_cache(maxsize=64)
def _table(points: Points) -> NDArray[np.float32]:
    """The curve at even steps, then its slope below black and above white."""
    levels = drawn(points, np.linspace(0, 1, STEPS + 1))
    x, y = np.array(points, np.float64).T
    slopes = slopes_of(x, y)
    ends = [slopes[0] if x[0] == 0 else 0.0, slopes[-1] if x[-1] == 1 else 0.0]
    return np.append(levels, ends).astype(np.float32)


@kernel()
def _curve_kernel(plane, table):
    zero, one, steps = np.float32(0), np.float32(1), np.float32(STEPS)
    below, above = table[STEPS + 1], table[STEPS + 2]
    for k in range(plane.size):
        v = plane[k]
        x = min(max(v, zero), one) * steps
        node = min(np.int32(x), np.int32(STEPS - 1))
        low = table[np.uint64(node)]
        v_in = low + (table[np.uint64(node) + np.uint64(1)] - low) * (x - np.float32(node))
        plane[k] = v_in + min(v, zero) * below + max(v - one, zero) * above


def _curved(planes: Planes, *numbers: float) -> None:
    left = list(numbers)
    for n in range(4):
        count = int(left.pop(0))
        flat, left = left[: 2 * count], left[2 * count :]
        points = tuple(zip(flat[::2], flat[1::2], strict=True))
        if points != STRAIGHT:
            _curve_kernel(planes.reshape(-1) if n == 0 else planes[n - 1], _table(points))
