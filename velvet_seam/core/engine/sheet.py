"""The sheet: how much of the canvas pictures show, and how large they are made."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cache
from math import sqrt

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.shot.shot import Shot

MOST_SPREAD = 4096

Window = tuple[int, int, int, int]
"""Left, top, width and height."""


@dataclass(frozen=True)
class Sheet:
    """A window on the canvas, and a matrix from canvas pixels to its own: what pictures are made on.

    ``whole`` is the width and height that all of the canvas has in pixels of the sheet, ``window`` the part of it
    that is made. A canvas that lies in another one has a ``view``: six numbers of the affine matrix from its pixels
    to those of the sheet, row by row; ``whole`` and ``window`` are then the outer one's.
    """

    canvas: tuple[int, int]
    whole: tuple[int, int]
    window: Window
    view: tuple[float, ...] | None = None

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

    def within(self, canvas: tuple[int, int], matrix: NDArray[np.float64]) -> Sheet:
        """The sheet as a canvas sees it that lies on it as an affine matrix says, from its pixels to the window's."""
        return Sheet(canvas, self.size, (0, 0, *self.size), tuple(matrix[:2].ravel().tolist()))

    @property
    def per(self) -> float:
        """Pixels of the sheet to one of the canvas."""
        if self.view is None:
            return self.whole[0] / self.canvas[0]
        a, b, _, d, e, _ = self.view
        return sqrt(abs(a * e - b * d))

    @property
    def spread(self) -> tuple[int, int]:
        """Width and height of a picture of all of the canvas, as large as it is seen, within reason."""
        if self.view is None:
            return self.whole
        per = min(self.per, MOST_SPREAD / max(self.canvas))
        return max(1, round(self.canvas[0] * per)), max(1, round(self.canvas[1] * per))

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the pictures that are made."""
        return self.window[2], self.window[3]

    def matrix(self) -> NDArray[np.float64]:
        """3 × 3, from canvas pixels to pixels of the window."""
        return _to_window(self)

    def back(self, camera: NDArray[np.float64] | None = None) -> tuple[tuple[float, ...], ...]:
        """3 × 3, from pixels of the window to canvas pixels; to those before a ``camera`` moved them."""
        if self.view is None and camera is None:
            across, down = self.canvas[0] / self.whole[0], self.canvas[1] / self.whole[1]
            left, top = self.window[:2]
            return (across, 0.0, left * across), (0.0, down, top * down), (0.0, 0.0, 1.0)
        matrix = self.matrix() if camera is None else self.matrix() @ camera
        return tuple(tuple(row) for row in np.linalg.inv(matrix).tolist())


@cache
def _to_window(sheet: Sheet) -> NDArray[np.float64]:
    if sheet.view is None:
        matrix = np.diag([sheet.whole[0] / sheet.canvas[0], sheet.whole[1] / sheet.canvas[1], 1.0])
    else:
        matrix = np.array([*sheet.view, 0.0, 0.0, 1.0]).reshape(3, 3)
    matrix[:2, 2] -= sheet.window[:2]
    matrix.flags.writeable = False
    return matrix
