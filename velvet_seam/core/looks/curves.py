"""Curves of brightness, drawn: one for all channels, then one for each."""

from __future__ import annotations

from functools import lru_cache
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.looks.base import Planes, Stage, Tone
from velvet_seam.core.looks.curve_points import (
    STRAIGHT,
    AnyCurve,
    CurveKeys,
    Points,
    curve_at,
    drawn,
    slopes_of,
)
from velvet_seam.core.timing.at import At

STEPS = 1024
"""A curve is looked up in so many straight pieces."""


class Curves(Tone):
    """A smooth curve through points, which never swings beyond the two points it runs between (F. Fritsch and
    R. Carlson, 1980). The one for all channels acts first."""

    label: ClassVar[str] = "Curves"
    says: ClassVar[str] = "Brightness and each channel, along a curve you draw"
    find: ClassVar[str] = "curve contrast levels red green blue gamma"

    kind: Literal["curves"] = "curves"
    master: AnyCurve = STRAIGHT
    red: AnyCurve = STRAIGHT
    green: AnyCurve = STRAIGHT
    blue: AnyCurve = STRAIGHT

    def moves(self) -> bool:
        each = (self.master, self.red, self.green, self.blue)
        return super().moves() or any(isinstance(one, CurveKeys) for one in each)

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        every = [curve_at(one, at.frame) for one in (self.master, self.red, self.green, self.blue)]
        if all(one == STRAIGHT for one in every):
            return ()
        numbers = [
            part for one in every for part in (float(len(one)), *(v for p in one for v in p))
        ]
        return (Stage(_curved, tuple(numbers), channelwise=True),)


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
