"""Blur away from a point."""

from __future__ import annotations

from math import sqrt
from typing import Annotated, ClassVar, Literal

from velvet_seam.core.looks.base import Area, Ground, Work
from velvet_seam.core.looks.spin_blur import ACROSS, DOWN, FARTHEST, point
from velvet_seam.core.picture.polar import zoomed
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class ZoomBlur(Area):
    """Every pixel the mean along the ray through it from a point: a rush towards it, a burst of light."""

    label: ClassVar[str] = "Blur away from a point"
    says: ClassVar[str] = "As if the picture grew while it was taken"
    find: ClassVar[str] = "zoom radial burst rush crash warp"

    kind: Literal["zoom-blur"] = "zoom-blur"
    amount: Annotated[
        Animated, Bounds(0, 400, "%", "Growth", "By how much it grows meanwhile", shown=(0, 100))
    ] = 20.0
    x: Annotated[Animated, ACROSS] = 50.0
    y: Annotated[Animated, DOWN] = 50.0

    def work(self, at: At, ground: Ground) -> Work | None:
        amount = at(self.amount)
        if amount < 0.05:
            return None
        return Work(_zoomed, (amount, point(at, self.x, self.y, ground)))

    def reach(self, at: At) -> float:
        return FARTHEST * (sqrt(1 + at(self.amount) / 100) - 1)


def _zoomed(percent: float, middle: tuple[float, float], picture: Picture) -> Picture:
    return zoomed(picture, percent, middle)
