"""Numbers that stand still or move over time: one type for every number in a layer."""

from __future__ import annotations

import itertools
import weakref
from bisect import bisect_right
from fractions import Fraction
from functools import cached_property, lru_cache

from pydantic import BaseModel, ConfigDict, Field, field_validator
from pydantic.dataclasses import dataclass

from velvet_seam.core.timing.ease import Ease, area, eased


@dataclass(frozen=True, slots=True, config=ConfigDict(extra="forbid"))
class Keyframe:
    """A value at one frame, and how the value leaves it towards the next.

    A layer may have thousands, so each is as small as it can be: a quarter of the memory of a model.
    """

    frame: int = Field(ge=-1_000_000, le=1_000_000, description="counted from the layer's first")
    value: float = Field()
    ease: Ease = "linear"


class Keyframes(BaseModel):
    """Keyframes in the order of their frames, no two on one frame."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    keys: tuple[Keyframe, ...] = Field(min_length=1, max_length=10_000)

    @cached_property
    def frames(self) -> tuple[int, ...]:
        """Where the keyframes are: looked through at every frame of a film."""
        return tuple(key.frame for key in self.keys)

    @field_validator("keys")
    @classmethod
    def _in_order(cls, keys: tuple[Keyframe, ...]) -> tuple[Keyframe, ...]:
        ordered = tuple(sorted(keys, key=lambda key: key.frame))
        for earlier, later in itertools.pairwise(ordered):
            if earlier.frame == later.frame:
                raise ValueError(f"two keyframes lie on frame {later.frame}")
        return ordered


Animated = float | Keyframes


def value_at(value: Animated, frame: float) -> float:
    """The value at a frame counted from the layer's first frame; between two frames, too.

    Before the first keyframe and after the last the value holds.

    >>> move = Keyframes(keys=[Keyframe(frame=0, value=0), Keyframe(frame=10, value=100)])
    >>> value_at(move, 5), value_at(move, -3), value_at(move, 99), value_at(7.5, 3)
    (50.0, 0.0, 100.0, 7.5)
    """
    if not isinstance(value, Keyframes):
        return float(value)
    keys = value.keys
    after = bisect_right(value.frames, frame)
    if after == 0:
        return keys[0].value
    left = keys[after - 1]
    if after == len(keys) or left.ease == "hold":
        return left.value
    right = keys[after]
    t = (frame - left.frame) / (right.frame - left.frame)
    return left.value + (right.value - left.value) * eased(left.ease, t)


@lru_cache(maxsize=4096)
def _exact(value: float) -> Fraction:
    """The simple fraction that a number stands for: 20.833… % is 125/6 %, and 120 frames a second are
    then shown one by one at 25."""
    return Fraction(value).limit_denominator(10_000)


def integral(value: Animated, frame: int) -> Fraction:
    """The area under a value from frame 0 to a frame: exact, but for inside a curve drawn by hand.

    >>> ramp = Keyframes(keys=[Keyframe(frame=0, value=0), Keyframe(frame=10, value=100)])
    >>> integral(ramp, 5), integral(ramp, 12), integral(50.0, -3)
    (Fraction(125, 1), Fraction(700, 1), Fraction(-150, 1))
    """
    if not isinstance(value, Keyframes):
        return _exact(value) * frame
    return _up_to(value, frame) - _up_to(value, 0)


def _up_to(value: Keyframes, frame: int) -> Fraction:
    """The area from the first keyframe to a frame; below zero before it."""
    keys = value.keys
    if frame <= keys[0].frame:
        return _exact(keys[0].value) * (frame - keys[0].frame)
    n = bisect_right(value.frames, frame) - 1
    whole = _areas(value)[n]
    if n == len(keys) - 1:
        return whole + _exact(keys[n].value) * (frame - keys[n].frame)
    return whole + _piece(keys[n], keys[n + 1], frame)


def _piece(left: Keyframe, right: Keyframe, frame: int) -> Fraction:
    """The area from a keyframe to a frame before the next."""
    long = right.frame - left.frame
    rise = _exact(right.value) - _exact(left.value)
    part = area(left.ease, Fraction(frame - left.frame, long))
    return _exact(left.value) * (frame - left.frame) + rise * part * long


_AREAS: dict[int, tuple[weakref.ref[Keyframes], list[Fraction]]] = {}


def _areas(value: Keyframes) -> list[Fraction]:
    """The area up to each keyframe, worked out once for as long as the value is there: every frame of a
    clip, and of its sound, asks for it."""
    held = _AREAS.get(id(value))
    if held is not None and held[0]() is value:
        return held[1]
    total, areas = Fraction(0), [Fraction(0)]
    for left, right in itertools.pairwise(value.keys):
        total += _piece(left, right, right.frame)
        areas.append(total)
    key = id(value)
    _AREAS[key] = (weakref.ref(value, lambda _: _AREAS.pop(key, None)), areas)
    return areas
