"""A flash of light."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.generated import GeneratedBase, Seed
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.timing.noise import noise
from velvet_seam.core.words import Colour, colour_to_rgb


class FlashSource(GeneratedBase):
    """Light over the whole picture by time alone. It is brightest exactly at its ``at``, so that it can be laid on a
    cut or a mark; a strobe repeats it; lightning flares up once or twice more before it dies."""

    label: ClassVar[str] = "Flash"
    says: ClassVar[str] = "A flash, a strobe, lightning: brightest where you say"
    find: ClassVar[str] = "flash flare strobe lightning light film burn white"

    kind: Literal["flash"] = "flash"
    what: Literal["flash", "strobe", "lightning"] = "flash"
    colour: Colour = "#fff6e6"
    at: Annotated[
        Animated,
        Bounds(0, 3600, "s", "Brightest at", "Seconds after the layer begins", step=0.04, shown=(0, 10), find="peak"),
    ] = 0.4  # fmt: skip
    rise: Annotated[
        Animated,
        Bounds(0, 60, "s", "Comes in", "How long it takes to come", step=0.02, shown=(0, 2)),
    ] = 0.08
    fall: Annotated[
        Animated,
        Bounds(0.02, 60, "s", "Goes in", "How long it takes to go", step=0.02, shown=(0.02, 3)),
    ] = 0.5
    strength: Annotated[
        Animated, Bounds(0, 100, "%", "Strength", "How much it covers at its brightest")
    ] = 100.0
    every: Annotated[
        Animated, Bounds(0.04, 60, "s", "Every", "A strobe: how long from flash to flash", step=0.02, shown=(0.04, 2))
    ] = 0.25  # fmt: skip
    seed: Seed = 1.0

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        at = asked.at
        away = asked.seconds - at(self.at)
        if self.what == "strobe":
            every = at(self.every)
            away = (away + every / 2) % every - every / 2
        level = _level(away, at(self.rise), at(self.fall))
        if self.what == "lightning":
            for n in range(3):
                seed = at.whole(self.seed)
                later = (0.25 + 0.6 * abs(noise(seed, 40, n))) * at(self.fall) * (n + 1)
                level = max(
                    level,
                    0.75
                    * abs(noise(seed, 41, n))
                    * _level(away - later, 0.02, 0.4 * at(self.fall)),
                )
        rgb = colour_to_rgb(self.colour)
        return step("flash", _lit, (rgb, round(255 * level * at.part(self.strength)), asked.sheet))


def _level(away: float, rise: float, fall: float) -> float:
    """How bright it is so many seconds from its brightest.

    >>> [round(_level(away, 0.1, 0.5), 2) for away in (-0.2, -0.05, 0, 0.25, 0.6)]
    [0.0, 0.5, 1.0, 0.25, 0.0]
    """
    if away < 0:
        return max(0.0, 1 + away / rise) if rise > 0 else 0.0
    left = max(0.0, 1 - away / fall)
    return left * left


def _lit(rgb: tuple[int, int, int], alpha: int, size: tuple[int, int]) -> Picture:
    """One row, seen again for every row."""
    row = np.empty((1, size[0], 4), np.uint8)
    row[...] = (*((c * alpha + 127) // 255 for c in rgb), alpha)
    return np.broadcast_to(row, (size[1], size[0], 4))
