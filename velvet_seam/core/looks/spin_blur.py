"""Blur round a point."""

from __future__ import annotations

from math import radians, sin
from typing import Annotated, ClassVar, Literal

from velvet_seam.core.looks.base import Area, Ground, Work
from velvet_seam.core.picture.polar import spun
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds

FARTHEST = 4700.0
"""Canvas pixels from a point to what is turned or moved about it: over the largest canvas from its corner, nearly."""

ACROSS = Bounds(-100, 200, "%", "Across", "Where the point lies: 0 % at the left edge of the layer, 100 % at its right one", shown=(0, 100))  # fmt: skip
DOWN = Bounds(-100, 200, "%", "Down", "Where the point lies: 0 % at the upper edge of the layer, 100 % at its lower one", shown=(0, 100))  # fmt: skip


def point(at: At, x: Animated, y: Animated, ground: Ground) -> tuple[float, float]:
    """The point in pixels of the array, from the middle of its first one."""
    width, height = ground.size
    return at.part(x) * width - 0.5 - ground.left, at.part(y) * height - 0.5 - ground.top


class SpinBlur(Area):
    """Every pixel the mean over an arc through it round a point: a wheel, a whirl, a head that swims."""

    label: ClassVar[str] = "Blur round a point"
    says: ClassVar[str] = "As if the picture turned while it was taken"
    find: ClassVar[str] = "spin radial rotation whirl dizzy wheel"

    kind: Literal["spin-blur"] = "spin-blur"
    angle: Annotated[
        Animated, Bounds(0, 360, "°", "Angle", "Over how much of a turn", shown=(0, 60))
    ] = 12.0
    x: Annotated[Animated, ACROSS] = 50.0
    y: Annotated[Animated, DOWN] = 50.0

    def work(self, at: At, ground: Ground) -> Work | None:
        angle = at(self.angle)
        if angle < 0.02:
            return None
        return Work(_spun, (angle, point(at, self.x, self.y, ground)))

    def reach(self, at: At) -> float:
        return FARTHEST * 2 * sin(radians(min(at(self.angle), 360.0)) / 4)


def _spun(degrees: float, middle: tuple[float, float], picture: Picture) -> Picture:
    return spun(picture, degrees, middle)
