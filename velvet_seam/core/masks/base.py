"""What all masks have, and what a kind of mask says of itself."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from velvet_seam.core.picture import outline, shape
from velvet_seam.core.picture.coverage import Plane
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds, bounds_of
from velvet_seam.core.timing.following import Follow
from velvet_seam.core.words import Combine, Id, Part

_FIXED_TO = "From the middle of what it is fixed to; Ctrl and the arrow keys move it, too"


@dataclass(frozen=True)
class Ground:
    """A picture that a mask is drawn over: ``size`` in pixels, ``to_own`` from them to the mask's own
    coordinates, ``across`` own pixels to one of the picture, ``unit`` canvas pixels to one of the mask's."""

    size: tuple[int, int]
    to_own: NDArray[np.float64]
    across: float
    unit: float
    soft: shape.Soft

    def shape(self, kind: int, *lengths: float) -> Plane:
        return shape.cover(self.size, kind, self.to_own, lengths, self.unit, self.soft)

    def outline(self, line: NDArray[np.float64]) -> Plane:
        """Of a polygon in the mask's own coordinates: (n, 3), with an extra feather."""
        back = np.linalg.inv(self.to_own)
        points = np.column_stack([line[:, :2], np.ones(len(line))]) @ back.T
        placed = np.column_stack([points[:, :2], line[:, 2]])
        return outline.cover_outline(self.size, placed, self.unit * self.across, self.soft)


class MaskBase(Part):
    """What all masks have. Positions count from the middle of the layer, in source pixels, or, for a
    mask fixed to the canvas, from the middle of the canvas; feather and grow in canvas pixels."""

    label: ClassVar[str]
    says: ClassVar[str]
    """What one does to draw it, on its button."""
    hint: ClassVar[str]
    """The same, shown while it is being drawn."""
    find: ClassVar[str] = ""
    """Other words that people have for it."""
    by_line: ClassVar[bool] = False
    """It is drawn along a line, rather than by its two corners."""
    sided: ClassVar[bool] = False
    """Its two sides are not alike: mirrored, it is turned round."""

    kind: str
    id: Id
    on: bool = True
    use: Literal["limit", "garbage", "keep"] = Field(
        "limit", description="shows the layer only inside; removes what lies inside; keeps it in"
    )
    combine: Combine = Field("add", description="among the masks that limit, in their order")
    invert: bool = False
    fixed: Literal["layer", "canvas"] = "layer"
    follow: Follow = Field(
        Follow(), description="in perspective it is followed as far as it turns and grows"
    )
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

    def covered(self, at: At, ground: Ground) -> Plane:
        """Its coverage over a picture, (h, w) uint8, before opacity and turning round."""
        raise NotImplementedError

    def polygon(self, at: At) -> NDArray[np.float64] | None:
        """Its line in its own coordinates, (n, 2), straight from point to point; None where it has no end."""
        return None

    def extents(self, at: At) -> list[float]:
        """How far it reaches across itself, in its own pixels, in every direction that has an end."""
        return []

    def upright(self, at: At) -> float | None:
        """Half its height where it is known how far it reaches up and down, unless it is turned."""
        return None

    def numbers(self, at: At) -> tuple[Any, ...]:
        """All that its coverage depends on, at a frame."""
        return (self.kind, *[at(getattr(self, name)) for name in _moving(type(self))])


@cache
def _moving(kind: type[MaskBase]) -> tuple[str, ...]:
    """The names of the values of a kind of mask."""
    return tuple(name for name in kind.model_fields if bounds_of(kind, name))


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
