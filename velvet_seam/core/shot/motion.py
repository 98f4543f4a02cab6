"""How a layer comes, goes and stirs: arrival and leave, shake, flicker, echo, the shutter."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from velvet_seam.core.shot.matte import Percent
from velvet_seam.core.shot.seam import Blend
from velvet_seam.core.shot.words import Part
from velvet_seam.core.timing.animated import Animated, within
from velvet_seam.core.timing.ease import Ease

Way = Literal[
    "cut", "fade", "slide-left", "slide-right", "slide-up", "slide-down", "grow", "turn",
    "wipe-left", "wipe-right", "wipe-up", "wipe-down",
]  # fmt: skip
"""How a layer comes into the picture, or goes out of it the same way back: at once; more and more; from
outside a side; from a point; turning in; uncovered from a side."""


class Passage(Part):
    """The way in over the first frames of a span, or out over the last. At its outer frame nothing of
    the layer is left."""

    way: Way = "cut"
    frames: Annotated[Animated, within(1, 10_000, "frames")] = 12.0
    ease: Ease = "smooth"


class Stir(Part):
    """Movement that is not keyed: the same numbers and seed, the same movement."""

    shake: Annotated[Animated, within(0, 1000, "px")] = Field(
        0.0, description="how far the layer strays, smoothly, in canvas pixels"
    )
    turn: Annotated[Animated, within(0, 180, "°")] = Field(
        0.0, description="how far it turns to and fro"
    )
    jitter: Annotated[Animated, within(0, 1000, "px")] = Field(
        0.0, description="how far it jumps from frame to frame"
    )
    flicker: Percent = Field(0.0, description="how much of its opacity comes and goes")
    rate: Annotated[Animated, within(0.05, 60, "a second")] = Field(
        4.0, description="how often shake and turn change their way"
    )
    seed: Annotated[Animated, within(0, 1_000_000, "")] = Field(
        1.0, description="a whole number; another one, another movement"
    )

    @property
    def still(self) -> bool:
        return all(value == 0 for value in (self.shake, self.turn, self.jitter, self.flicker))


class Echo(Part):
    """The layer as it was some frames ago, again and again, below itself."""

    count: Annotated[Animated, within(0, 32, "times")] = Field(0.0, description="rounded")
    step: Annotated[Animated, within(1, 1000, "frames")] = Field(
        3.0, description="frames from one to the next, rounded"
    )
    decay: Percent = Field(70.0, description="opacity of each, of the one before it")
    blend: Blend = "normal"
