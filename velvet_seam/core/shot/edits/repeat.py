"""A layer or a sound again: some frames later, so many times; or end to end over the shot."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits.base import EditBase, called, thing_of
from velvet_seam.core.shot.edits.cutting import Trim
from velvet_seam.core.shot.layer import MAX_FRAME, Layer, SoundTrack
from velvet_seam.core.shot.leading import led_later
from velvet_seam.core.shot.motion import Passage
from velvet_seam.core.shot.revise import fresh_parts, revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id, copy_name

MOST = 60
"""Copies made at a time."""

Thing = Layer | SoundTrack


def _copy(shot: Shot, thing: Thing, new_id: str, by: int) -> Thing:
    """A copy so many frames later."""
    span = thing.span.moved(by)
    if span.last > MAX_FRAME:
        raise Problem("Nothing was changed: the last of them would lie beyond the longest shot.")
    name = copy_name(thing.name, {one.name for one in shot.things})
    own = fresh_parts(thing, new_id) if isinstance(thing, Layer) else {}
    made: Thing = revised(thing, id=new_id, name=name, span=span, **own)
    return led_later(shot, (made,), {new_id: by})[0] if isinstance(made, Layer) else made


def _put(shot: Shot, after: str, new: Thing) -> Shot:
    """A copy right above a layer, or beside a sound."""
    if isinstance(new, SoundTrack):
        return _shot(shot, sounds=(*shot.sounds, new))
    layers = list(shot.layers)
    at = next(n for n, one in enumerate(layers) if one.id == after)
    layers.insert(at + 1, new)
    return _shot(shot, layers=layers)


def _shot(shot: Shot, **changes: object) -> Shot:
    made: Shot = revised(shot, **changes)
    return made


class Repeat(EditBase):
    """The same again, ``apart`` frames later each time: an echo that can be changed one by one, a clap three times."""

    do: Literal["repeat"] = "repeat"
    target: Id
    times: int = Field(ge=1, le=MOST)
    apart: int = Field(ge=-10_000, le=10_000)
    new_id: Id

    def applied(self, shot: Shot) -> Shot:
        thing = thing_of(shot, self.target)
        if thing.span.first + min(0, self.apart * self.times) < 0:
            raise Problem("Nothing was changed: the first of them would begin before the shot.")
        above = thing.id
        for n in range(1, self.times + 1):
            new = _copy(shot, thing, f"{self.new_id[:34]}-{n}", n * self.apart)
            shot, above = _put(shot, above, new), new.id
        return shot

    def words(self, shot: Shot) -> str:
        return f"{called(shot, self.target)[:50]} again, {self.times} times"


class LoopOver(EditBase):
    """The same end to end to the end of the shot, each coming over the one before in ``fade`` frames: for fog, rain,
    a hum, whose end does not meet its beginning."""

    do: Literal["loop-over"] = "loop-over"
    target: Id
    fade: int = Field(ge=0, le=10_000)
    new_id: Id

    def applied(self, shot: Shot) -> Shot:
        thing = thing_of(shot, self.target)
        length = thing.span.length
        step = length - self.fade
        if step < 1:
            raise Problem(f"Nothing was changed: {thing.name} is not longer than its crossfade.")
        count = -(-(shot.length - thing.span.first - length) // step)
        if count < 1:
            raise Problem(f"{thing.name} reaches to the end of the shot already.")
        if count > MOST:
            raise Problem(
                f"Nothing was changed: that would be {count} copies; {MOST} are made at most at a time."
            )
        first, above, last_id = self._fading(thing, False), thing.id, thing.id
        shot = _replaced(shot, first)
        for n in range(1, count + 1):
            new = _copy(shot, thing, f"{self.new_id[:34]}-{n}", n * step)
            shot, above = _put(shot, above, self._fading(new, True, n < count)), new.id
            last_id = new.id
        if thing_of(shot, last_id).span.last >= shot.length:
            shot = Trim(target=last_id, edge="last", to=shot.length - 1).applied(shot)
        return shot

    def _fading(self, thing: Thing, comes: bool, goes: bool = True) -> Thing:
        """A layer comes over what lies below, which stays until it is covered; a sound, its own too, comes as the other
        goes."""
        if not self.fade:
            return thing
        fades: dict[str, float] = {}
        if comes:
            fades |= {"fade_in": float(self.fade), "faded_in": 0}
        if goes:
            fades |= {"fade_out": float(self.fade), "faded_out": 0}
        made: Thing
        if isinstance(thing, SoundTrack):
            made = revised(thing, **fades)
        else:
            ways: dict[str, Passage] = {}
            if comes:
                ways["arrive"] = Passage(way="fade", frames=float(self.fade), ease="linear")
            if goes:
                ways["leave"] = Passage()
            made = revised(thing, sound=revised(thing.sound, **fades), **ways)
        return made

    def words(self, shot: Shot) -> str:
        return f"{called(shot, self.target)[:50]} over the whole shot"


def _replaced(shot: Shot, thing: Thing) -> Shot:
    if isinstance(thing, SoundTrack):
        return _shot(shot, sounds=[thing if one.id == thing.id else one for one in shot.sounds])
    return _shot(shot, layers=[thing if one.id == thing.id else one for one in shot.layers])
