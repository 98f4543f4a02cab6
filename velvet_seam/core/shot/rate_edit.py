"""Another frame rate for a shot: everything stays where it is in time, to the nearest frame."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from pydantic import BaseModel

from velvet_seam.core.shot.edit import ChangeRate
from velvet_seam.core.shot.keyframes import with_keys
from velvet_seam.core.shot.layer import Span
from velvet_seam.core.shot.mask import OutlineKeys
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.animated import Animated, Keyframes

_COUNTS = {"frames", "step", "fade_in", "fade_out", "frame"}
"""Fields that count frames of the shot, in what comes and goes, echoes, sounds and marks."""


def _nearest(value: Fraction) -> int:
    return int(value + Fraction(1, 2)) if value >= 0 else -int(-value + Fraction(1, 2))


def _so_many(frames: Animated, by: Fraction) -> Animated:
    """A number of frames that lasts as long at another rate; what was at least one frame still is."""
    if isinstance(frames, Keyframes):
        return Keyframes(
            keys=tuple(revised(key, value=_so_many(key.value, by)) for key in frames.keys)
        )
    return max(1 if frames else 0, _nearest(Fraction(frames) * by))


def change_rate(shot: Shot, edit: ChangeRate) -> Shot:
    """The shot at another rate. Keyframes that would lie on one frame become the later of them."""
    by = edit.rate / shot.rate
    layers = [_at_rate(layer, by) for layer in shot.layers]
    sounds = [_at_rate(sound, by) for sound in shot.sounds]
    marks = [_at_rate(mark, by) for mark in shot.marks]
    length = max(1, _nearest(shot.length * by))
    marks = [revised(mark, frame=min(mark.frame, length - 1)) for mark in marks]
    return revised(shot, rate=edit.rate, length=length, layers=layers, sounds=sounds, marks=marks)


def _at_rate(part: Any, by: Fraction) -> Any:
    if isinstance(part, Keyframes | OutlineKeys):
        return with_keys(part, (revised(key, frame=_nearest(key.frame * by)) for key in part.keys))
    if isinstance(part, Span):
        first = _nearest(part.first * by)
        return Span(first=first, last=max(first, _nearest((part.last + 1) * by) - 1))
    if isinstance(part, tuple):
        return tuple(_at_rate(one, by) for one in part)
    if not isinstance(part, BaseModel) or type(part).__name__.endswith("Plate"):
        return part  # frames of a plate are those of its clip
    fields = {}
    for name in type(part).model_fields:
        value = getattr(part, name)
        if name == "frame":
            value = _nearest(value * by)
        elif name in _COUNTS:
            value = _so_many(value, by)
        fields[name] = _at_rate(value, by)
    return type(part).model_validate(fields)
