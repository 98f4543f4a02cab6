"""The sheet: the size that pictures are made at."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.shot.shot import Shot


@dataclass(frozen=True)
class Sheet:
    """The size pictures are made at: the canvas, or the canvas reduced for the preview."""

    canvas_width: int
    canvas_height: int
    width: int
    height: int

    @classmethod
    def of(cls, shot: Shot, short_side: int | None = None) -> Sheet:
        """The sheet of a shot at canvas size, or reduced to a short side.

        >>> from velvet_seam.core.shot.shot import Canvas
        >>> canvas = Canvas(width=1080, height=1920)
        >>> Sheet.of(Shot(name="s", canvas=canvas, rate="25", length=1), 540)
        Sheet(canvas_width=1080, canvas_height=1920, width=540, height=960)
        """
        width, height = shot.canvas.width, shot.canvas.height
        factor = min(1.0, short_side / min(width, height)) if short_side else 1.0
        return cls(width, height, max(1, round(width * factor)), max(1, round(height * factor)))

    def matrix(self) -> NDArray[np.float64]:
        """From canvas pixels to pixels of the sheet."""
        return _to_sheet(self)


@cache
def _to_sheet(sheet: Sheet) -> NDArray[np.float64]:
    matrix = np.diag([sheet.width / sheet.canvas_width, sheet.height / sheet.canvas_height, 1.0])
    matrix.flags.writeable = False
    return matrix
