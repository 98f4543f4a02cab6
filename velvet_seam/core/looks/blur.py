"""Blur."""

from __future__ import annotations

from math import ceil
from typing import Annotated, ClassVar, Literal

from velvet_seam.core.looks.base import Area, Ground, Work
from velvet_seam.core.picture.gaussian import blurred
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds

SPREAD = 3.0
"""Deviations of a Gaussian within which nearly all of it lies."""


class Blur(Area):
    """A Gaussian of any width."""

    label: ClassVar[str] = "Blur"
    says: ClassVar[str] = "Soft all over, by any width"
    find: ClassVar[str] = "gaussian soft out of focus background"

    kind: Literal["blur"] = "blur"
    radius: Annotated[
        Animated,
        Bounds(0, 5000, "px", "Radius", "How far light spreads, in pixels of the canvas; most of it lies within twice that",
               step=0.5, shown=(0, 80), of="canvas", find="soft gaussian"),
    ] = 12.0  # fmt: skip
    edges: Literal["goes on", "clear"] = "goes on"
    """Beyond its frame the picture goes on as it ends there, or is clear, so that the frame grows soft."""

    def work(self, at: At, ground: Ground) -> Work | None:
        sigma = at(self.radius) * ground.per / 2
        if sigma <= 0.2:
            return None
        clear = self.edges == "clear"
        return Work(_blurred, (sigma, not clear), ceil(SPREAD * sigma) if clear else 0)

    def reach(self, at: At) -> float:
        return SPREAD * at(self.radius) / 2


def _blurred(sigma: float, extend: bool, picture: Picture) -> Picture:
    return blurred(picture, sigma, extend)
