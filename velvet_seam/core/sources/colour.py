"""One flat colour."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from velvet_seam.core.sources.base import Asked, SourceBase
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.words import Colour, colour_to_rgb


class ColourSource(SourceBase):
    """One flat colour, as large as the canvas."""

    label: ClassVar[str] = "Colour"

    kind: Literal["colour"] = "colour"
    colour: Colour

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        return step("colour", filled, (colour_to_rgb(self.colour), asked.sheet))


def filled(rgb: tuple[int, int, int], size: tuple[int, int]) -> Picture:
    """One row, seen again for every row."""
    row = np.full((1, size[0], 4), (*rgb, 255), np.uint8)
    return np.broadcast_to(row, (size[1], size[0], 4))
