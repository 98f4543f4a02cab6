"""Outer glow."""

from __future__ import annotations

from math import ceil
from typing import Annotated, ClassVar

import cv2
import numpy as np

from velvet_seam.core.around.base import AroundBase, Drawn, coverage, fainter, painted
from velvet_seam.core.picture.gaussian import blurred
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb


class OuterGlow(AroundBase):
    """The layer's shape, blurred, as light around it: screened onto what lies behind."""

    label: ClassVar[str] = "Outer glow"
    says: ClassVar[str] = "Light around its shape"
    find: ClassVar[str] = "halo aura shine neon"

    radius: Annotated[
        Animated,
        Bounds(0, 1000, "px", "Radius", "How far it shines", shown=(0, 150), of="canvas", find="glow halo"),
    ] = 40.0  # fmt: skip
    strength: Annotated[
        Animated, Bounds(0, 400, "%", "Strength", "How bright it is; above 100 % it is full near the edge", shown=(0, 300))
    ] = 130.0  # fmt: skip
    colour: Colour = "#ffcf7a"

    def drawn(self, at: At, per: float) -> Drawn | None:
        if at(self.radius) <= 0 or at(self.strength) <= 0:
            return None
        args = (at(self.radius) * per / 2, at.part(self.strength), colour_to_rgb(self.colour))
        return Drawn(_shining, args, blend="screen")

    def reach(self, at: At) -> float:
        return 1.5 * at(self.radius) + 2


def _shining(
    sigma: float, strength: float, rgb: tuple[int, int, int], patch: Patch | None
) -> Patch | None:
    if patch is None:
        return None
    around = ceil(3 * sigma) + 1
    soft = blurred(coverage(patch, around), sigma, extend=False)
    table = np.minimum(np.arange(256) * max(strength, 1.0), 255).round().astype(np.uint8)
    soft = fainter(np.asarray(cv2.LUT(soft, table), np.uint8), min(strength, 1.0))
    return painted(patch.left - around, patch.top - around, soft, rgb)
