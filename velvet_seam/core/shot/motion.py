"""How a layer comes, goes and stirs: arrival and leave, shake, flicker, echo, the shutter."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated

from pydantic import Field

from velvet_seam.core.passages import WayName
from velvet_seam.core.picture.blends import BlendName
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds, Frames
from velvet_seam.core.timing.ease import Ease
from velvet_seam.core.words import Part


class Passage(Part):
    """The way in over the first frames of a span, or out over the last. At its outer frame nothing of
    the layer is left."""

    way: WayName = "cut"
    frames: Annotated[
        Animated,
        Bounds(1, 10_000, "f", "In", "How many frames it takes", shown=(1, 60), of="time", find="transition"),
    ] = 12.0  # fmt: skip
    ease: Ease = "smooth"
    done: Frames = Field(
        0, description="frames of it that were cut off, beyond the end of the layer"
    )


class Stir(Part):
    """Movement that is not keyed: the same numbers and seed, the same movement."""

    shake: Annotated[
        Animated,
        Bounds(0, 1000, "px", "Shake", "How far the layer strays, smoothly, in canvas pixels",
               shown=(0, 120), of="canvas", find="camera hand"),
    ] = 0.0  # fmt: skip
    turn: Annotated[
        Animated,
        Bounds(0, 180, "°", "Turn", "How far it turns to and fro", step=0.1, shown=(0, 20), find="sway"),
    ] = 0.0  # fmt: skip
    jitter: Annotated[
        Animated,
        Bounds(0, 1000, "px", "Jitter", "How far it jumps from frame to frame", shown=(0, 40), of="canvas", find="jump"),
    ] = 0.0  # fmt: skip
    flicker: Annotated[
        Animated,
        Bounds(0, 100, "%", "Flicker", "How much of its opacity comes and goes", find="light"),
    ] = 0.0
    rate: Annotated[
        Animated,
        Bounds(0.05, 60, "/s", "Rate",
               "How often shake and turn change their way in a second; below 1 they drift", step=0.05,
               shown=(0.05, 12), find="shake frequency"),
    ] = 4.0  # fmt: skip
    seed: Annotated[
        Animated,
        Bounds(0, 1_000_000, "", "Seed",
               "Another whole number gives another movement; the same number the same one", shown=(0, 100), find="chance random"),
    ] = 1.0  # fmt: skip

    @cached_property
    def still(self) -> bool:
        return all(value == 0 for value in (self.shake, self.turn, self.jitter, self.flicker))


class Echo(Part):
    """The layer as it was some frames ago, again and again, below itself."""

    count: Annotated[
        Animated,
        Bounds(0, 32, "", "Times", "How many echoes", shown=(0, 16), find="trail ghost repeat"),
    ] = 0.0
    step: Annotated[
        Animated,
        Bounds(1, 1000, "f", "Apart", "Frames from one echo to the next", shown=(1, 25), of="time",
               find="trail delay"),
    ] = 3.0  # fmt: skip
    decay: Annotated[
        Animated,
        Bounds(0, 100, "%", "Decay", "Opacity of each echo, of the one before it", find="trail fade"),
    ] = 70.0  # fmt: skip
    blend: BlendName = "normal"
    earlier: Frames = Field(
        0, description="frames before its first that it still echoes, where it was split"
    )
