"""The part of a look by which a layer has another one's light."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from velvet_seam.core.looks import LookPart
from velvet_seam.core.looks.decision import Decision
from velvet_seam.core.shot.edits import AddLookPart, Edit, RemovePart, Several
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.timing.animated import Keyframe, Keyframes

NAMES = ("red", "green", "blue")

Gain = tuple[float, float, float]


def part_id(layer: str) -> str:
    """Of the part that a match makes: the next one takes its place."""
    return f"{layer[:40]}-match"


def given_light(layer: Layer, other: Layer, part: LookPart) -> Several:
    """The edit that puts such a part before all others of a layer's look, in the place of an earlier one."""
    before: list[Edit] = [
        RemovePart(layer=layer.id, part=one.id) for one in layer.look.parts if one.id == part.id
    ]
    edits = (*before, AddLookPart(layer=layer.id, part=part, index=0))
    return Several(label=f"light of {other.name[:50]} for {layer.name[:50]}", edits=edits)


def drifting(layer: Layer, gains: Mapping[int, Gain]) -> LookPart:
    """Gains by shot frames, as keyframes of a part."""
    values: dict[str, Any] = {}
    for c, name in enumerate(NAMES):
        keys = [
            Keyframe(frame=frame - layer.span.first, value=held(gain[c], 0, 10))
            for frame, gain in sorted(gains.items())
        ]
        values[f"slope_{name}"] = Keyframes(keys=tuple(keys))
    return Decision(id=part_id(layer.id), **values)


def held(value: float, low: float, high: float) -> float:
    """A number inside bounds, with as many digits as say anything."""
    return round(min(max(float(value), low), high), 5)
