"""Where the windows of a frame lie."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, radians, tan
from typing import Literal

Layout = Literal["columns", "rows", "grid", "large and small", "drawn"]
"""``drawn``: the windows are masks of the frame's layer, which take out what lies inside."""


@dataclass(frozen=True)
class Opening:
    """A window, canvas pixels."""

    left: float
    top: float
    width: float
    height: float

    @property
    def middle(self) -> tuple[float, float]:
        return self.left + self.width / 2, self.top + self.height / 2


Corners = tuple[tuple[float, float], ...]
"""Of a window, clockwise from the top left, canvas pixels."""


def corners_of(window: Opening) -> Corners:
    right, bottom = window.left + window.width, window.top + window.height
    return (window.left, window.top), (right, window.top), (right, bottom), (window.left, bottom)


def box_of(corners: Corners) -> Opening:
    """The upright box around some corners."""
    x, y = [one[0] for one in corners], [one[1] for one in corners]
    return Opening(min(x), min(y), max(x) - min(x), max(y) - min(y))


def slanted(
    layout: Layout, found: list[Opening], canvas: tuple[int, int], slant: float, margin: float
) -> list[Corners]:
    """The corners of windows whose bars lean by so many degrees: between columns to the right as they fall, between rows
    downwards to the right. What lies along the margin stays upright; frames of other layouts stay as they are.

    >>> two = openings("columns", 2, (100, 60), 0, 0)
    >>> [[round(x) for x, _ in one] for one in slanted("columns", two, (100, 60), 45, 0)]
    [[0, 20, 80, 0], [20, 100, 100, 80]]
    """
    if not slant or layout not in ("columns", "rows") or len(found) < 2:
        return [corners_of(one) for one in found]
    lean = tan(radians(slant))
    ends = (margin, canvas[0] - margin) if layout == "columns" else (margin, canvas[1] - margin)
    middle = canvas[1] / 2 if layout == "columns" else canvas[0] / 2
    made: list[Corners] = []
    for n, window in enumerate(found):
        if layout == "columns":
            sides = (window.left, window.left + window.width)
            along = (window.top, window.top + window.height)
        else:
            sides = (window.top, window.top + window.height)
            along = (window.left, window.left + window.width)

        def leant(side: int, at: float, n: int = n, sides: tuple[float, float] = sides) -> float:
            outer = (n == 0 and side == 0) or (n == len(found) - 1 and side == 1)
            moved = sides[side] if outer else sides[side] + lean * (at - middle)
            return min(max(moved, ends[0]), ends[1])

        first, last = along
        if layout == "columns":
            made.append(
                ((leant(0, first), first), (leant(1, first), first), (leant(1, last), last), (leant(0, last), last))
            )  # fmt: skip
        else:
            made.append(
                ((first, leant(0, first)), (last, leant(0, last)), (last, leant(1, last)), (first, leant(1, first)))
            )  # fmt: skip
    return made


def openings(
    layout: Layout, count: int, canvas: tuple[int, int], gap: float, margin: float
) -> list[Opening]:
    """The windows of a frame, from the top left to the bottom right.

    >>> openings("columns", 2, (100, 60), 10, 5)
    [Opening(left=5, top=5, width=40.0, height=50), Opening(left=55.0, top=5, width=40.0, height=50)]
    >>> [round(one.width) for one in openings("large and small", 3, (300, 90), 0, 0)]
    [200, 100, 100]
    """
    if layout == "drawn":
        return []
    width, height = canvas[0] - 2 * margin, canvas[1] - 2 * margin
    whole = Opening(margin, margin, max(width, 1), max(height, 1))
    if layout == "columns":
        return _cells(whole, 1, [count], gap)
    if layout == "rows":
        return _cells(whole, count, [1] * count, gap)
    if layout == "grid":
        rows = max(1, round((count * height / max(width, 1)) ** 0.5))
        across = ceil(count / rows)
        rows = ceil(count / across)
        each = [across] * (count // across) + ([count % across] if count % across else [])
        return _cells(whole, rows, each, gap)
    return _large(whole, count, gap)


def _cells(whole: Opening, rows: int, each: list[int], gap: float) -> list[Opening]:
    """Rows of equal height, each of so many windows of equal width."""
    high = (whole.height - gap * (rows - 1)) / rows
    found = []
    for row, across in enumerate(each):
        wide = (whole.width - gap * (across - 1)) / across
        top = whole.top + row * (high + gap) if rows > 1 else whole.top
        tall = max(high, 1) if rows > 1 else whole.height
        found += [
            Opening(whole.left + n * (wide + gap) if n else whole.left, top, max(wide, 1), tall)
            for n in range(across)
        ]
    return found


def _large(whole: Opening, count: int, gap: float) -> list[Opening]:
    """One of two thirds, along the longer side of the canvas, and the others beside it."""
    if count < 2:
        return [whole]
    if whole.width >= whole.height:
        wide = (whole.width - gap) * 2 / 3
        rest = Opening(whole.left + wide + gap, whole.top, whole.width - wide - gap, whole.height)
        return [
            Opening(whole.left, whole.top, wide, whole.height),
            *_cells(rest, count - 1, [1] * (count - 1), gap),
        ]
    high = (whole.height - gap) * 2 / 3
    rest = Opening(whole.left, whole.top + high + gap, whole.width, whole.height - high - gap)
    return [Opening(whole.left, whole.top, whole.width, high), *_cells(rest, 1, [count - 1], gap)]
