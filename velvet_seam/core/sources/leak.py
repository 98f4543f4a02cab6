"""A light leak."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import cv2
import numpy as np

from velvet_seam.core.picture.blends import BlendName
from velvet_seam.core.picture.filled import STEPS, fillings, looked_up
from velvet_seam.core.picture.noise import noise
from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.generated import GeneratedBase, Loop, Seed
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb

COARSE = 8
"""It is smooth, and made so many times smaller."""


class LightLeakSource(GeneratedBase):
    """Light that came into the camera at an edge of the film: deep at its rim, pale where it is strongest, wandering
    along the edge. It is meant to be added to what lies below."""

    label: ClassVar[str] = "Light leak"
    says: ClassVar[str] = "Warm light that comes in at an edge"
    find: ClassVar[str] = "light leak film burn warm glow edge"
    blend: ClassVar[BlendName] = "screen"

    kind: Literal["light-leak"] = "light-leak"
    rim: Colour = "#c2301c"
    heart: Colour = "#ffdf9a"
    angle: Annotated[
        Animated, Bounds(-3600, 3600, "°", "From", "Where it comes in; 0° is the right, clockwise", shown=(-180, 180))
    ] = -20.0  # fmt: skip
    reach: Annotated[
        Animated, Bounds(1, 300, "%", "Reach", "How far it comes in, of the picture")
    ] = 60.0
    strength: Annotated[
        Animated, Bounds(0, 100, "%", "Strength", "How much it covers at its strongest")
    ] = 85.0
    change: Annotated[
        Animated, Bounds(0, 10, "/s", "Change", "How often it is another in a second", step=0.01, shown=(0, 2))
    ] = 0.35  # fmt: skip
    loop: Loop = 0.0
    seed: Seed = 1.0

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        at = asked.at
        change = at.mean(self.change, asked.age)
        time = (asked.seconds * change, at(self.loop) * change) if change else (0.0, 0.0)
        laid = at(self.angle), at.part(self.reach), at.part(self.strength), at.whole(self.seed)
        colours = colour_to_rgb(self.rim), colour_to_rgb(self.heart)
        return step("light leak", _leaked, (asked.sheet, laid, time, colours), lasting=not change)


def _leaked(
    size: tuple[int, int], laid: tuple[float, float, float, int], time: tuple[float, float],
    colours: tuple[tuple[int, int, int], tuple[int, int, int]],
) -> Picture:  # fmt: skip
    angle, reach, strength, seed = laid
    small = -(-size[0] // COARSE), -(-size[1] // COARSE)
    turn = np.deg2rad(angle)
    x = (np.arange(small[0]) + 0.5) * COARSE / size[0] - 0.5
    y = (np.arange(small[1])[:, None] + 0.5) * COARSE / size[1] - 0.5
    # 0 at the edge it comes from, 1 at the other
    inwards = 0.5 - (x * np.cos(turn) + y * np.sin(turn)) / (abs(np.cos(turn)) + abs(np.sin(turn)))
    stirred = noise(small, max(small) / 2.2, 1.6, *time, seed=seed)
    level = np.clip(1 - inwards / reach + 0.55 * stirred, 0, 1).astype(np.float32) ** 1.5
    matrix = np.array([[COARSE, 0, COARSE / 2 - 0.5], [0, COARSE, COARSE / 2 - 0.5]], np.float64)
    whole = cv2.warpAffine(level, matrix, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
    steps = np.linspace(0, 1, STEPS)
    rim, heart = (np.array(one) for one in colours)
    colour = rim + (heart - rim) * steps[:, None] ** 1.5
    return looked_up(np.asarray(whole), fillings(colour, strength * steps))
