"""Rays of light."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.picture.blends import BlendName
from velvet_seam.core.picture.burst import DIRECTIONS, burst
from velvet_seam.core.picture.filled import filling
from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.generated import GeneratedBase, Loop, Seed
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb

CORE = 0.02
"""How far the light itself glows, as part of the way to the farthest corner."""


class RaysSource(GeneratedBase):
    """Beams that fan out from a light and fade on their way. Each is brighter and darker at its own pace, as where
    leaves or dancers move before a lamp."""

    label: ClassVar[str] = "Rays"
    says: ClassVar[str] = "Rays of light from a lamp, a window, the sun"
    find: ClassVar[str] = "light beams god rays sun projector shine"
    blend: ClassVar[BlendName] = "screen"

    kind: Literal["rays"] = "rays"
    colour: Colour = "#ffe9bd"
    across: Annotated[
        Animated, Bounds(-200, 300, "%", "Across", "Where the light is", shown=(-20, 120))
    ] = 72.0
    down: Annotated[
        Animated, Bounds(-200, 300, "%", "Down", "Where the light is", shown=(-20, 120))
    ] = -6.0
    count: Annotated[
        Animated, Bounds(1, 200, "", "Count", "How many, all the way round", step=1)
    ] = 46.0
    width: Annotated[
        Animated, Bounds(0.2, 60, "°", "Width", "Of one ray", step=0.1, shown=(0.5, 20))
    ] = 5.0
    reach: Annotated[
        Animated, Bounds(5, 400, "%", "Reach", "How far they come; 100 to the farthest corner")
    ] = 105.0
    strength: Annotated[
        Animated, Bounds(0, 100, "%", "Strength", "How much they cover at the light")
    ] = 75.0
    change: Annotated[
        Animated, Bounds(0, 10, "/s", "Change", "How often a ray comes and goes in a second", step=0.01, shown=(0, 2))
    ] = 0.2  # fmt: skip
    loop: Loop = 0.0
    seed: Seed = 1.0

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        at = asked.at
        change = at.mean(self.change, asked.age)
        fan = at.whole(self.count), at(self.width) / 360, change, at.whole(self.seed)
        time = (asked.seconds, at(self.loop)) if fan[2] else (0.0, 0.0)
        laid = at.part(self.across), at.part(self.down)
        light = colour_to_rgb(self.colour), at.part(self.reach), at.part(self.strength)
        return step("rays", _shone, (asked.sheet, laid, fan, time, light), lasting=not fan[2])


def _shone(
    size: tuple[int, int], middle: tuple[float, float], fan: tuple[int, float, float, int],
    time: tuple[float, float], light: tuple[tuple[int, int, int], float, float],
) -> Picture:  # fmt: skip
    count, width, change, seed = fan
    seconds, loop = time
    chance = np.random.Generator(np.random.Philox(seed))
    place, wide, pace, began = chance.random((4, count))
    pace = change * (0.5 + pace)
    if loop > 0:
        pace = np.maximum(np.rint(pace * loop), 1) / loop
    bright = 0.5 + 0.5 * np.sin(2 * np.pi * (pace * seconds + began))
    at = np.arange(DIRECTIONS) / DIRECTIONS
    covered = np.ones(DIRECTIONS)
    for n in range(count):
        away = np.abs((at - place[n] + 0.5) % 1 - 0.5) / (width * (0.35 + wide[n]) / 2)
        # what lies over each other never covers more than all
        covered *= 1 - bright[n] * np.maximum(0.0, 1 - away * away) ** 2
    rgb, reach, strength = light
    shone = strength**0.5 * (1 - covered) ** 0.5
    table = np.stack([shone, -shone / reach], axis=-1)
    return burst(size, middle, table, filling(rgb, 2.0), float(strength**0.5), CORE)
