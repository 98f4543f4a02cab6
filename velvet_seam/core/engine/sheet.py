"""The sheet: how much of the canvas pictures show, and how large they are made."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cache

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.shot.shot import Shot

Window = tuple[int, int, int, int]
"""Left, top, width and height."""


@dataclass(frozen=True)
class Sheet:
    """A window on the canvas, and a matrix from canvas pixels to its own: what pictures are made on.

    ``whole`` is the width and height that all of the canvas has in pixels of the sheet, ``window`` the part of it
    that is made.
    """

    canvas: tuple[int, int]
    whole: tuple[int, int]
    window: Window

    @classmethod
    def of(cls, shot: Shot, short_side: int | None = None) -> Sheet:
        """The sheet of a shot at canvas size, or reduced to a short side.

        >>> from velvet_seam.core.shot.shot import Canvas
        >>> canvas = Canvas(width=1080, height=1920)
        >>> Sheet.of(Shot(name="s", canvas=canvas, rate="25", length=1), 540).size
        (540, 960)
        """
        width, height = shot.canvas.width, shot.canvas.height
        factor = min(1.0, short_side / min(width, height)) if short_side else 1.0
        return cls.all(
            (width, height), (max(1, round(width * factor)), max(1, round(height * factor)))
        )

    @classmethod
    def all(cls, canvas: tuple[int, int], size: tuple[int, int]) -> Sheet:
        """All of a canvas, in a size."""
        return cls(canvas, size, (0, 0, *size))

    def part(self, window: Window) -> Sheet:
        """As much of a window as lies on the canvas, at least a pixel.

        >>> Sheet.all((1080, 1920), (540, 960)).part((500, -20, 100, 100)).window
        (500, 0, 40, 80)
        """
        left, right = (min(max(at, 0), self.whole[0]) for at in (window[0], window[0] + window[2]))
        top, bottom = (min(max(at, 0), self.whole[1]) for at in (window[1], window[1] + window[3]))
        left, top = min(left, self.whole[0] - 1), min(top, self.whole[1] - 1)
        return replace(self, window=(left, top, max(1, right - left), max(1, bottom - top)))

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the pictures that are made."""
        return self.window[2], self.window[3]

    def matrix(self) -> NDArray[np.float64]:
        """3 × 3, from canvas pixels to pixels of the window."""
        return _to_window(self)

    def back(self) -> tuple[tuple[float, ...], ...]:
        """3 × 3, from pixels of the window to canvas pixels."""
        across, down = self.canvas[0] / self.whole[0], self.canvas[1] / self.whole[1]
        left, top = self.window[:2]
        return (across, 0.0, left * across), (0.0, down, top * down), (0.0, 0.0, 1.0)


@cache
def _to_window(sheet: Sheet) -> NDArray[np.float64]:
    matrix = np.diag([sheet.whole[0] / sheet.canvas[0], sheet.whole[1] / sheet.canvas[1], 1.0])
    matrix[:2, 2] = -sheet.window[0], -sheet.window[1]
    matrix.flags.writeable = False
    return matrix
