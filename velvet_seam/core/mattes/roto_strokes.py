"""What a person says of a roto: strokes, and frames that are right."""

from __future__ import annotations

from dataclasses import dataclass
from hashlib import blake2b
from typing import Annotated, Literal

import numpy as np
from pydantic import Field, model_validator

from velvet_seam.core.picture.strokes import stroked
from velvet_seam.core.roto.features import Detail
from velvet_seam.core.roto.first import Marks
from velvet_seam.core.words import Part

MOST_POINTS = 4000

Coordinate = Annotated[float, Field(ge=-32768, le=32768)]
SourceFrame = Annotated[int, Field(ge=0, le=10_000_000)]
How = Literal["keep", "drop", "rub"]
Begin = Literal["strokes", "people", "movement", "screen"]


class RotoStroke(Part):
    """Where a brush went on one frame of the source: points from the middle of the picture, source pixels. What it
    touches is kept, is dropped, or is as if nothing had been painted there before."""

    frame: SourceFrame = 0
    how: How = "keep"
    width: float = Field(12.0, ge=0.5, le=2000)
    points: tuple[tuple[Coordinate, Coordinate], ...] = Field(min_length=1, max_length=MOST_POINTS)


class HeldFrames(Part):
    """Frames of the source, first and last, that stay as they were after so many ``strokes``, with what it began with and
    in the detail of then. So they are found again from what is painted, and no pixels need to be kept of them."""

    first: SourceFrame
    last: SourceFrame
    strokes: int = Field(ge=0)
    begin: Begin = "strokes"
    detail: Detail = "usual"

    @property
    def then(self) -> tuple[int, Begin, Detail]:
        """What tells one time at which frames were held from another."""
        return self.strokes, self.begin, self.detail

    @model_validator(mode="after")
    def _in_order(self) -> HeldFrames:
        if self.last < self.first:
            raise ValueError("the last frame comes before the first")
        return self


@dataclass(frozen=True)
class Strokes:
    """Strokes of one frame, known by a digest."""

    held: tuple[RotoStroke, ...]
    digest: str


def known(held: tuple[RotoStroke, ...]) -> Strokes:
    """Strokes of one frame, by what they say."""
    text = "\n".join(one.model_dump_json() for one in held)
    return Strokes(held, blake2b(text.encode(), digest_size=12).hexdigest())


def marks(strokes: Strokes, source: tuple[int, int], size: tuple[int, int]) -> Marks:
    """What strokes keep and drop, one after the other.

    Args:
        source: width and height of the source, in whose pixels strokes are.
        size: height and width of what is marked.
    """
    height, width = size
    keep, drop = (np.zeros((height, width), bool) for _ in range(2))
    across, down = width / source[0], height / source[1]
    for one in strokes.held:
        line = np.array(one.points, np.float64) * (across, down) + (width / 2, height / 2)
        # a thin stroke marks the pixels it goes through
        made = stroked(line, (width, height), max(one.width * across / 2, 0.5), 1.0)
        if made is None:
            continue
        left, top, plane = made
        there = np.s_[top : top + plane.shape[0], left : left + plane.shape[1]]
        under = plane > 100
        for side, how in ((keep, "keep"), (drop, "drop")):
            side[there] = (side[there] | under) if one.how == how else side[there] & ~under
    return Marks.of(keep, drop)
