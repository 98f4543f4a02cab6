"""Uncovered from a side."""

from __future__ import annotations

from dataclasses import replace

from velvet_seam.core.passages.base import Ground, Spot, Way
from velvet_seam.core.passages.slide import WORDS


class Wipe(Way):
    """It is uncovered where it lies, beginning at a side of its own."""

    def __init__(self, side: str) -> None:
        super().__init__(f"wipe-{side}", f"wiped, {WORDS[side]}", "reveal")
        self._side = side

    def at(self, spot: Spot, here: float, coming: bool, ground: Ground) -> Spot:
        return replace(spot, wipe=(self._side, here))
