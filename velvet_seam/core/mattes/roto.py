"""Roto: strokes on frames of a clip say what to keep and what to drop; other frames follow."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass
from functools import cached_property
from hashlib import blake2b
from typing import Annotated, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from velvet_seam.core.mattes.base import Asked, Cut, MatteBase
from velvet_seam.core.people.guess import guess
from velvet_seam.core.picture.strokes import stroked
from velvet_seam.core.problem import Problem
from velvet_seam.core.roto.carry import between, carried, corrected
from velvet_seam.core.roto.features import solve_size
from velvet_seam.core.roto.first import Marks, found
from velvet_seam.core.roto.geodesic import FAR
from velvet_seam.core.roto.seen import Seen, seen
from velvet_seam.core.roto.soft import soft_matte
from velvet_seam.core.steps import Footage, Picture, Step, step
from velvet_seam.core.words import Part

F32 = NDArray[np.float32]

MOST_POINTS = 4000
MOST_STROKES = 400

STRIDE = 2
"""Frames over which a region is carried in one go, from a painted frame on: fewer would take longer to reach a frame far
away, more would be more than movement can be followed over."""

Coordinate = Annotated[float, Field(ge=-32768, le=32768)]
How = Literal["keep", "drop", "rub"]


class RotoStroke(Part):
    """Where a brush went on one frame of the source: points from the middle of the picture, source pixels. What it
    touches is kept, is dropped, or is as if nothing had been painted there before."""

    frame: int = Field(0, ge=0, le=10_000_000)
    how: How = "keep"
    width: float = Field(12.0, ge=0.5, le=2000)
    points: tuple[tuple[Coordinate, Coordinate], ...] = Field(min_length=1, max_length=MOST_POINTS)


@dataclass(frozen=True)
class Strokes:
    """Strokes of one frame, known by a digest."""

    held: tuple[RotoStroke, ...]
    digest: str


class RotoMatte(MatteBase):
    """Coverage from rough strokes: the edge between what is kept and what is dropped is found in the picture."""

    label: ClassVar[str] = "Roto"
    says: ClassVar[str] = "What you keep and drop with rough strokes"
    find: ClassVar[str] = "rotoscope paint strokes brush cut out by hand"

    kind: Literal["roto"] = "roto"
    strokes: tuple[RotoStroke, ...] = Field((), max_length=MOST_STROKES)
    begin: Literal["strokes", "people"] = "strokes"
    """What the first painted frame begins with: the strokes alone, or a person that was found there."""

    cuts: tuple[Annotated[int, Field(ge=0, le=10_000_000)], ...] = Field((), max_length=10_000)
    """Frames of the source that begin something new: nothing is followed across them."""

    @cached_property
    def painted(self) -> dict[int, Strokes]:
        """The strokes of every painted frame, the frame that was painted first before the others."""
        frames: dict[int, list[RotoStroke]] = {}
        for one in self.strokes:
            frames.setdefault(one.frame, []).append(one)
        return {frame: _known(tuple(held)) for frame, held in frames.items()}

    @cached_property
    def _rotos(self) -> dict[str, Roto]:
        """The steps that were made last, for each next frame begins with those of the frame before."""
        return {}

    def with_stroke(self, stroke: RotoStroke) -> tuple[RotoStroke, ...]:
        """The strokes with one more.

        Raises:
            Problem: there are as many as can be.
        """
        if len(self.strokes) >= MOST_STROKES:
            raise Problem(
                f"Nothing was changed: a roto has at most {MOST_STROKES} strokes. Undo some, or put a second roto beside it."
            )
        return (*self.strokes, stroke)

    def resized(self, by: float) -> RotoMatte:
        strokes = [
            one.model_copy(update={"width": min(max(one.width * by, 0.5), 2000.0),
                                   "points": tuple((x * by, y * by) for x, y in one.points)})
            for one in self.strokes
        ]  # fmt: skip
        # not copied: what is known of the strokes before would come along
        return RotoMatte.model_validate({**self.model_dump(), "strokes": strokes})

    def cut(self, asked: Asked) -> Cut | None:
        footage = asked.own_footage()
        if footage is None or (not self.strokes and self.begin == "strokes"):
            return None
        roto = self._rotos.get(footage.digest)
        if roto is None:
            roto = self._rotos[footage.digest] = Roto(footage, self)
        region = roto.at(asked.source_frame)
        return Cut(step("roto", _soft, (), asked.picture, region))


class Roto:
    """The steps that find a region in frames of some footage."""

    def __init__(self, footage: Footage, of: RotoMatte) -> None:
        self.footage, self.painted, self.people = footage, of.painted, of.begin == "people"
        self.cuts = sorted(of.cuts)
        self._size = footage.width, footage.height
        self._chains: dict[tuple[int, int, int], Step] = {}
        self._regions: dict[int, Step] = {}

    def at(self, frame: int) -> Step:
        """The region at a frame: of a painted one, carried from the nearest, or mixed of those on either side."""
        frames = sorted(self._beside(frame)) or ([frame] if self.people else [])
        if not frames:  # nothing is painted between the cuts on either side
            return step("roto-nothing", _nothing, (), self._seen(frame))
        before = max((one for one in frames if one <= frame), default=None)
        after = min((one for one in frames if one >= frame), default=None)
        if before is None or after is None or before == after:
            whence = before if after is None else after
            assert whence is not None  # there is at least one
            return self._carried(whence, frame)
        part = (frame - before) / (after - before)
        return step(
            "roto-between",
            _between,
            (part,),
            self._carried(before, frame),
            self._carried(after, frame),
        )

    def _beside(self, frame: int) -> list[int]:
        """The painted frames between the same two cuts as a frame, that which was painted first before the others."""
        scene = bisect_right(self.cuts, frame)
        return [one for one in self.painted if bisect_right(self.cuts, one) == scene]

    def _seen(self, frame: int) -> Step:
        return step("roto-seen", _seen, (self.footage, frame))

    def _carried(self, whence: int, frame: int) -> Step:
        """Carried from a painted frame, so many frames at a time."""
        made, at, way = self._painted(whence), whence, 1 if frame > whence else -1
        while at != frame:
            to = at + way * min(STRIDE, abs(frame - at))
            known = self._chains.get((at, to, whence))
            if known is None:
                known = step("roto-carried", carried, (), made, self._seen(at), self._seen(to))
                self._chains[at, to, whence] = known
            made, at = known, to
        return made

    def _painted(self, frame: int) -> Step:
        """The region of a painted frame. The frame that was painted first stands by itself; what is painted on another
        puts right what has been carried there from the next one on the way to it."""
        beside = self._beside(frame) or [frame]
        first = beside[0]
        way = sorted(
            (one for one in beside if min(first, frame) <= one <= max(first, frame)),
            reverse=frame < first,
        )
        before: int | None = None
        for one in way:  # from the first outward: each needs the one before it, and nothing has to be called deep
            if one not in self._regions:
                self._regions[one] = (
                    self._first(one) if before is None else self._corrected(one, before)
                )
            before = one
        return self._regions[frame]

    def _first(self, frame: int) -> Step:
        guessed = [step("roto-people", _people, (self.footage, frame))] if self.people else []
        strokes = self.painted.get(frame, _known(()))
        return step("roto-found", _found, (strokes, self._size), self._seen(frame), *guessed)

    def _corrected(self, frame: int, whence: int) -> Step:
        args = (self.painted[frame], self._size)
        return step(
            "roto-corrected", _corrected, args, self._carried(whence, frame), self._seen(frame)
        )


def _known(held: tuple[RotoStroke, ...]) -> Strokes:
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


def _between(part: float, before: F32, after: F32) -> F32:
    return between(before, after, part)


def _seen(footage: Footage, frame: int) -> Seen:
    return seen(footage.read(frame))


def _nothing(here: Seen) -> F32:
    return np.full(here.light.shape, -FAR, np.float32)


def _people(footage: Footage, frame: int) -> F32:
    picture = footage.read(frame)
    height, width = solve_size(*picture.shape[:2])
    return np.asarray(cv2.resize(guess(picture).likely, (width, height)), np.float32)


def _found(strokes: Strokes, source: tuple[int, int], here: Seen, likely: F32 | None = None) -> F32:
    return found(here.f, marks(strokes, source, here.light.shape), likely)


def _corrected(strokes: Strokes, source: tuple[int, int], inside: F32, here: Seen) -> F32:
    said = marks(strokes, source, here.light.shape)
    if not (inside > 0).any():  # it was gone: here it begins anew
        return found(here.f, said)
    return corrected(inside, here, said)


def _soft(picture: Picture, inside: F32) -> Picture:
    return soft_matte(picture, inside)
