"""Bars above and below, or at the sides."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.picture.filled import filled
from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.generated import GeneratedBase
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb


class BarsSource(GeneratedBase):
    """What does not fit a ratio of width to height is covered: above and below, or at the sides."""

    label: ClassVar[str] = "Bars"
    says: ClassVar[str] = "Bars above and below, for any ratio"
    find: ClassVar[str] = "letterbox cinema wide ratio black bars frame"

    kind: Literal["bars"] = "bars"
    colour: Colour = "#000000"
    ratio: Annotated[
        Animated,
        Bounds(0.1, 10, ": 1", "Ratio", "Width to height of what stays open", step=0.01, shown=(0.4, 3), find="letterbox aspect"),
    ] = 1.0  # fmt: skip
    open: Annotated[
        Animated,
        Bounds(
            0, 100, "%", "Open", "0 % is closed, 100 % as the ratio says: keyed, an eye that opens"
        ),
    ] = 100.0

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        at = asked.at
        args = (asked.sheet, at(self.ratio), at.part(self.open), colour_to_rgb(self.colour))
        return step("bars", _barred, args)


def _barred(
    size: tuple[int, int], ratio: float, opened: float, rgb: tuple[int, int, int]
) -> Picture:
    width, height = size
    wide, high = min(width, height * ratio), min(height, width / ratio)
    if high < height:
        high *= opened
    else:
        wide *= opened
    across, down = (
        np.clip(half + 0.5 - np.abs(np.arange(length) + 0.5 - length / 2), 0, 1)
        for half, length in ((wide / 2, width), (high / 2, height))
    )
    across = np.minimum(across + (wide >= width), 1)
    down, like = np.unique(np.minimum(down + (high >= height), 1), return_inverse=True)
    rows = np.rint(255 * (1 - across * down[:, None])).astype(np.uint8)  # most are the same
    return filled(rows[like], rgb)
