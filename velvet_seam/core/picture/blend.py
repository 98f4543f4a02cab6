"""The formulas of all blends over planes, each in a loop of its own, so that each runs in vectors.

A kernel knows a blend by its number, its place in :data:`~velvet_seam.core.picture.blends.BLENDS`.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numba as nb

from velvet_seam.core.picture.blends import ATOP, BLENDS, NAMES, NORMAL, PLUS_LIGHTER, Blend

NUMBER = {name: number for number, name in enumerate(NAMES)}
"""Of every blend, by its name."""

NORMAL_NUMBER, ATOP_NUMBER, SUM_NUMBER = (
    NUMBER[blend.name] for blend in (NORMAL, ATOP, PLUS_LIGHTER)
)

BLACK_IDLE = tuple(number for number, blend in enumerate(BLENDS) if blend.black_idle)
"""Blends in which black changes nothing of what is wholly covered."""

CUTS = tuple(number for number, blend in enumerate(BLENDS) if blend.cuts)
"""Operators that cut what lies below."""

CUT_BY_COVERAGE = tuple(
    number for number, blend in enumerate(BLENDS) if blend.cuts in ("inside", "outside", "either")
)
"""Those of them that go by the layer's coverage; the others by its brightness."""

EVERYWHERE = tuple(
    number for number, blend in enumerate(BLENDS) if blend.cuts in ("inside", "bright")
)
"""Operators that change the picture also where their layer is not."""

EITHER = tuple(number for number, blend in enumerate(BLENDS) if blend.cuts == "either")
"""Operators that cut, and show the layer where nothing lies below."""


def _loop(blend: Blend) -> Any:
    """B over a run of pixels: flat float32, all R, then all G, then all B."""
    channel: Any = blend.channel
    whole: Any = blend.whole
    if channel is not None:

        @nb.njit(error_model="numpy")
        def each(mode, b, s, out):
            for f in range(out.size):
                out[f] = channel(b[f], s[f])

        return each

    @nb.njit(error_model="numpy")
    def planes(br, bg, bb, sr, sg, sb, r, g, b):
        for i in range(r.size):
            r[i], g[i], b[i] = whole(br[i], bg[i], bb[i], sr[i], sg[i], sb[i])

    @nb.njit(error_model="numpy")
    def colours(mode, b, s, out):
        p = out.size // 3
        planes(b[:p], b[p : 2 * p], b[2 * p :], s[:p], s[p : 2 * p], s[2 * p :], out[:p],
               out[p : 2 * p], out[2 * p :])  # fmt: skip

    return colours


def chosen(ways: list[tuple[int, Any]], fork: Callable[[int, Any, Any], Any]) -> Any:
    """One compiled function that asks a number which of many to call. They are asked in halves: one after the
    other, a call for each, would take longer than a short loop."""
    if len(ways) == 1:
        return ways[0][1]
    middle = len(ways) // 2
    return fork(ways[middle][0], chosen(ways[:middle], fork), chosen(ways[middle:], fork))


def _fork(number: int, below: Any, others: Any) -> Any:
    @nb.njit(error_model="numpy", inline="always")
    def blended(mode, b, s, out):
        if mode < number:
            below(mode, b, s, out)
        else:
            others(mode, b, s, out)

    return blended


blend_planes = chosen(
    [(n, _loop(one)) for n, one in enumerate(BLENDS) if (one.channel or one.whole) and one != NORMAL],
    _fork,
)  # fmt: skip
"""``(number, Cb, Cs, out)``: B(Cb, Cs) over a run of pixels, flat float32, all R, then all G, then all B."""
