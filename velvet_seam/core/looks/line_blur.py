"""Blur along a line."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from velvet_seam.core.looks.base import Area, Ground, Work
from velvet_seam.core.picture.along import along
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class LineBlur(Area):
    """Every pixel the mean of those along a line through it: speed, streaks, a smear."""

    label: ClassVar[str] = "Blur along a line"
    says: ClassVar[str] = "A smear in one direction, as of speed"
    find: ClassVar[str] = "directional motion speed streak smear"

    kind: Literal["line-blur"] = "line-blur"
    length: Annotated[
        Animated,
        Bounds(0, 4000, "px", "Length", "Of the line, in pixels of the canvas", shown=(0, 300), of="canvas"),
    ] = 60.0  # fmt: skip
    angle: Annotated[
        Animated,
        Bounds(
            -3600,
            3600,
            "°",
            "Angle",
            "Of the line on the layer, clockwise from level",
            shown=(-90, 90),
        ),
    ] = 0.0

    def work(self, at: At, ground: Ground) -> Work | None:
        length = at(self.length) * ground.per
        if length <= 1:
            return None
        return Work(_smeared, (length, at(self.angle)))

    def reach(self, at: At) -> float:
        return at(self.length) / 2 + 2


def _smeared(length: float, degrees: float, picture: Picture) -> Picture:
    return along(picture, length, degrees)
