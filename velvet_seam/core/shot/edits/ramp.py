"""Ramps of a clip's speed by their names."""

from __future__ import annotations

from typing import Literal

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.revise import revised, with_layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.animated import Keyframe, Keyframes
from velvet_seam.core.timing.at import At
from velvet_seam.core.words import Id

SLOW = 4
"""How many times slower it is where it is slow."""

Way = Literal["in", "out", "both", "middle"]


class RampSpeed(EditBase):
    """Keyframes of a layer's speed: it begins slowly, ends slowly, is slow in its middle, or around the cut
    after it, where the next clip begins as slowly as this one ends. Each lasts a second, at most half of the
    layer. ``none`` is the speed of its middle, even again."""

    do: Literal["ramp-speed"] = "ramp-speed"
    layer: Id
    way: Literal["in", "out", "both", "middle", "cut", "none"]

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        if self.way == "none":
            return _with_speed(shot, layer, _middle(layer))
        if self.way != "cut":
            return _with_speed(shot, layer, _ramp(layer, self.way, shot))
        first = layer.span.last + 1
        after = next(
            (
                one
                for one in shot.layers
                if one.span.first == first and one.source.shows is not None and not one.locked
            ),
            None,
        )
        if after is None:
            raise Problem(
                "No other clip begins where this one ends. Split it, or move one up to it, and try again."
            )
        shot = _with_speed(shot, layer, _ramp(layer, "out", shot))
        return _with_speed(shot, after, _ramp(after, "in", shot))

    def words(self, shot: Shot) -> str:
        return f"ramp of {called(shot, self.layer)}"


def _half(last: int) -> int:
    return (last + 1) // 2


def _middle(layer: Layer) -> float:
    return At(_half(layer.span.length - 1))(layer.time.speed) or 100.0


def _with_speed(shot: Shot, layer: Layer, speed: float | Keyframes) -> Shot:
    return with_layer(shot, revised(layer, time=revised(layer.time, speed=speed)))


def _ramp(layer: Layer, way: Way, shot: Shot) -> Keyframes:
    last = layer.span.length - 1
    long = max(1, min(round(shot.rate), last // 2))
    full, half = _middle(layer), _half(last)
    slow = round(full / SLOW, 2)
    begins, ends = {0: slow, long: full}, {last - long: full, last: slow}
    values = {
        "in": begins,
        "out": ends,
        "both": {**ends, **begins},
        "middle": {max(0, half - long): full, min(last, half + long): full, half: slow},
    }[way]
    return Keyframes(
        keys=tuple(Keyframe(frame, value, "smooth") for frame, value in sorted(values.items()))
    )
