"""Masks: shapes that limit a layer, remove junk from its matte, or force the subject into it."""

from __future__ import annotations

import itertools
from bisect import bisect_right
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, model_validator

from velvet_seam.core.shot.matte import Combine
from velvet_seam.core.shot.words import Id, Part
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.timing.ease import Ease, eased

_FIXED_TO = "From the middle of what it is fixed to; Ctrl and the arrow keys move it, too"

Coordinate = Annotated[float, Field(ge=-65536, le=65536)]
MOST_POINTS = 10_000
MOST_KEYED_POINTS = 200_000


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
    fixed: Literal["layer", "canvas"] = "layer"
    x: Annotated[
        Animated,
        Bounds(-16384, 16384, "px", "Across", _FIXED_TO, shown="middle-across", of="source"),
    ] = 0.0
    y: Annotated[
        Animated, Bounds(-16384, 16384, "px", "Down", _FIXED_TO, shown="middle-down", of="source")
    ] = 0.0
    rotation: Annotated[
        Animated,
        Bounds(-3600, 3600, "°", "Rotation", "Clockwise, about its point", shown=(-180, 180)),
    ] = 0.0
    opacity: Annotated[Animated, Bounds(0, 100, "%", "Opacity", "How strongly the mask works")] = (
        100.0
    )
    grow: Annotated[
        Animated,
        Bounds(-1000, 1000, "px", "Grow", "Moves the whole line outward, or inward below 0",
               shown=(-100, 100), of="canvas"),
    ] = 0.0  # fmt: skip
    feather_in: Annotated[
        Animated,
        Bounds(0, 1000, "px", "Feather in", "Width of the soft edge inside the line, canvas pixels",
               shown=(0, 200), of="canvas"),
    ] = 0.0  # fmt: skip
    feather_out: Annotated[
        Animated,
        Bounds(0, 1000, "px", "Feather out", "Width of the soft edge outside the line, canvas pixels",
               shown=(0, 200), of="canvas"),
    ] = 0.0  # fmt: skip


Width = Annotated[
    Animated,
    Bounds(0, 16384, "px", "Width", "In pixels of the footage, or of the canvas", shown=(1, 2000),
           of="source"),
]  # fmt: skip
Height = Annotated[
    Animated,
    Bounds(0, 16384, "px", "Height", "In pixels of the footage, or of the canvas", shown=(1, 2000),
           of="source"),
]  # fmt: skip


class StraightMask(MaskBase):
    """A straight edge through its point: what lies on the left of it is inside (above, turned by
    90°)."""

    kind: Literal["straight"] = "straight"


class BandMask(MaskBase):
    """A band of a width, without ends, upright before it is turned."""

    kind: Literal["band"] = "band"
    width: Width = 400.0


class OvalMask(MaskBase):
    kind: Literal["oval"] = "oval"
    width: Width = 400.0
    height: Height = 400.0


class BoxMask(MaskBase):
    kind: Literal["box"] = "box"
    width: Width = 400.0
    height: Height = 400.0
    round: Annotated[
        Animated,
        Bounds(0, 16384, "px", "Corners", "Radius of the corners", shown=(0, 500), of="source"),
    ] = 0.0


class StarMask(MaskBase):
    kind: Literal["star"] = "star"
    points: Annotated[
        Animated, Bounds(3, 64, "", "Points", "How many points the star has", shown=(3, 16))
    ] = 5.0
    radius: Annotated[
        Animated,
        Bounds(0, 16384, "px", "Radius", "From the middle to a point", shown=(1, 1500), of="source"),
    ] = 300.0  # fmt: skip
    inner: Annotated[
        Animated, Bounds(0, 100, "%", "Inner", "How far out the inner corners lie")
    ] = 45.0


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


def _enough(given: object) -> object:
    if isinstance(given, list | tuple) and len(given) < 3:
        raise ValueError("an outline has at least three points")
    return given


Outline = Annotated[
    tuple[Vertex, ...], BeforeValidator(_enough), Field(min_length=3, max_length=MOST_POINTS)
]


class OutlineKey(Part):
    """A whole outline at one frame, and how its points leave it towards the next."""

    frame: int = Field(ge=-1_000_000, le=1_000_000, description="counted from the layer's first")
    value: Outline
    ease: Ease = "linear"


class OutlineKeys(Part):
    """Outlines over time, in the order of their frames: each point moves to where it is next."""

    keys: tuple[OutlineKey, ...] = Field(min_length=1, max_length=10_000)

    @model_validator(mode="after")
    def _alike(self) -> OutlineKeys:
        frames = [key.frame for key in self.keys]
        if any(later <= earlier for earlier, later in itertools.pairwise(frames)):
            raise ValueError("the keyframes of an outline lie in the order of their frames")
        if len({len(key.value) for key in self.keys}) > 1:
            raise ValueError("all keyframes of an outline have the same number of points")
        if len(self.keys) * len(self.keys[0].value) > MOST_KEYED_POINTS:
            raise ValueError(f"an outline has at most {MOST_KEYED_POINTS} points in all keyframes")
        return self


def outline_at(outline: tuple[Vertex, ...] | OutlineKeys, frame: float) -> tuple[Vertex, ...]:
    """An outline as it is at a frame counted from the layer's first.

    >>> here = tuple(Vertex(x=x, y=0) for x in (0, 1, 2))
    >>> there = tuple(Vertex(x=x, y=10) for x in (0, 1, 2))
    >>> keys = (OutlineKey(frame=0, value=here), OutlineKey(frame=4, value=there))
    >>> [vertex.y for vertex in outline_at(OutlineKeys(keys=keys), 1)]
    [2.5, 2.5, 2.5]
    """
    if not isinstance(outline, OutlineKeys):
        return outline
    keys = outline.keys
    after = bisect_right(keys, frame, key=lambda key: key.frame)
    if after == 0 or after == len(keys):
        return keys[max(0, after - 1)].value
    left, right = keys[after - 1], keys[after]
    part = eased(left.ease, (frame - left.frame) / (right.frame - left.frame))
    if part == 0:
        return left.value
    names = tuple(Vertex.model_fields)
    return tuple(
        Vertex.model_construct(
            **{n: getattr(a, n) + (getattr(b, n) - getattr(a, n)) * part for n in names}
        )
        for a, b in zip(left.value, right.value, strict=True)
    )


class DrawnMask(MaskBase):
    """A closed outline of cubic Bézier curves. Where it crosses itself the even-odd rule holds."""

    kind: Literal["drawn"] = "drawn"
    outline: Outline | OutlineKeys


Mask = Annotated[
    StraightMask | BandMask | OvalMask | BoxMask | StarMask | DrawnMask, Field(discriminator="kind")
]
