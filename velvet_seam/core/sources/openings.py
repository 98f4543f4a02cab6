"""Where the windows of a frame lie."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil
from typing import Literal

Layout = Literal["columns", "rows", "grid", "large and small"]


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


def openings(
    layout: Layout, count: int, canvas: tuple[int, int], gap: float, margin: float
) -> list[Opening]:
    """The windows of a frame, from the top left to the bottom right.

    >>> openings("columns", 2, (100, 60), 10, 5)
    [Opening(left=5, top=5, width=40.0, height=50), Opening(left=55.0, top=5, width=40.0, height=50)]
    >>> [round(one.width) for one in openings("large and small", 3, (300, 90), 0, 0)]
    [200, 100, 100]
    """
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
