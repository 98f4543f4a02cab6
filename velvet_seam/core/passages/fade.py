"""More and more."""

from __future__ import annotations

from dataclasses import replace

from velvet_seam.core.passages.base import Ground, Spot, Way


class Fade(Way):
    """Its opacity rises."""

    def __init__(self) -> None:
        super().__init__("fade", "fades", "dissolve")

    def at(self, spot: Spot, here: float, coming: bool, ground: Ground) -> Spot:
        return replace(spot, opacity=spot.opacity * here)
