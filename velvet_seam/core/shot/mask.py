"""Masks: shapes that limit a layer, remove junk from its matte, or force the subject into it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator

from velvet_seam.core.shot.matte import Combine, Percent
from velvet_seam.core.shot.words import Id, Part
from velvet_seam.core.timing.animated import Animated, within

Offset = Annotated[Animated, within(-16384, 16384, "px")]
Extent = Annotated[Animated, within(0, 16384, "px")]
Feather = Annotated[Animated, within(0, 1000, "px")]
Grow = Annotated[Animated, within(-1000, 1000, "px")]
Turn = Annotated[Animated, within(-3600, 3600, "°")]
Coordinate = Annotated[float, Field(ge=-65536, le=65536)]
MOST_POINTS = 10_000


class MaskBase(Part):
    """What all masks have. Positions count from the middle of the layer, in source pixels, or, for a
    mask fixed to the canvas, from the middle of the canvas; feather and grow in canvas pixels."""

    id: Id
    on: bool = True
    use: Literal["limit", "garbage", "keep"] = Field(
        "limit", description="shows the layer only inside; removes what lies inside; keeps it in"
    )
    combine: Combine = Field("add", description="among the masks that limit, in their order")
    invert: bool = False
    opacity: Percent = 100.0
    fixed: Literal["layer", "canvas"] = "layer"
    x: Offset = 0.0
    y: Offset = 0.0
    rotation: Turn = Field(0.0, description="degrees clockwise")
    grow: Grow = 0.0
    feather_in: Feather = Field(0.0, description="width of the soft edge inside the line")
    feather_out: Feather = Field(0.0, description="width of the soft edge outside the line")


class StraightMask(MaskBase):
    """A straight edge through its point: what lies on the left of it is inside (above, turned by
    90°)."""

    kind: Literal["straight"] = "straight"


class BandMask(MaskBase):
    """A band of a width, without ends, upright before it is turned."""

    kind: Literal["band"] = "band"
    width: Extent = 400.0


class OvalMask(MaskBase):
    kind: Literal["oval"] = "oval"
    width: Extent = 400.0
    height: Extent = 400.0


class BoxMask(MaskBase):
    kind: Literal["box"] = "box"
    width: Extent = 400.0
    height: Extent = 400.0
    round: Extent = Field(0.0, description="radius of the corners")


class StarMask(MaskBase):
    kind: Literal["star"] = "star"
    points: int = Field(5, ge=3, le=64)
    radius: Extent = 300.0
    inner: Percent = Field(45.0, description="inner radius, of the outer one")


class Vertex(Part):
    """A point of a drawn outline with its two handles, from the mask's own point."""

    x: Coordinate
    y: Coordinate
    in_x: Coordinate = 0.0
    in_y: Coordinate = 0.0
    out_x: Coordinate = 0.0
    out_y: Coordinate = 0.0
    feather: Annotated[float, Field(ge=0, le=1000)] = 0.0
    """Extra width of the soft edge outside at this point, canvas pixels."""


class DrawnMask(MaskBase):
    """A closed outline of cubic Bézier curves. Where it crosses itself the even-odd rule holds."""

    kind: Literal["drawn"] = "drawn"
    outline: tuple[Vertex, ...] = Field(min_length=3, max_length=MOST_POINTS)

    @field_validator("outline", mode="before")
    @classmethod
    def _enough(cls, given: object) -> object:
        if isinstance(given, list | tuple) and len(given) < 3:
            raise ValueError("an outline has at least three points")
        return given


Mask = Annotated[
    StraightMask | BandMask | OvalMask | BoxMask | StarMask | DrawnMask, Field(discriminator="kind")
]
