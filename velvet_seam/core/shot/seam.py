"""The seam: how a layer joins the picture below it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from velvet_seam.core.shot.words import Colour, Id, Part
from velvet_seam.core.timing.animated import Animated, within

Percent = Annotated[Animated, within(0, 100, "%")]
Offset = Annotated[Animated, within(-16384, 16384, "px")]
Extent = Annotated[Animated, within(1, 16384, "px")]
Feather = Annotated[Animated, within(0, 1000, "px")]

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
]
"""Names as in *Compositing and Blending Level 1* (W3C), and CSS ``plus-lighter``."""


class ScreenKey(Part):
    """Coverage from the colour difference to an evenly or unevenly lit screen."""

    kind: Literal["screen-key"] = "screen-key"
    id: Id
    on: bool = True
    colour: Colour = Field(description="the screen, display-referred")
    colour_from: Literal["border", "area", "picked"] = Field(
        "border", description="how the colour was found: shown to the user, no effect on the key"
    )
    tolerance: Percent = Field(
        6.0, description="part of the way from screen to subject that still counts as screen"
    )
    softness: Percent = Field(
        86.0, description="part of the way over which coverage rises from 0 to 100 %"
    )
    keep_shadows: Percent = Field(
        0.0, description="how much of a darkening of the screen is kept as shadow"
    )
    despill: Percent = Field(
        100.0, description="how much of the screen's colour is taken off the subject"
    )


class BoxMask(Part):
    """A box fixed to its layer that removes junk from the matte."""

    kind: Literal["box"] = "box"
    id: Id
    on: bool = True
    use: Literal["garbage"] = "garbage"
    removes: Literal["outside", "inside"] = "outside"
    x: Offset = Field(description="centre, in source pixels right of the layer's centre")
    y: Offset = Field(description="centre, in source pixels below the layer's centre")
    width: Extent = Field(description="source pixels")
    height: Extent = Field(description="source pixels")
    feather: Feather = Field(0.0, description="width of the soft edge, canvas pixels")


Matte = ScreenKey
Mask = BoxMask


class Seam(Part):
    """How a layer joins: its mattes, masks, blend and opacity, applied in this order."""

    matte: tuple[Matte, ...] = Field((), max_length=16)
    masks: tuple[Mask, ...] = Field((), max_length=64)
    blend: Blend = "normal"
    opacity: Percent = 100.0

    @property
    def parts(self) -> tuple[Matte | Mask, ...]:
        """Mattes and masks together: all that has an id of its own."""
        return (*self.matte, *self.masks)
