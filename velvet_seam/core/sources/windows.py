"""A frame with windows."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.picture.filled import filled
from velvet_seam.core.picture.outline import cover_outline
from velvet_seam.core.picture.shape import BOX, Soft, cover
from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.generated import GeneratedBase
from velvet_seam.core.sources.openings import Corners, Layout, Opening, openings, slanted
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb


class WindowsSource(GeneratedBase):
    """A frame in one colour with windows: a split screen. Layers below are put into its windows."""

    label: ClassVar[str] = "Windows"
    says: ClassVar[str] = "A frame with windows: put layers into them"
    find: ClassVar[str] = (
        "split screen frame collage grid columns rows panels side by side picture in picture pip"
    )

    kind: Literal["windows"] = "windows"
    layout: Layout = "columns"
    colour: Colour = "#120d1e"
    count: Annotated[
        Animated, Bounds(1, 16, "", "Windows", "How many there are", find="split screen")
    ] = 3.0
    gap: Annotated[Animated, Bounds(0, 1000, "px", "Gap", "Between windows", shown=(0, 120))] = 18.0
    margin: Annotated[
        Animated, Bounds(0, 2000, "px", "Margin", "Around all of them", shown=(0, 200))
    ] = 18.0
    radius: Annotated[
        Animated, Bounds(0, 2000, "px", "Corners", "Radius of the windows' corners", shown=(0, 200))
    ] = 0.0

    slant: Annotated[
        Animated,
        Bounds(-60, 60, "°", "Slant", "How far the bars between columns or rows lean; corners are sharp then",
               shown=(-30, 30), find="diagonal lean"),
    ] = 0.0  # fmt: skip

    @property
    def masks_cut(self) -> bool:
        return self.layout == "drawn"

    def corners(self, asked_at: float, canvas: tuple[int, int]) -> list[Corners]:
        """The corners of its windows at a frame of its layer."""
        at = At(asked_at)
        found = self.openings(asked_at, canvas)
        return slanted(self.layout, found, canvas, at(self.slant), at(self.margin))

    def openings(self, asked_at: float, canvas: tuple[int, int]) -> list[Opening]:
        """Its windows at a frame of its layer."""
        at = At(asked_at)
        return openings(self.layout, at.whole(self.count), canvas, at(self.gap), at(self.margin))

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        if asked.at(self.slant) and self.layout in ("columns", "rows"):
            leaning = tuple(self.corners(asked.at.frame, asked.canvas))
            colour = colour_to_rgb(self.colour)
            return step("windows", _leaning, (asked.sheet, asked.per, leaning, colour))
        found = self.openings(asked.at.frame, asked.canvas)
        where = tuple((one.left, one.top, one.width, one.height) for one in found)
        args = (asked.sheet, asked.per, where, asked.at(self.radius), colour_to_rgb(self.colour))
        return step("windows", _framed, args)


def _leaning(
    size: tuple[int, int], per: float, where: tuple[Corners, ...], rgb: tuple[int, int, int]
) -> Picture:
    left = np.full((size[1], size[0]), 255, np.uint8)
    for corners in where:
        line = np.array([(x * per, y * per, 0.0) for x, y in corners])
        left = np.minimum(left, 255 - cover_outline(size, line, 1 / per, Soft()))
    return filled(left, rgb)


def _framed(
    size: tuple[int, int], per: float, where: tuple[tuple[float, float, float, float], ...], radius: float,
    rgb: tuple[int, int, int],
) -> Picture:  # fmt: skip
    left = np.full((size[1], size[0]), 255, np.uint8)
    for x, y, wide, high in where:
        to_own = np.array([[1 / per, 0, -x - wide / 2], [0, 1 / per, -y - high / 2], [0, 0, 1]])
        opened = cover(size, BOX, to_own, (wide / 2, high / 2, radius), 1.0, Soft(pixel=1 / per))
        left = np.minimum(left, 255 - opened)
    return filled(left, rgb)
