"""From outside a side."""

from __future__ import annotations

from dataclasses import replace
from math import cos, radians, sin

from velvet_seam.core.passages.base import Ground, Spot, Way

WORDS = {"left": "left", "right": "right", "up": "top", "down": "bottom"}


class Slide(Way):
    """It comes from just outside a side of the canvas."""

    def __init__(self, side: str) -> None:
        super().__init__(f"slide-{side}", f"slides, {WORDS[side]}", "push move")
        self._side = side

    def at(self, spot: Spot, here: float, coming: bool, ground: Ground) -> Spot:
        dx, dy = self._outside(spot, ground)
        return replace(spot, x=spot.x + dx * (1 - here), y=spot.y + dy * (1 - here))

    def _outside(self, spot: Spot, ground: Ground) -> tuple[float, float]:
        """How far a layer has to go to be just outside the side."""
        c, s = abs(cos(radians(spot.rotation))), abs(sin(radians(spot.rotation)))
        (width, height), canvas = ground.source, ground.canvas
        wide = (width * c + height * s) * spot.scale / 2
        high = (width * s + height * c) * spot.scale / 2
        return {
            "left": (-wide - spot.x, 0.0), "right": (canvas[0] + wide - spot.x, 0.0),
            "up": (0.0, -high - spot.y), "down": (0.0, canvas[1] + high - spot.y),
        }[self._side]  # fmt: skip
