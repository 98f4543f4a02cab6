"""Particles: embers, sparks, snow, dust, confetti, bubbles."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.sprites import DOT, RING, SLIP, STREAK, drawn
from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.generated import GeneratedBase, Loop, Seed
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb


@dataclass(frozen=True)
class Manner:
    """How a kind of particle behaves: its ``shape``; the way it goes, degrees clockwise from upwards; how far the ways
    of several lie apart; how far it sways, in its own sizes; whether it is born all over the picture; and whether it
    comes in many colours."""

    shape: int
    way: float
    spread: float
    sway: float
    everywhere: bool
    many: bool = False
    long: float = 1.0


MANNERS = {
    "embers": Manner(DOT, 0, 38, 3.0, False), "sparks": Manner(STREAK, 0, 140, 0.0, False, long=5.0),
    "snow": Manner(DOT, 180, 22, 5.0, True), "dust": Manner(DOT, 90, 360, 6.0, True),
    "confetti": Manner(SLIP, 180, 30, 6.0, True, many=True, long=0.6), "bubbles": Manner(RING, 0, 16, 2.0, False),
}  # fmt: skip
PAPERS = ("#d8563f", "#f0b74a", "#4f8f8b", "#7c4d8f", "#f3e9d6", "#3f6fb0")
"""What confetti is cut from."""


class ParticlesSource(GeneratedBase):
    """Small things that are born, move and vanish, each by the seed alone: any frame can be asked for by itself."""

    label: ClassVar[str] = "Particles"
    says: ClassVar[str] = "Embers, sparks, snow, dust, confetti, bubbles"
    find: ClassVar[str] = (
        "embers sparks sparkles stars snow dust confetti bubbles glitter rain specks"
    )

    kind: Literal["particles"] = "particles"
    what: Literal["embers", "sparks", "snow", "dust", "confetti", "bubbles"] = "embers"
    colour: Colour = "#ffb45a"
    count: Annotated[
        Animated,
        Bounds(
            0, 10_000, "", "Count", "How many there are at a time", shown=(0, 800), find="amount"
        ),
    ] = 140.0
    size: Annotated[
        Animated, Bounds(0.5, 600, "px", "Size", "Of most of them", step=0.5, shown=(1, 80))
    ] = 14.0
    speed: Annotated[
        Animated, Bounds(0, 6000, "px/s", "Speed", "How quickly they go", shown=(0, 900))
    ] = 260.0
    life: Annotated[
        Animated, Bounds(0.1, 120, "s", "Life", "How long one is there", step=0.1, shown=(0.2, 12))
    ] = 4.0
    turn: Annotated[
        Animated,
        Bounds(-3600, 3600, "°", "Way", "Turns the way they go, clockwise", shown=(-180, 180)),
    ] = 0.0
    loop: Loop = 0.0
    seed: Seed = 1.0

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        at, per = asked.at, asked.per
        sizes = (at(self.size) * per, at(self.speed) * per, at(self.turn))
        time = (asked.seconds, at(self.life), at(self.loop))
        args = (
            self.what,
            self.colour,
            at.whole(self.count),
            sizes,
            time,
            at.whole(self.seed),
            asked.sheet,
        )
        return step("particles", _strewn, args, lasting=False)


def _chance(seed: int, cycles: NDArray[np.int64], lanes: int) -> NDArray[np.float64]:
    """Numbers from 0 to 1 for each particle in each of its lives: (n, lanes)."""
    own = np.arange(len(cycles), dtype=np.uint64)[:, None]
    lives = cycles.astype(np.int64).view(np.uint64)[:, None]
    lane = np.arange(1, lanes + 1, dtype=np.uint64)[None]
    seeds = np.full((1, 1), seed, np.uint64)
    h = own * np.uint64(0x9E3779B97F4A7C15) ^ lives * np.uint64(0xC2B2AE3D27D4EB4F)
    h = h ^ lane * np.uint64(0x165667B19E3779F9) ^ seeds * np.uint64(0x27D4EB2F165667C5)
    for shift, by in ((30, 0xBF58476D1CE4E5B9), (27, 0x94D049BB133111EB), (31, 1)):
        h = (h ^ h >> np.uint64(shift)) * np.uint64(by)  # SplitMix64's finaliser
    return (h >> np.uint64(11)).astype(np.float64) / 2**53


def _strewn(
    what: str, colour: str, count: int, sizes: tuple[float, float, float],
    time: tuple[float, float, float], seed: int, canvas: tuple[int, int],
) -> Picture:  # fmt: skip
    manner, (size, speed, turn), (seconds, life, loop) = MANNERS[what], sizes, time
    width, height = canvas
    if count < 1:
        return np.zeros((height, width, 4), np.uint8)
    lives_in_loop = 0
    if loop > 0:  # a whole number of lives, so that it ends as it began
        lives_in_loop = max(1, round(loop / life))
        life = loop / lives_in_loop
    begun = seconds / life + _chance(seed, np.zeros(count, np.int64), 1)[:, 0]
    cycle = np.floor(begun).astype(np.int64)
    age = begun - cycle
    if lives_in_loop:
        cycle %= lives_in_loop
    c = _chance(seed + 1, cycle, 8)
    way = np.radians(manner.way + turn + (c[:, 0] - 0.5) * manner.spread)
    pace = speed * (0.5 + c[:, 1])
    far = pace * life * age
    ahead = speed * life  # so far one comes in its life
    dx, dy = np.sin(way), -np.cos(way)
    x, y = _births(manner, c[:, 2], c[:, 3], np.radians(manner.way + turn), canvas, ahead)
    sway = manner.sway * size * np.sin(2 * np.pi * (c[:, 4] + age * (1 + 2 * c[:, 5])))
    x, y = x + dx * far - dy * sway, y + dy * far + dx * sway
    radius = size * (0.4 + 1.2 * c[:, 6] ** 2)
    fades = np.minimum(
        1, np.minimum(age * 8, (1 - age) * (2.5 if what in ("embers", "sparks") else 8))
    )
    colours = np.tile(np.array(colour_to_rgb(colour)) / 255, (count, 1))
    spin = way - np.pi / 2
    if manner.many:
        papers = np.array([colour_to_rgb(one) for one in PAPERS]) / 255
        colours = papers[(c[:, 7] * len(papers)).astype(int)]
        spin = 2 * np.pi * (c[:, 5] + age * 3 * (c[:, 7] - 0.5))
        colours = colours * (0.72 + 0.28 * np.abs(np.cos(2 * np.pi * (c[:, 4] + 2 * age))))[:, None]
    elif what == "embers":  # hotter while young
        hot = np.clip(1 - 1.6 * age, 0, 1)[:, None]
        colours = colours + hot * (np.array([1.0, 0.93, 0.7]) - colours)
    f = np.float32
    return drawn(
        canvas, manner.shape, x.astype(f), y.astype(f), np.maximum(radius, 0.6).astype(f), spin.astype(f),
        np.full(count, manner.long, f), (fades * (0.35 + 0.65 * c[:, 7])).clip(0, 1).astype(f), colours.astype(f),
    )  # fmt: skip


def _births(
    manner: Manner, a: NDArray[np.float64], b: NDArray[np.float64], way: float, canvas: tuple[int, int],
    ahead: float,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:  # fmt: skip
    """Where they are born: all over the picture and as far before it as they come; or along the side they come from."""
    width, height = canvas
    dx, dy = np.sin(way), -np.cos(way)
    if manner.everywhere:
        return (
            a * (width + ahead * abs(dx)) - ahead * max(dx, 0),
            b * (height + ahead * abs(dy)) - ahead * max(dy, 0),
        )
    # along a line across their way, a little outside the picture
    reach = (abs(width * dx) + abs(height * dy)) / 2
    wide = abs(width * dy) + abs(height * dx)
    along, back = (a - 0.5) * wide, -reach * (0.86 + 0.24 * b)
    return width / 2 + dx * back - dy * along, height / 2 + dy * back + dx * along
