"""Drawn outlines: closed Bézier curves that may change over time."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, BeforeValidator, Field, model_validator

from velvet_seam.core.masks.base import Ground, MaskBase
from velvet_seam.core.picture.coverage import Plane
from velvet_seam.core.picture.outline import flattened
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.ease import Ease
from velvet_seam.core.timing.whole_keys import around, in_order
from velvet_seam.core.words import Part

Coordinate = Annotated[float, Field(ge=-65536, le=65536)]
MOST_POINTS = 10_000
MOST_KEYED_POINTS = 200_000


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

    keys: Annotated[
        tuple[OutlineKey, ...], Field(min_length=1, max_length=10_000), AfterValidator(in_order)
    ]

    @model_validator(mode="after")
    def _alike(self) -> OutlineKeys:
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
    left, right, part = around(outline.keys, frame)
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

    label: ClassVar[str] = "Drawn"
    says: ClassVar[str] = (
        "Draw an outline: drag freehand, or click point by point and close it at the first"
    )
    hint: ClassVar[str] = (
        "Draw around what to keep, or click point by point and close at the first. Esc gives up."
    )
    find: ClassVar[str] = "outline path pen bezier lasso garbage keep"

    kind: Literal["drawn"] = "drawn"
    outline: Outline | OutlineKeys

    def covered(self, at: At, ground: Ground) -> Plane:
        return ground.outline(flattened(self.points(at)))

    def polygon(self, at: At) -> NDArray[np.float64]:
        return flattened(self.points(at), tolerance=0.2)[:, :2]

    def extents(self, at: At) -> list[float]:
        points = self.points(at)
        places = points[:, :2]
        every = np.concatenate([places, places + points[:, 2:4], places + points[:, 4:6]])
        spread = np.linalg.eigvalsh(np.cov(every.T, ddof=0))  # across and along
        return [2 * float(np.sqrt(max(spread[0], 0.0)))]

    def numbers(self, at: At) -> tuple[Any, ...]:
        return (*super().numbers(at), self.points(at).tobytes())

    def points(self, at: At) -> NDArray[np.float64]:
        """Its points at a frame: (n, 7), as :func:`~velvet_seam.core.picture.outline.flattened` takes them."""
        rows = [
            (v.x, v.y, v.in_x, v.in_y, v.out_x, v.out_y, v.feather)
            for v in outline_at(self.outline, at.frame)
        ]
        return np.array(rows, np.float64)
