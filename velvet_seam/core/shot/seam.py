"""The seam: how a layer joins the picture below it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from velvet_seam.core.shot.mask import Feather, Mask
from velvet_seam.core.shot.matte import Matte, Percent
from velvet_seam.core.shot.words import Part
from velvet_seam.core.timing.animated import Animated, within

Blend = Literal[
    "normal",
    "multiply",
    "screen",
    "overlay",
    "darken",
    "lighten",
    "color-dodge",
    "color-burn",
    "hard-light",
    "soft-light",
    "difference",
    "exclusion",
    "hue",
    "saturation",
    "color",
    "luminosity",
    "plus-lighter",
    "add",
    "subtract",
    "divide",
    "linear-burn",
    "linear-light",
    "vivid-light",
    "pin-light",
    "hard-mix",
    "darker-colour",
    "lighter-colour",
    "keep-inside",
    "keep-outside",
    "keep-bright",
    "keep-dark",
    "atop",
    "xor",
]
"""The first sixteen are named as in *Compositing and Blending Level 1* (W3C), then CSS
``plus-lighter``, the trade's further ones, and operators that cut what lies below: by the layer's
coverage (inside, outside), by its brightness (bright, dark), and Porter and Duff's atop and xor."""


class Edge(Part):
    """What is done to the edge of a matte, in this order. Lengths in canvas pixels."""

    steady: Percent = Field(
        0.0,
        description="how much the matte is joined with those of the frames beside it, over time",
    )
    specks: Annotated[Animated, within(0, 100_000, "px²")] = Field(
        0.0, description="parts of the matte up to this area are dropped"
    )
    holes: Annotated[Animated, within(0, 100_000, "px²")] = Field(
        0.0, description="holes in the matte up to this area are filled"
    )
    grow: Annotated[Animated, within(-50, 50, "px")] = 0.0
    feather: Feather = 0.0
    density: Annotated[Animated, within(10, 800, "%")] = Field(
        100.0, description="200 % is what two of the layer, one on the other, would cover"
    )
    clean: Percent = Field(0.0, description="colour of the rim taken from further inside")


class Seam(Part):
    """How a layer joins: its mattes, their edge, masks, blend and opacity, applied in this order."""

    matte: tuple[Matte, ...] = Field((), max_length=16)
    edge: Edge = Edge()
    masks: tuple[Mask, ...] = Field((), max_length=64)
    blend: Blend = "normal"
    opacity: Percent = 100.0

    @property
    def parts(self) -> tuple[Matte | Mask, ...]:
        """Mattes and masks together: all that has an id of its own."""
        return (*self.matte, *self.masks)
