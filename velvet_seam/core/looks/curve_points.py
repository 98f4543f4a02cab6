"""The points of a drawn curve: straight at first, smooth between, and keyed as a whole."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, Field

from velvet_seam.core.timing.ease import Ease
from velvet_seam.core.timing.whole_keys import around, in_order
from velvet_seam.core.words import Part

MOST_POINTS = 16
LEAST_APART = 1e-4

Level = Annotated[float, Field(ge=0, le=1)]
Points = tuple[tuple[Level, Level], ...]

STRAIGHT: Points = ((0.0, 0.0), (1.0, 1.0))


def _rising(points: Points) -> Points:
    if any(b[0] - a[0] < LEAST_APART for a, b in pairwise(points)):
        raise ValueError("the points of a curve lie one after the other, from dark to bright")
    return points


Curve = Annotated[Points, Field(min_length=2, max_length=MOST_POINTS), AfterValidator(_rising)]
"""Points from dark to bright: what a level, 0 to 1, becomes."""


class CurveKey(Part):
    """A whole curve at one frame, and how its points leave it towards the next."""

    frame: int = Field(ge=-1_000_000, le=1_000_000, description="counted from the layer's first")
    value: Curve
    ease: Ease = "linear"


class CurveKeys(Part):
    """Curves over time, in the order of their frames, no two on one frame."""

    keys: Annotated[
        tuple[CurveKey, ...], Field(min_length=1, max_length=10_000), AfterValidator(in_order)
    ]


AnyCurve = Curve | CurveKeys


def curve_at(curve: Points | CurveKeys, frame: float) -> Points:
    """The points of a curve at a frame counted from the layer's first: each moves to where it is next. Where two
    curves have not the same number of points, each is asked where the other has one, and those move.

    >>> keys = (CurveKey(frame=0, value=STRAIGHT), CurveKey(frame=4, value=((0.0, 0.4), (1.0, 1.0))))
    >>> curve_at(CurveKeys(keys=keys), 1)
    ((0.0, 0.1), (1.0, 1.0))
    """
    if not isinstance(curve, CurveKeys):
        return curve
    left, right, part = around(curve.keys, frame)
    if part == 0:
        return left.value
    one, other = left.value, right.value
    if len(one) != len(other):
        levels = _all_levels(one, other)
        one, other = (_asked(points, levels) for points in (one, other))
    # an ease may swing beyond its ends; a level does not
    return tuple(
        (min(max(a[0] + (b[0] - a[0]) * part, 0.0), 1.0), min(max(a[1] + (b[1] - a[1]) * part, 0.0), 1.0))
        for a, b in zip(one, other, strict=True)
    )  # fmt: skip


def _all_levels(one: Points, other: Points) -> list[float]:
    """Where either curve has a point; where that is more than a curve may have, so many of them."""
    levels: list[float] = []
    for x in sorted({*(p[0] for p in one), *(p[0] for p in other)}):
        if not levels or x - levels[-1] >= 1e-3:
            levels.append(x)
    if len(levels) > MOST_POINTS:
        step = (len(levels) - 1) / (MOST_POINTS - 1)
        levels = [levels[round(n * step)] for n in range(MOST_POINTS)]
    return levels


def _asked(points: Points, levels: list[float]) -> Points:
    made = drawn(points, np.array(levels))
    return tuple((x, float(y)) for x, y in zip(levels, made, strict=True))


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
