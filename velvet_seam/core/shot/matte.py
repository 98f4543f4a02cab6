"""Mattes: ways to compute a layer's coverage from pictures. A seam holds a list of them."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from velvet_seam.core.shot.words import Colour, Id, Part
from velvet_seam.core.timing.animated import Animated, within

Percent = Annotated[Animated, within(0, 100, "%")]
ColourDistance = Annotated[Animated, within(0, 100, "ΔE")]

Combine = Literal["add", "subtract", "intersect"]
"""How a matte or a mask joins those before it: what either covers, what the earlier ones cover and
this does not, what both cover."""


class MatteBase(Part):
    """What all mattes have."""

    id: Id
    on: bool = True
    combine: Combine = "add"
    invert: bool = False


class ScreenKey(MatteBase):
    """Coverage from the colour difference to an evenly or unevenly lit screen."""

    kind: Literal["screen-key"] = "screen-key"
    colour: Colour = Field(description="the screen, display-referred")
    colour_from: Literal["border", "area", "picked"] = Field(
        "border", description="how the colour was found: shown to the user, no effect on the key"
    )
    samples: tuple[Colour, ...] = Field(
        (), max_length=8, description="colours of the areas that the colour is the mean of"
    )
    tolerance: Percent = Field(
        3.0, description="part of the way from screen to subject that still counts as screen"
    )
    softness: Percent = Field(
        90.0, description="part of the way over which coverage rises from 0 to 100 %"
    )
    clip_black: Percent = Field(0.0, description="coverage up to which nothing is kept")
    clip_white: Percent = Field(100.0, description="coverage from which all is kept")
    keep_shadows: Percent = Field(
        0.0, description="how much of a darkening of the screen is kept as shadow"
    )
    despill: Percent = Field(
        100.0, description="how much of the screen's colour is taken off the subject"
    )
    spill_to: Literal["dark", "grey", "below"] = Field(
        "grey", description="what takes the place of the screen's light on the subject"
    )


class LumaKey(MatteBase):
    """Coverage from brightness: what lies between two levels is kept."""

    kind: Literal["luma-key"] = "luma-key"
    low: Percent = Field(25.0, description="luma below which nothing is kept")
    high: Percent = Field(100.0, description="luma above which nothing is kept")
    softness: Percent = Field(
        20.0, description="luma range over which coverage rises, centred on the level"
    )


class ColourKey(MatteBase):
    """Coverage from the distance to sampled colours, in OKLab: what is near one of them is kept."""

    kind: Literal["colour-key"] = "colour-key"
    colours: tuple[Colour, ...] = Field(min_length=1, max_length=24)
    tolerance: ColourDistance = Field(6.0, description="distance that still is the colour")
    softness: ColourDistance = Field(8.0, description="distance over which coverage falls to 0")


class FramePlate(Part):
    """The clean plate is a frame of the layer's own clip."""

    kind: Literal["frame"] = "frame"
    frame: int = Field(0, ge=0, le=1_000_000, description="frame of the clip, counted from 0")


class FootagePlate(Part):
    """The clean plate is other footage: a still, or a frame of a clip."""

    kind: Literal["footage"] = "footage"
    footage: Id
    frame: int = Field(0, ge=0, le=1_000_000)


class MedianPlate(Part):
    """The clean plate is the median of the layer's own clip over time."""

    kind: Literal["median"] = "median"


Plate = Annotated[FramePlate | FootagePlate | MedianPlate, Field(discriminator="kind")]


class DifferenceKey(MatteBase):
    """Coverage from what differs from a clean plate."""

    kind: Literal["difference-key"] = "difference-key"
    plate: Plate
    tolerance: ColourDistance = Field(5.0, description="difference that still counts as the plate")
    softness: ColourDistance = Field(5.0, description="difference over which coverage rises")
    ignore_shadows: Percent = Field(
        50.0, description="how much of a darkening of the plate is let pass as shadow"
    )


class OwnAlpha(MatteBase):
    """The footage's own coverage, as its file has it."""

    kind: Literal["own-alpha"] = "own-alpha"


class Home(Part):
    """Where a layer lay when something was fixed to it; as :class:`~velvet_seam.core.shot.layer.Place`."""

    x: Annotated[float, Field(ge=-65536, le=65536)]
    y: Annotated[float, Field(ge=-65536, le=65536)]
    scale: Annotated[float, Field(gt=0, le=10_000)]
    rotation: Annotated[float, Field(ge=-100_000, le=100_000)]
    flip_x: bool = False
    flip_y: bool = False


class LayerMatte(MatteBase):
    """Coverage from another layer, where it lies on the canvas at this frame; with a ``home`` it moves with
    the layer that uses it, from where it is seen while that one lies there."""

    kind: Literal["layer-matte"] = "layer-matte"
    layer: Id
    of: Literal["coverage", "brightness"] = "coverage"
    home: Home | None = None


Matte = Annotated[
    ScreenKey | LumaKey | ColourKey | DifferenceKey | OwnAlpha | LayerMatte,
    Field(discriminator="kind"),
]
