"""Gradient."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from velvet_seam.core.picture.colour import to_display, to_oklab
from velvet_seam.core.picture.gradient import painted
from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.generated import GeneratedBase
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb

STEPS = 4096
"""Colours that a gradient is looked up from."""

_FROM_LAB = np.linalg.inv(
    np.array([[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099],
              [0.0259040371, 0.7827717662, -0.8086757660]])
)  # fmt: skip
_FROM_CONES = np.linalg.inv(
    np.array([[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566],
              [0.0883024619, 0.2817188376, 0.6299787005]])
)  # fmt: skip


class GradientSource(GeneratedBase):
    """Colours that go over into each other: straight, round, or around a point. Mixed in OKLab they keep their
    brightness between, as paints do; mixed as displayed they go through grey."""

    label: ClassVar[str] = "Gradient"
    says: ClassVar[str] = "Colours that go over into each other"
    find: ClassVar[str] = "ramp sky background fade vignette colours"

    kind: Literal["gradient"] = "gradient"
    shape: Literal["straight", "round", "around"] = "straight"
    colours: tuple[Colour, ...] = Field(
        ("#1d2350", "#6a4a8c", "#f2a65e"), min_length=2, max_length=12
    )
    mix: Literal["oklab", "display"] = "oklab"
    angle: Annotated[
        Animated,
        Bounds(
            -3600, 3600, "°", "Angle", "0° runs from top to bottom; clockwise", shown=(-180, 180)
        ),
    ] = 0.0
    size: Annotated[
        Animated,
        Bounds(1, 1000, "%", "Size", "How far it reaches, of the canvas", shown=(10, 300)),
    ] = 100.0
    across: Annotated[
        Animated, Bounds(-200, 300, "%", "Across", "Where its middle lies", shown=(0, 100))
    ] = 50.0
    down: Annotated[
        Animated, Bounds(-200, 300, "%", "Down", "Where its middle lies", shown=(0, 100))
    ] = 50.0

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        at = asked.at
        laid = at(self.angle), at.part(self.size), at.part(self.across), at.part(self.down)
        args = (self.shape, self.colours, self.mix, laid, asked.sheet)
        return step("gradient", _drawn, args)


def mixed(colours: tuple[str, ...], mix: str) -> NDArray[np.float64]:
    """(STEPS, 3) display values, 0 to 1, evenly from the first colour to the last."""
    stops = np.array([colour_to_rgb(colour) for colour in colours]) / 255
    if mix == "oklab":
        stops = to_oklab(stops)
    at = np.linspace(0, len(stops) - 1, STEPS)
    found = np.stack([np.interp(at, np.arange(len(stops)), stops[:, c]) for c in range(3)], -1)
    if mix == "oklab":
        found = to_display(np.maximum((found @ _FROM_LAB.T) ** 3 @ _FROM_CONES.T, 0))
    return found.clip(0, 1)


def _drawn(
    shape: str, colours: tuple[str, ...], mix: str, laid: tuple[float, float, float, float],
    size: tuple[int, int],
) -> Picture:  # fmt: skip
    return painted(size, shape, mixed(colours, mix), *laid)
