"""Scan lines."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.generated import GeneratedBase
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb


class ScanLinesSource(GeneratedBase):
    """The dark lines of a tube: rows of one colour, each covered as much as it truly is, so that a smaller picture
    has no other pattern."""

    label: ClassVar[str] = "Scan lines"
    says: ClassVar[str] = "The lines of an old screen"
    find: ClassVar[str] = "scan lines tube television monitor interlace vhs crt"

    kind: Literal["scan-lines"] = "scan-lines"
    colour: Colour = "#000000"
    every: Annotated[
        Animated, Bounds(2, 400, "px", "Every", "From line to line", step=0.5, shown=(2, 60))
    ] = 9.0
    share: Annotated[
        Animated, Bounds(0, 100, "%", "Width", "Of a line, of the way to the next")
    ] = 45.0
    strength: Annotated[Animated, Bounds(0, 100, "%", "Strength", "How much a line covers")] = 45.0
    drift: Annotated[
        Animated, Bounds(-4000, 4000, "px/s", "Drift", "How quickly they move down", shown=(-200, 200))
    ] = 0.0  # fmt: skip

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        at, per = asked.at, asked.per
        moved = (at.mean(self.drift, asked.age) * asked.seconds) % at(self.every) * per
        laid = at(self.every) * per, at.part(self.share), moved, at.part(self.strength)
        args = (asked.sheet, laid, colour_to_rgb(self.colour))
        return step("scan lines", _ruled, args, lasting=not moved)


def _ruled(
    size: tuple[int, int], laid: tuple[float, float, float, float], rgb: tuple[int, int, int]
) -> Picture:
    """One column, seen again for every column: what a line covers of a row is the difference of what all lines
    above its lower and its upper edge cover."""
    every, share, moved, strength = laid
    edges = (np.arange(size[1] + 1) - moved) / every
    above = np.floor(edges) * share + np.minimum(edges - np.floor(edges), share)
    cover = np.diff(above) * every * strength
    column = np.rint(cover[:, None] * np.array([*rgb, 255])).astype(np.uint8)
    return np.broadcast_to(column[:, None], (size[1], size[0], 4))
