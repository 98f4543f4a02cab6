"""At once."""

from __future__ import annotations

from velvet_seam.core.passages.base import Ground, Spot, Way


class Cut(Way):
    """It is there from its first frame to its last."""

    def __init__(self) -> None:
        super().__init__("cut", "at once")

    def at(self, spot: Spot, here: float, coming: bool, ground: Ground) -> Spot:
        return spot
