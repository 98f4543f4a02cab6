"""From a point."""

from __future__ import annotations

from dataclasses import replace

from velvet_seam.core.passages.base import Ground, Spot, Way


class Grow(Way):
    """It grows about its middle."""

    def __init__(self) -> None:
        super().__init__("grow", "grows", "zoom pop")

    def at(self, spot: Spot, here: float, coming: bool, ground: Ground) -> Spot:
        return replace(spot, scale=spot.scale * max(here, 0.0))
