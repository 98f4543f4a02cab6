"""Another frame rate for a shot: everything stays where it is in time, to the nearest frame."""

from __future__ import annotations

from fractions import Fraction
from typing import Any, Literal

from pydantic import BaseModel

from velvet_seam.core.shot.edits.base import EditBase
from velvet_seam.core.shot.keyframes import is_keyed, with_keys
from velvet_seam.core.shot.layer import Span
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.animated import Animated, Keyframes
from velvet_seam.core.timing.bounds import lasts
from velvet_seam.core.timing.rate import FrameRate, call


class ChangeRate(EditBase):
    """Another frame rate; everything stays where it is in time, to the nearest frame. Keyframes that would
    lie on one frame become the later of them."""

    do: Literal["change-rate"] = "change-rate"
    rate: FrameRate

    def applied(self, shot: Shot) -> Shot:
        by = self.rate / shot.rate
        layers = [_at_rate(layer, by) for layer in shot.layers]
        sounds = [_at_rate(sound, by) for sound in shot.sounds]
        length = max(1, _nearest(shot.length * by))
        marks = [
            revised(mark, frame=min(_nearest(mark.frame * by), length - 1)) for mark in shot.marks
        ]
        return revised(
            shot, rate=self.rate, length=length, layers=layers, sounds=sounds, marks=marks
        )

    def words(self, shot: Shot) -> str:
        return f"{call(self.rate)} frames a second"


def _nearest(value: Fraction) -> int:
    return int(value + Fraction(1, 2)) if value >= 0 else -int(-value + Fraction(1, 2))


def _so_many(frames: Animated, by: Fraction) -> Animated:
    """A number of frames that lasts as long at another rate; what was at least one frame still is."""
    if isinstance(frames, Keyframes):
        return Keyframes(
            keys=tuple(revised(key, value=_so_many(key.value, by)) for key in frames.keys)
        )
    if frames < 0:  # a place in time, rather than a length of it
        return _nearest(Fraction(frames) * by)
    return max(1 if frames else 0, _nearest(Fraction(frames) * by))


def _at_rate(part: Any, by: Fraction) -> Any:
    if is_keyed(part):
        return with_keys(part, (revised(key, frame=_nearest(key.frame * by)) for key in part.keys))
    if isinstance(part, Span):
        first = _nearest(part.first * by)
        return Span(first=first, last=max(first, _nearest((part.last + 1) * by) - 1))
    if isinstance(part, tuple):
        return tuple(_at_rate(one, by) for one in part)
    if not isinstance(part, BaseModel):
        return part
    fields = {}
    for name in type(part).model_fields:
        value = getattr(part, name)
        if lasts(type(part), name):
            value = _so_many(value, by)
        fields[name] = _at_rate(value, by)
    return type(part).model_validate(fields)
