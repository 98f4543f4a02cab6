"""Numbers that stand still or move over time: one type for every number in a layer."""

from __future__ import annotations

import itertools
from bisect import bisect_right
from math import isfinite
from typing import Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, field_validator

Ease = Literal["hold", "linear", "smooth"]


class Keyframe(BaseModel):
    """A value at one frame, and how the value leaves it towards the next."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    frame: int = Field(ge=-1_000_000, le=1_000_000, description="counted from the layer's first")
    value: float
    ease: Ease = "linear"


class Keyframes(BaseModel):
    """Keyframes in the order of their frames, no two on one frame."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    keys: tuple[Keyframe, ...] = Field(min_length=1, max_length=10_000)

    @field_validator("keys")
    @classmethod
    def _in_order(cls, keys: tuple[Keyframe, ...]) -> tuple[Keyframe, ...]:
        ordered = tuple(sorted(keys, key=lambda key: key.frame))
        for earlier, later in itertools.pairwise(ordered):
            if earlier.frame == later.frame:
                raise ValueError(f"two keyframes lie on frame {later.frame}")
        return ordered


Animated = float | Keyframes


def value_at(value: Animated, frame: int) -> float:
    """The value at a frame counted from the layer's first frame.

    Before the first keyframe and after the last the value holds. ``smooth`` is the cubic
    3t² − 2t³, which starts and ends at rest and never overshoots.

    >>> move = Keyframes(keys=[Keyframe(frame=0, value=0), Keyframe(frame=10, value=100)])
    >>> value_at(move, 5), value_at(move, -3), value_at(move, 99), value_at(7.5, 3)
    (50.0, 0.0, 100.0, 7.5)
    """
    if not isinstance(value, Keyframes):
        return float(value)
    keys = value.keys
    after = bisect_right(keys, frame, key=lambda key: key.frame)
    if after == 0:
        return keys[0].value
    left = keys[after - 1]
    if after == len(keys) or left.ease == "hold":
        return left.value
    right = keys[after]
    t = (frame - left.frame) / (right.frame - left.frame)
    if left.ease == "smooth":
        t = t * t * (3 - 2 * t)
    return left.value + (right.value - left.value) * t


def within(low: float, high: float, unit: str) -> AfterValidator:
    """Bounds of an animated number, in a unit of ``vocabulary``; for use in ``Annotated``.

    Not-a-number and infinities are refused, in constants and in keyframes alike.
    """

    def check(value: Animated) -> Animated:
        numbers = [key.value for key in value.keys] if isinstance(value, Keyframes) else [value]
        for number in numbers:
            if not isfinite(number) or not low <= number <= high:
                raise ValueError(f"it lies between {low:g} and {high:g} {unit}".rstrip())
        return value

    return AfterValidator(check)
