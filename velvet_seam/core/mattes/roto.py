"""Roto: strokes on frames of a clip say what to keep and what to drop; other frames follow."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from velvet_seam.core.mattes.base import Asked, Cut, MatteBase
from velvet_seam.core.mattes.fringe import Fringe
from velvet_seam.core.mattes.roto_frames import RotoFrames, Said
from velvet_seam.core.mattes.roto_strokes import Begin, HeldFrames, RotoStroke, SourceFrame
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.roto.features import Detail
from velvet_seam.core.roto.soft import soft_matte
from velvet_seam.core.steps import Footage, Picture, step

F32 = NDArray[np.float32]

MOST_STROKES = 400
MOST_HELD = 100


class RotoMatte(MatteBase):
    """Coverage from rough strokes: the edge between what is kept and what is dropped is found in the picture."""

    label: ClassVar[str] = "Roto"
    says: ClassVar[str] = "What you keep and drop with rough strokes"
    find: ClassVar[str] = "rotoscope paint strokes brush eraser cut out by hand fine detail thin"
    another: ClassVar[bool] = True

    kind: Literal["roto"] = "roto"
    strokes: tuple[RotoStroke, ...] = Field((), max_length=MOST_STROKES)
    held: tuple[HeldFrames, ...] = Field((), max_length=MOST_HELD)
    """Frames that are right as they are: what is painted later on others changes nothing of them."""

    begin: Begin = "strokes"
    """What the first painted frame begins with: the strokes alone, or what was guessed there."""

    detail: Detail = "usual"
    """How finely it is found: thin legs, cables and small subjects take more time."""

    cuts: tuple[SourceFrame, ...] = Field((), max_length=10_000)
    """Frames of the source that begin something new: nothing is followed across them."""

    fringe: Fringe = 100.0

    @model_validator(mode="after")
    def _held_of_strokes(self) -> RotoMatte:
        if any(one.strokes > len(self.strokes) for one in self.held):
            raise ValueError("frames are held as they were after strokes that are not there")
        return self

    @property
    def painted(self) -> set[int]:
        """Frames of the source with strokes."""
        return {one.frame for one in self.strokes}

    @cached_property
    def _frames(self) -> dict[str, RotoFrames]:
        """The steps that were made last, for each next frame begins with those of the frame before."""
        return {}

    def frames(self, footage: Footage) -> RotoFrames:
        """The regions in frames of some footage, as steps."""
        made = self._frames.get(footage.digest)
        if made is None:
            said = Said(self.strokes, self.held, self.begin, tuple(sorted(self.cuts)), self.detail)
            made = self._frames[footage.digest] = RotoFrames(footage, said)
        return made

    def with_stroke(self, stroke: RotoStroke) -> tuple[RotoStroke, ...]:
        """The strokes with one more.

        Raises:
            Problem: there are as many as can be.
        """
        if len(self.strokes) >= MOST_STROKES:
            raise Problem(
                f"Nothing was changed: a roto has at most {MOST_STROKES} strokes. Undo some, or put a second roto beside it."
            )
        if self.holds(stroke.frame):
            raise Problem("Nothing was changed: this frame is held as it is. Let it go first.")
        return (*self.strokes, stroke)

    def without_strokes(self, frame: int) -> tuple[RotoStroke, ...]:
        """The strokes but for those of a frame.

        Raises:
            Problem: there are none, or frames are held as they were with them.
        """
        left = tuple(one for one in self.strokes if one.frame != frame)
        if len(left) == len(self.strokes):
            raise Problem("Nothing was changed: nothing is painted on this frame.")
        first = next(n for n, one in enumerate(self.strokes) if one.frame == frame)
        kept_by = [one for one in self.held if one.strokes > first]
        if kept_by:
            raise Problem(
                f"Nothing was changed: {words_of(kept_by)} held as they were with these strokes. Let go of that first."
            )
        return left

    def holds(self, frame: int) -> bool:
        """Whether a frame of the source stays as it is."""
        return any(one.first <= frame <= one.last for one in self.held)

    def holding(self, first: int, last: int) -> tuple[HeldFrames, ...]:
        """What is held, and frames besides, as they are now; those that were held before stay as they were held.

        Raises:
            Problem: there is nothing to hold, or too much is held.
        """
        if not self.strokes and self.begin == "strokes":
            raise Problem("Nothing was changed: nothing is painted yet.")
        new, at = [], first
        for one in sorted(self.held, key=lambda held: held.first):
            if one.last < first or one.first > last:
                continue
            if at < one.first:
                new.append((at, one.first - 1))
            at = max(at, one.last + 1)
        if at <= last:
            new.append((at, last))
        now = {"strokes": len(self.strokes), "begin": self.begin, "detail": self.detail}
        made = (HeldFrames(first=a, last=b, **now) for a, b in new)
        held = (*self.held, *made)
        if len(held) > MOST_HELD:
            raise Problem(f"Nothing was changed: at most {MOST_HELD} stretches can be held.")
        return held

    def letting_go(self, first: int, last: int) -> tuple[HeldFrames, ...]:
        """What is held, but for some frames."""
        left: list[HeldFrames] = []
        for one in self.held:
            for a, b in (
                (one.first, min(one.last, first - 1)),
                (max(one.first, last + 1), one.last),
            ):
                kept = one.model_copy(update={"first": a, "last": b})
                if a <= b and kept not in left:
                    left.append(kept)
        return tuple(left)

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
        # found at preview size wherever it is asked for: a render has the regions that were seen
        region = self.frames(footage.small).at(asked.source_frame)
        return Cut(step("roto", _soft, (asked.at.part(self.fringe),), asked.picture, region))


def roto_of(mattes: Iterable[MatteBase], identity: str) -> RotoMatte:
    """The roto of an id among some mattes.

    Raises:
        Gone: it is no longer there.
    """
    held = next((one for one in mattes if one.id == identity), None)
    if not isinstance(held, RotoMatte):
        raise Gone("Nothing was changed: that roto is no longer there.")
    return held


def words_of(held: list[HeldFrames]) -> str:
    """Frames that are held, for a person.

    >>> words_of([HeldFrames(first=3, last=3, strokes=1), HeldFrames(first=7, last=9, strokes=1)])
    'the frames 3, 7 to 9 of the clip are'
    """
    parts = [
        f"{one.first}" if one.first == one.last else f"{one.first} to {one.last}" for one in held
    ]
    return f"the frames {', '.join(parts)} of the clip are"


def _soft(fringe: float, picture: Picture, inside: F32) -> Picture:
    return soft_matte(picture, inside, fringe)
