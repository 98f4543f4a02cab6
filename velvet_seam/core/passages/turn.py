"""Turning in."""

from __future__ import annotations

from dataclasses import replace

from velvet_seam.core.passages.base import Ground, Spot, Way

QUARTER = 90.0


class Turn(Way):
    """It turns by a quarter while it fades; it goes on turning the same way when it goes."""

    def __init__(self) -> None:
        super().__init__("turn", "turns", "spin rotate")

    def at(self, spot: Spot, here: float, coming: bool, ground: Ground) -> Spot:
        short = QUARTER * (1 - here)
        rotation = spot.rotation - short if coming else spot.rotation + short
        return replace(spot, rotation=rotation, opacity=spot.opacity * here)
