"""Speed lines."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.picture.burst import DIRECTIONS, burst, streaks
from velvet_seam.core.picture.filled import filling
from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.generated import GeneratedBase, Seed
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb

MOST = 400
"""Lines at once."""


class SpeedLinesSource(GeneratedBase):
    """Drawn lines that say how quick something is: round, they point at what is to be seen and leave it free;
    straight, they rush past. They are drawn anew some times a second, as by hand."""

    label: ClassVar[str] = "Speed lines"
    says: ClassVar[str] = "Drawn lines that point at something, or rush past it"
    find: ClassVar[str] = "speed lines action motion focus comic burst streaks"

    kind: Literal["speed-lines"] = "speed-lines"
    shape: Literal["round", "straight"] = "round"
    colour: Colour = "#fdf8ee"
    count: Annotated[Animated, Bounds(1, MOST, "", "Count", "How many at once", step=1)] = 90.0
    width: Annotated[
        Animated, Bounds(0.05, 20, "%", "Width", "Of a line where it is widest, of the picture", step=0.05, shown=(0.1, 5))
    ] = 1.1  # fmt: skip
    clear: Annotated[
        Animated, Bounds(0, 99, "%", "Clear", "How much is left free: the middle, or between the lines of one row")
    ] = 46.0  # fmt: skip
    across: Annotated[
        Animated, Bounds(-200, 300, "%", "Across", "What round ones point at", shown=(0, 100))
    ] = 50.0
    down: Annotated[
        Animated, Bounds(-200, 300, "%", "Down", "What round ones point at", shown=(0, 100))
    ] = 45.0
    angle: Annotated[
        Animated, Bounds(-3600, 3600, "°", "Angle", "Of straight ones; 0° runs to the right, clockwise", shown=(-180, 180))
    ] = 0.0  # fmt: skip
    rate: Annotated[
        Animated, Bounds(0, 60, "/s", "Drawn anew", "How often in a second; 0 for never", step=0.5, shown=(0, 30))
    ] = 12.0  # fmt: skip
    seed: Seed = 1.0

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        at = asked.at
        drawing = int(asked.seconds * at.mean(self.rate, asked.age) + 1e-6)
        lines = at.whole(self.count), at.part(self.width), at.part(self.clear), at.whole(self.seed)
        if self.shape == "straight":
            args = (asked.sheet, at(self.angle), lines, drawing, colour_to_rgb(self.colour))
            return step("speed lines", _rushed, args, lasting=not at(self.rate))
        middle = at.part(self.across), at.part(self.down)
        turned = (asked.sheet, middle, lines, drawing, colour_to_rgb(self.colour))
        return step("speed lines", _pointed, turned, lasting=not at(self.rate))


def _pointed(
    size: tuple[int, int], middle: tuple[float, float], lines: tuple[int, float, float, int],
    drawing: int, rgb: tuple[int, int, int],
) -> Picture:  # fmt: skip
    """Wedges with their points inwards. In a direction, the widest reach inwards wins."""
    count, width, clear, seed = lines
    chance = np.random.Generator(np.random.Philox(key=[seed, drawing]))
    place, wide, inner = chance.random((3, count))
    begins = np.clip(clear * (0.75 + 0.5 * inner), 0, 0.99)
    half = width * (0.3 + 1.4 * wide) / (2 * np.pi)
    at = np.arange(DIRECTIONS) / DIRECTIONS
    away = np.abs((at[:, None] - place + 0.5) % 1 - 0.5) / half
    # a wedge is as wide as its way out is long: so far out a direction is covered
    reached = begins + (1 - begins) * np.minimum(away, 4.0)
    nearest = reached.argmin(axis=1)
    first = reached[np.arange(DIRECTIONS), nearest]
    # so sharp that a side goes over within a pixel or two, most of the way out
    sharp = np.clip(
        half * 2 * np.pi * np.hypot(*size) / 2 * 0.6 / (1 - begins), 3.0, min(size) / 6.0
    )[nearest]
    return burst(size, middle, np.stack([0.5 - sharp * first, sharp], axis=-1), filling(rgb))


def _rushed(
    size: tuple[int, int], angle: float, lines: tuple[int, float, float, int], drawing: int,
    rgb: tuple[int, int, int],
) -> Picture:  # fmt: skip
    count, width, clear, seed = lines
    chance = np.random.Generator(np.random.Philox(key=[seed, drawing]))
    place, wide, along = chance.random((3, count))
    table = np.zeros((DIRECTIONS, 2))
    at = np.arange(DIRECTIONS) / DIRECTIONS
    for n in range(count):
        half = max(width * (0.3 + 1.4 * wide[n]) / 4, 1e-4)
        away = np.abs((at - place[n] + 0.5) % 1 - 0.5)
        soft = 1 / np.hypot(*size)
        covered = np.clip((half - away) / soft + 0.5, 0, 1)
        mine = covered > table[:, 0]
        table[mine, 0], table[mine, 1] = covered[mine], along[n]
    return streaks(size, angle, table, 1 - clear, filling(rgb))
