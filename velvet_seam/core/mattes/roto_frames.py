"""The regions of a roto in frames of its footage, as steps: painted, held, carried, or mixed of two."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise, takewhile
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.mattes.roto_guesses import guessed
from velvet_seam.core.mattes.roto_looks import RotoLooks
from velvet_seam.core.mattes.roto_strokes import (
    Begin,
    HeldFrames,
    RotoStroke,
    Strokes,
    known,
    marks,
)
from velvet_seam.core.roto.carry import between, carried, corrected
from velvet_seam.core.roto.doubt import apart, doubt, strayed
from velvet_seam.core.roto.features import SHORT_SIDES, Detail
from velvet_seam.core.roto.first import found
from velvet_seam.core.roto.geodesic import FAR
from velvet_seam.core.roto.kept import packed, packed_number, unpacked, unpacked_number
from velvet_seam.core.roto.seen import Seen
from velvet_seam.core.roto.telling import painted_sample
from velvet_seam.core.steps import Footage, Packing, Step, step

F32 = NDArray[np.float32]

STRIDE = 2
"""Frames over which a region is carried in one go, from a painted frame on: fewer would take longer to reach a frame far
away, more would be more than movement can be followed over."""

REGION = Packing(packed, unpacked)
NUMBER = Packing(packed_number, unpacked_number)

State = Literal["painted", "held", "carried", "guessed", "nothing"]


@dataclass(frozen=True)
class Said:
    """All that a person has said of a roto; what is ``held`` in the order in which it was, ``cuts`` in theirs."""

    strokes: tuple[RotoStroke, ...]
    held: tuple[HeldFrames, ...]
    begin: Begin
    cuts: tuple[int, ...]
    detail: Detail

    def as_of(self, held: HeldFrames) -> Said:
        """What had been said when frames were held, but for what was held just then."""
        before = tuple(takewhile(lambda one: one.then != held.then, self.held))
        return replace(
            self,
            strokes=self.strokes[: held.strokes],
            held=before,
            begin=held.begin,
            detail=held.detail,
        )


class RotoFrames:
    """Regions in frames of some footage.

    What is painted on the frame that was painted first stands by itself. What is painted on another puts right what
    is carried there. Any other frame is carried from the nearest such frame, or mixed of those on either side. A frame
    that is held stands as it did after the strokes of that time; where it would be another one now, what lies beyond it
    is carried from it.
    """

    def __init__(self, footage: Footage, said: Said, within: RotoFrames | None = None) -> None:
        self.footage, self.said = footage, said
        self._size = footage.width, footage.height
        self._looks: RotoLooks = (
            within._looks
            if within and within.said.detail == said.detail
            else RotoLooks(footage, said.cuts, SHORT_SIDES[said.detail])
        )
        self._regions: dict[int, Step] = {}
        self._at: dict[int, Step] = {}
        self._ways: dict[tuple[int, int], Step] = {}
        self._strays: dict[tuple[int, int], Step] = {}
        # what is the same however little had been said: known together
        self._carries: dict[tuple[str, int, int], Step] = within._carries if within else {}
        self._then: dict[tuple[int, Begin, Detail], RotoFrames] = within._then if within else {}
        if within is None:  # those held first before the others: none is called deep
            for one in said.held:
                for end in (one.first, one.last):
                    self._as_of(one).at(end)

    @cached_property
    def painted(self) -> dict[int, Strokes]:
        """The strokes of every painted frame, the frame that was painted first before the others."""
        frames: dict[int, list[RotoStroke]] = {}
        for one in self.said.strokes:
            frames.setdefault(one.frame, []).append(one)
        return {frame: known(tuple(held)) for frame, held in frames.items()}

    def at(self, frame: int) -> Step:
        """The region at a frame: (h, w) float32, how far inside it each pixel is."""
        if frame not in self._at:
            self._at[frame] = self._found_at(frame)
        return self._at[frame]

    def state(self, frame: int) -> State:
        """What a frame goes by: where nothing is painted between two cuts, a guess or nothing."""
        if self._holding(frame):
            return "held"
        if frame in self.painted:
            return "painted"
        if self.doubt(frame):
            return "carried"
        return "nothing" if self.said.begin == "strokes" else "guessed"

    def doubt(self, frame: int) -> Step | None:
        """How doubtful the region of a carried frame is; None of any other frame."""
        ends = [one for one in (self._anchor(frame, -1), self._anchor(frame, 1)) if one is not None]
        if not ends or frame in self.painted or self._holding(frame):
            return None
        if len(ends) == 2:
            both = [self._carried(one, frame) for one in ends]
            return step("roto-apart", apart, (), self.at(frame), *both, packing=NUMBER)
        region, far = self._carried(ends[0], frame), self._strayed(ends[0], frame)
        return step("roto-doubt", doubt, (), region, far, packing=NUMBER)

    def _found_at(self, frame: int) -> Step:
        held = self._holding(frame)
        if held is not None:
            return self._as_of(held).at(frame)
        if frame in self.painted:
            return self._painted(frame)
        before, after = self._anchor(frame, -1), self._anchor(frame, 1)
        if before is None and after is None:
            if self.said.begin != "strokes":
                return self._first(frame)
            return step("roto-nothing", _nothing, (), self._looks.seen(frame))
        unchanged = self._as_before(frame, before, after)
        if unchanged is not None:
            return unchanged
        if before is None:
            assert after is not None  # there is one of them
            return self._carried(after, frame)
        if after is None:
            return self._carried(before, frame)
        part = (frame - before) / (after - before)
        return step(
            "roto-between",
            _between,
            (part,),
            self._carried(before, frame),
            self._carried(after, frame),
            packing=REGION,
        )

    def seen(self, frame: int) -> Step:
        """A frame as roto looks at it."""
        return self._looks.at(frame)

    def _holding(self, frame: int) -> HeldFrames | None:
        return next((one for one in self.said.held if one.first <= frame <= one.last), None)

    def _as_of(self, held: HeldFrames) -> RotoFrames:
        """The regions as they were when frames were held."""
        if held.then not in self._then:
            self._then[held.then] = RotoFrames(self.footage, self.said.as_of(held), self)
        return self._then[held.then]

    def _as_before(self, frame: int, before: int | None, after: int | None) -> Step | None:
        """The region of a frame as it was when the one before it, or after it, was held, if both are now as they were
        then: what is painted elsewhere changes nothing between them. What it begins with may."""
        ends = [one for one in (before, after) if one is not None]
        held = [one for one in map(self._holding, ends) if one is not None]
        for one in sorted(held, key=self.said.held.index, reverse=True):
            then = self._as_of(one)
            if (one.begin, one.detail) == (self.said.begin, self.said.detail) and all(
                then.at(end).key == self.at(end).key for end in ends
            ):
                return then.at(frame)
        return None

    @cached_property
    def _loose(self) -> RotoFrames:
        """The regions as they would be if nothing was held."""
        return RotoFrames(self.footage, replace(self.said, held=()), self)

    def _anchor(self, frame: int, way: int) -> int | None:
        """The nearest frame before (``way`` -1) or after another that is not simply carried; none up to the next cut."""
        for one in sorted(self._marked(frame), reverse=way < 0):
            if (one - frame) * way > 0 and (one in self.painted or self._differs(one)):
                return one
        return None

    def _marked(self, frame: int) -> set[int]:
        """The frames that are painted, or that begin or end what is held, between the same two cuts as a frame."""
        ends = {end for one in self.said.held for end in (one.first, one.last)}
        return {one for one in {*self.painted, *ends} if self._scene(one) == self._scene(frame)}

    def _scene(self, frame: int) -> int:
        """How many cuts lie before a frame."""
        return bisect_right(self.said.cuts, frame)

    def _differs(self, frame: int) -> bool:
        """Whether a held frame would be another one now."""
        return self.at(frame).key != self._loose.at(frame).key

    def _legs(self, whence: int, frame: int, known: dict[tuple[int, int], Step]) -> list[int]:
        """The frames, so many apart, at which one stops on the way from a painted or held frame to another: the last that
        is known, and those after it."""
        way, away = (1 if frame > whence else -1), abs(frame - whence)
        stops = [frame]
        while away and (whence, stops[-1]) not in known:
            away = (away - 1) // STRIDE * STRIDE
            stops.append(whence + way * away)
        return stops[::-1]

    def _carried(self, whence: int, frame: int) -> Step:
        """Carried from a painted or held frame."""
        stops, painted = self._legs(whence, frame, self._ways), self._sample(whence)
        made = self._ways.get((whence, stops[0])) or self._from(whence)
        for at, to in pairwise(stops):
            known_as = made.key, at, to
            if known_as not in self._carries:
                self._carries[known_as] = step(
                    "roto-carried", carried, (), made, self.seen(at), self.seen(to), painted, packing=REGION
                )  # fmt: skip
            made = self._ways[whence, to] = self._carries[known_as]
        return made

    def _from(self, whence: int) -> Step:
        """The region of a painted or held frame, at the size of what is carried from it."""
        made, held = self.at(whence), self._holding(whence)
        if held is None or held.detail == self.said.detail:
            return made
        return step("roto-resized", _resized, (), made, self._looks.seen(whence), packing=REGION)

    def _sample(self, whence: int) -> Step:
        """What tells by a painted or held frame, for all that is carried from it."""
        return step("roto-sample", painted_sample, (), self._from(whence), self.seen(whence))

    def _strayed(self, whence: int, frame: int) -> Step:
        """How far it has strayed on the way: of a frame between two stops, how far at the next, which says as much and
        is asked for anyway."""
        over = abs(frame - whence) % STRIDE
        ahead = frame + (STRIDE - over) * (1 if frame > whence else -1)
        if over and 0 <= ahead < self.footage.frames and self._scene(ahead) == self._scene(frame):
            frame = ahead
        stops = self._legs(whence, frame, self._strays)
        for at, to in pairwise(stops):
            there, here = self._carried(whence, at), self._carried(whence, to)
            far = self._strays.get((whence, at))
            self._strays[whence, to] = step(
                "roto-strayed", strayed, (), there, self.seen(at), here, self.seen(to),
                self._sample(whence), *([far] if far else []), packing=NUMBER
            )  # fmt: skip
        return self._strays[whence, frame]

    def _painted(self, frame: int) -> Step:
        """The region of a painted frame: found, or what is carried there put right."""
        scene = self._marked(frame)
        first = next(one for one in self.painted if one in scene)
        way = 1 if frame > first else -1
        outward = (
            one
            for one in self.painted
            if one in scene and 0 <= (one - first) * way <= (frame - first) * way
        )
        # from the first outward: each needs the one before it, and nothing has to be called deep
        for one in sorted(outward, reverse=way < 0):
            if one not in self._regions:
                whence = None if one == first else self._anchor(one, -way)
                self._regions[one] = (
                    self._first(one) if whence is None else self._corrected(one, whence)
                )
        return self._regions[frame]

    def _first(self, frame: int) -> Step:
        strokes, size = self.painted.get(frame, known(())), self._size
        guesses = guessed(self.said.begin, self._looks, frame)
        return step(
            "roto-found", _found, (strokes, size), self.seen(frame), *guesses, packing=REGION
        )

    def asked_first(self, frame: int) -> tuple[Step, ...]:
        """What is asked of a frame before its first strokes count, where nothing is painted yet between the same cuts."""
        if self.said.begin != "strokes" or self._marked(frame):
            return ()
        return (self.seen(frame),)

    def _corrected(self, frame: int, whence: int) -> Step:
        args = (self.painted[frame], self._size)
        carried_here = self._carried(whence, frame)
        return step(
            "roto-corrected", _corrected, args, carried_here, self.seen(frame), packing=REGION
        )


def _nothing(here: Seen) -> F32:
    return np.full(here.light.shape, -FAR, np.float32)


def _found(strokes: Strokes, source: tuple[int, int], here: Seen, likely: F32 | None = None) -> F32:
    return found(here.f, marks(strokes, source, here.light.shape), likely, here.moved)


def _corrected(strokes: Strokes, source: tuple[int, int], inside: F32, here: Seen) -> F32:
    said = marks(strokes, source, here.light.shape)
    if not (inside > 0).any():  # it was gone: here it begins anew
        return found(here.f, said, moved=here.moved)
    return corrected(inside, here, said)


def _resized(inside: F32, here: Seen) -> F32:
    height, width = here.light.shape
    factor = np.float32(height / inside.shape[0])
    return np.asarray(cv2.resize(inside, (width, height)) * factor, np.float32)


def _between(part: float, before: F32, after: F32) -> F32:
    return between(before, after, part)
