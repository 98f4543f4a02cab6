"""A table of colours from a file, looked up in floats: one curve for each channel, or a cube.

A cube is found in by the six tetrahedra of a cell (see :mod:`velvet_seam.core.picture.grade`). Beyond its domain the outermost
value holds.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from hashlib import blake2b

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel


@dataclass(frozen=True, eq=False)
class Cube:
    """``values``: (n, 3) float32 for curves; (n, n, n, 3) for a cube, red the last axis but one. ``low`` and ``high``: the
    domain, a number for each channel."""

    values: NDArray[np.float32]
    low: tuple[float, float, float] = (0.0, 0.0, 0.0)
    high: tuple[float, float, float] = (1.0, 1.0, 1.0)

    @property
    def curves(self) -> bool:
        return self.values.ndim == 2

    @property
    def side(self) -> int:
        return len(self.values)

    @cached_property
    def digest(self) -> str:
        return blake2b(
            self.values.tobytes() + repr((self.low, self.high)).encode(), digest_size=8
        ).hexdigest()

    def __repr__(self) -> str:
        return f"Cube({self.digest})"


@nb.njit(error_model="numpy", inline="always")
def _cell(v, low, per, last):
    x = min(max((v - low) * per, np.float32(0)), np.float32(last))
    n = min(np.int32(x), np.int32(last - 1))
    return n, x - np.float32(n)


@kernel()
def _looked_up(planes, values, low, per):
    side = values.shape[0]
    last = side - 1
    red, green, blue = planes[0], planes[1], planes[2]
    for k in range(red.size):
        r, fr = _cell(red[k], low[0], per[0], last)
        g, fg = _cell(green[k], low[1], per[1], last)
        b, fb = _cell(blue[k], low[2], per[2], last)
        # the three corners between the first and the last, by which part is the largest
        if fr >= fg:
            if fg >= fb:
                x1, y1, z1, x2, y2, z2, most, mid, least = 1, 0, 0, 1, 1, 0, fr, fg, fb
            elif fr >= fb:
                x1, y1, z1, x2, y2, z2, most, mid, least = 1, 0, 0, 1, 0, 1, fr, fb, fg
            else:
                x1, y1, z1, x2, y2, z2, most, mid, least = 0, 0, 1, 1, 0, 1, fb, fr, fg
        elif fb >= fg:
            x1, y1, z1, x2, y2, z2, most, mid, least = 0, 0, 1, 0, 1, 1, fb, fg, fr
        elif fb >= fr:
            x1, y1, z1, x2, y2, z2, most, mid, least = 0, 1, 0, 0, 1, 1, fg, fb, fr
        else:
            x1, y1, z1, x2, y2, z2, most, mid, least = 0, 1, 0, 1, 1, 0, fg, fr, fb
        one = np.float32(1)
        for c in range(3):
            v = (
                values[b, g, r, c] * (one - most)
                + values[b + z1, g + y1, r + x1, c] * (most - mid)
                + values[b + z2, g + y2, r + x2, c] * (mid - least)
                + values[b + 1, g + 1, r + 1, c] * least
            )
            if c == 0:
                red[k] = v
            elif c == 1:
                green[k] = v
            else:
                blue[k] = v


def through_cube(planes: NDArray[np.float32], cube: Cube) -> None:
    """Colours, (3, n) float32 display values, looked up where they are.

    >>> planes = np.array([[0.25], [0.5], [2.0]], np.float32)
    >>> through_cube(planes, Cube(np.array([[1, 0, 0], [0, 1, 1]], np.float32)))
    >>> planes.tolist()
    [[0.75], [0.5], [1.0]]
    """
    low = np.array(cube.low, np.float32)
    per = (np.float32(cube.side - 1) / (np.array(cube.high, np.float32) - low)).astype(np.float32)
    if not cube.curves:
        _looked_up(planes, cube.values, low, per)
        return
    at = np.arange(cube.side)
    for c, plane in enumerate(planes):
        plane[:] = np.interp((plane - low[c]) * per[c], at, cube.values[:, c])
