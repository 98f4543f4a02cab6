"""Clouds and fog."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.picture.noise import noise, veiled
from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.generated import GeneratedBase, Loop, Seed
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb


class CloudsSource(GeneratedBase):
    """Fractal gradient noise as coverage of one colour: it drifts, and changes while it drifts."""

    label: ClassVar[str] = "Clouds"
    says: ClassVar[str] = "Clouds, fog, smoke, mist: drifting and changing"
    find: ClassVar[str] = "fog mist smoke haze noise fractal"

    kind: Literal["clouds"] = "clouds"
    colour: Colour = "#f3eee6"
    size: Annotated[
        Animated,
        Bounds(8, 8000, "px", "Size", "Of the largest shapes", shown=(40, 2000), find="scale"),
    ] = 620.0
    detail: Annotated[
        Animated, Bounds(1, 8, "", "Detail", "How many times finer shapes are added", step=0.1)
    ] = 5.0
    cover: Annotated[
        Animated,
        Bounds(0, 100, "%", "Cover", "How much of the picture they fill", find="density amount"),
    ] = 45.0
    contrast: Annotated[
        Animated, Bounds(0, 100, "%", "Contrast", "From mist to clouds with an edge")
    ] = 40.0
    drift: Annotated[
        Animated,
        Bounds(-4000, 4000, "px/s", "Drift", "How quickly they move to the right", shown=(-300, 300), find="speed wind"),
    ] = 40.0  # fmt: skip
    rise: Annotated[
        Animated,
        Bounds(-4000, 4000, "px/s", "Fall", "How quickly they move down", shown=(-300, 300)),
    ] = 0.0
    change: Annotated[
        Animated, Bounds(0, 10, "/s", "Change", "How often their shapes are others in a second", step=0.01, shown=(0, 1.5))
    ] = 0.15  # fmt: skip
    loop: Loop = 0.0
    seed: Seed = 1.0

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        at, per, seconds = asked.at, asked.per, asked.seconds
        age = asked.age
        rate = max(at.mean(self.change, age), 1e-3)
        moves = (
            at.mean(self.drift, age) * per / rate, at.mean(self.rise, age) * per / rate,
        )  # fmt: skip
        shape = (max(2.0, at(self.size) * per), at(self.detail), moves, at.whole(self.seed))
        time = (seconds * rate, at(self.loop) * rate)
        look = (colour_to_rgb(self.colour), at.part(self.cover), at.part(self.contrast))
        still = not any(moves) and not at.mean(self.change, age)
        return step(
            "clouds",
            _veil,
            (asked.sheet, shape, (0.0, 0.0) if still else time, look),
            lasting=still,
        )


def _veil(
    size: tuple[int, int], shape: tuple[float, float, tuple[float, float], int],
    time: tuple[float, float], look: tuple[tuple[int, int, int], float, float],
) -> Picture:  # fmt: skip
    cell, detail, moves, seed = shape
    field = noise(size, cell, detail, time[0], time[1], moves, seed)
    rgb, cover, contrast = look
    return veiled(np.ascontiguousarray(field), rgb, cover, contrast)
