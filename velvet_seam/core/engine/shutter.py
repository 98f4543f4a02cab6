"""Motion blur: at which moments of a frame a layer is placed, and what fills the gaps between them.

What moves over some pixels while a frame is lit is placed at as many moments as that needs. What moves far would stand
there several times, like the teeth of a comb. So the mean of those places is laid over itself, a little further on, then
over itself again, twice as far on, until the gaps are filled: each time costs one placement, and halves them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from math import ceil, log2

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.placement import Matrix

LEAST, MOMENTS, MOST_MOMENTS = 4, 12, 48
"""Moments at which a layer that moves is placed: at least, and at most; the most where it does not move evenly."""

NEAR, GAP = 0.5, 1.5
"""Pixels of the sheet from one place to the next that do: where there are few, and between those of a comb, whose teeth are
weak."""

STILL = 0.25
"""What moves over less is not blurred."""

MOST_FILLS = 7
WIDEST = int(GAP * 2**MOST_FILLS)
"""Pixels from one place to the next that can be filled, and so much room is needed for around the sheet: what moves
farther is placed more often."""

PROBES = (-0.5, -0.25, 0.0, 0.25, 0.5)
"""Moments at which it is asked how far the layer has come."""

GRID = (0.0, 0.25, 0.5, 0.75, 1.0)
"""Parts of the canvas, across and down, at which that is asked."""

Points = NDArray[np.float64]


@dataclass(frozen=True)
class Lit:
    """A layer in the time that a frame is lit.

    Attributes:
        places: 3 × 3, from source pixels to those of the sheet with ``room`` around it.
        fills: 3 × 3, of that sheet: the mean of the places is laid over itself, moved so, one after the other.
        room: pixels around the sheet, out of which something may come.
    """

    places: tuple[Matrix, ...]
    fills: tuple[Matrix, ...] = ()
    room: int = 0


def lit(
    at: Callable[[float], Matrix], size: tuple[int, int], canvas: tuple[int, int], sheet: Matrix
) -> Lit:
    """What a shutter sees of a layer.

    Args:
        at: 3 × 3, from source pixels to the sheet, at a moment of the time that the frame is lit, −0.5 to 0.5.
        size: of the source.
        canvas: its size; how far what lies on it moves decides, whichever part of it the sheet shows.
        sheet: 3 × 3, from canvas pixels to those of the sheet.

    >>> def slides(moment): return np.array([[1, 0, 120 * moment], [0, 1, 0], [0, 0, 1.0]])
    >>> seen = lit(slides, (100, 100), (200, 200), np.eye(3))
    >>> len(seen.places), [float(one[0, 2]) for one in seen.fills]
    (12, [1.25, 2.5, 5.0])
    """
    far, uneven = _travelled([at(moment) for moment in PROBES], size, canvas, sheet)
    if far < STILL:
        return Lit((at(0.0),))
    # what fills a gap is the same for all of them: where they are not alike, they have to be small
    most = max(MOMENTS, ceil(2 * uneven / GAP), ceil(far / WIDEST))
    count = min(MOST_MOMENTS, most, max(LEAST, ceil(far / NEAR)))
    gap = far / count
    halved = min(MOST_FILLS, ceil(log2(gap / GAP))) if gap > GAP else 0
    step = 1 / count / 2**halved
    first = (step - 1) / 2  # so that all of them together lie about the middle
    places = [at(first + n / count) for n in range(count)]
    fills = [_change(at, step * 2**n) for n in range(halved)]
    if any(fill is None for fill in fills):
        return Lit(tuple(places))
    room = min(ceil(gap), WIDEST) + 2 if fills else 0
    out, back = _shift(room), _shift(-room)
    return Lit(
        tuple(out @ one for one in places),
        tuple(np.asarray(out @ one @ back) for one in fills if one is not None),
        room,
    )


def _change(at: Callable[[float], Matrix], time: float) -> Matrix | None:
    """How the sheet moves with a layer in some of the time, about its middle."""
    before, after = at(-time / 2), at(time / 2)
    if not before.any() or abs(np.linalg.det(before)) < 1e-12:
        return None
    change: Matrix = after @ np.linalg.inv(before)
    return change / change[2, 2] if abs(change[2, 2]) > 1e-9 else None


def _travelled(
    matrices: list[Matrix], size: tuple[int, int], canvas: tuple[int, int], sheet: Matrix
) -> tuple[float, float]:
    """Pixels of the sheet over which what is seen of a layer moves at most, and by how much it would move farther if it
    went on all along as it does where it is quickest."""
    middle = matrices[len(matrices) // 2]
    if any(not one.any() or abs(np.linalg.det(one)) < 1e-12 for one in matrices):
        return (0.0, 0.0) if not any(one.any() for one in matrices) else (MOMENTS * GAP, 0.0)
    across, down = (side.ravel() for side in np.meshgrid(GRID, GRID))
    there = _mapped(sheet, np.stack([across * canvas[0], down * canvas[1]], 1))
    # of the layer that which is seen at the grid's points, or lies nearest to them
    own = np.clip(_mapped(np.asarray(np.linalg.inv(middle), np.float64), there), 0, size)
    seen = [_mapped(one, own) for one in matrices]
    far = np.sum([np.hypot(*(b - a).T) for a, b in pairwise(seen)], axis=0)
    # a turn and a zoom are even, though points move otherwise at each moment: what counts is how the sheet moves
    moves = np.array(
        [
            _mapped(np.asarray(b @ np.linalg.inv(a), np.float64), seen[len(seen) // 2])
            for a, b in pairwise(matrices)
        ]
    )
    apart = np.hypot(*np.moveaxis(moves - moves.mean(0), -1, 0)).max(0) * (len(PROBES) - 1)
    return float(far.max()), float(apart.max())


def _mapped(matrix: Matrix, points: Points) -> Points:
    made = np.column_stack([points, np.ones(len(points))]) @ matrix.T
    return np.asarray(made[:, :2] / np.where(np.abs(made[:, 2:]) < 1e-9, 1e-9, made[:, 2:]))


def _shift(by: int) -> Matrix:
    return np.array([[1.0, 0, by], [0, 1.0, by], [0, 0, 1.0]])
