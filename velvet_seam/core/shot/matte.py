"""Mattes: ways to compute a layer's coverage from pictures. A seam holds a list of them."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from velvet_seam.core.shot.words import Colour, Id, Part
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds

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
    tolerance: Annotated[
        Animated,
        Bounds(0, 100, "%", "Tolerance",
               "How far from the screen's colour a pixel may be and still vanish wholly", step=0.5,
               shown=(0, 50)),
    ] = 3.0  # fmt: skip
    softness: Annotated[
        Animated,
        Bounds(0, 100, "%", "Softness", "Over how wide a range of colour the layer goes from clear to solid",
               step=0.5),
    ] = 90.0  # fmt: skip
    clip_black: Annotated[
        Animated,
        Bounds(0, 100, "%", "Clip black",
               "Coverage up to here becomes nothing: takes grey veils off the screen", shown=(0, 60)),
    ] = 0.0  # fmt: skip
    clip_white: Annotated[
        Animated,
        Bounds(0, 100, "%", "Clip white",
               "Coverage from here on becomes whole: closes thin places of the subject", shown=(40, 100)),
    ] = 100.0  # fmt: skip
    keep_shadows: Annotated[
        Animated,
        Bounds(0, 100, "%", "Keep shadows", "How much of a shadow on the screen is kept, as black"),
    ] = 0.0
    despill: Annotated[
        Animated,
        Bounds(0, 100, "%", "Despill", "How much of the screen's light is taken off the subject"),
    ] = 100.0
    spill_to: Literal["dark", "grey", "below"] = Field(
        "grey", description="what takes the place of the screen's light on the subject"
    )


class LumaKey(MatteBase):
    """Coverage from brightness: what lies between two levels is kept."""

    kind: Literal["luma-key"] = "luma-key"
    low: Annotated[
        Animated, Bounds(0, 100, "%", "From", "Darker than this is dropped; 0 % sets no limit")
    ] = 25.0
    high: Annotated[
        Animated, Bounds(0, 100, "%", "To", "Brighter than this is dropped; 100 % sets no limit")
    ] = 100.0
    softness: Annotated[
        Animated,
        Bounds(0, 100, "%", "Softness", "Over how wide a range of brightness coverage rises"),
    ] = 20.0


class ColourKey(MatteBase):
    """Coverage from the distance to sampled colours, in OKLab: what is near one of them is kept."""

    kind: Literal["colour-key"] = "colour-key"
    colours: tuple[Colour, ...] = Field(min_length=1, max_length=24)
    tolerance: Annotated[
        Animated,
        Bounds(0, 100, "ΔE", "Tolerance", "How far from a sample a colour may be and still be kept wholly",
               step=0.5, shown=(0, 40)),
    ] = 6.0  # fmt: skip
    softness: Annotated[
        Animated,
        Bounds(0, 100, "ΔE", "Softness", "Over how wide a range of colour coverage falls", step=0.5,
               shown=(0, 40)),
    ] = 8.0  # fmt: skip


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
    tolerance: Annotated[
        Animated,
        Bounds(0, 100, "ΔE", "Tolerance", "How far from the plate a pixel may be and still vanish wholly",
               step=0.5, shown=(0, 40)),
    ] = 5.0  # fmt: skip
    softness: Annotated[
        Animated,
        Bounds(0, 100, "ΔE", "Softness", "Over how wide a range of difference coverage rises", step=0.5,
               shown=(0, 40)),
    ] = 5.0  # fmt: skip
    ignore_shadows: Annotated[
        Animated,
        Bounds(0, 100, "%", "Let shadows go", "How much of a soft darkening of the plate is not kept"),
    ] = 50.0  # fmt: skip


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
