"""Match on the bench: the light of a layer brought to another one's, as a part of its look."""

from __future__ import annotations

import asyncio
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.analyse.match import Matched
from velvet_seam.core.looks import LookPart
from velvet_seam.core.looks.curves import Curves
from velvet_seam.core.looks.decision import Decision
from velvet_seam.core.looks.matrix import Matrix
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import AddLookPart, Edit, RemovePart, Several
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.written import Written
from velvet_seam.core.timing.animated import Keyframe, Keyframes
from velvet_seam.core.words import Id
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Context, Ctx
from velvet_seam.work.asks import LightFound, MatchLight
from velvet_seam.work.studio import SOON, WHENEVER

router = APIRouter(prefix="/shots/{identity}")

AT_ONCE = 6
"""Frames that are measured before something more urgent may go first."""

MOST_FRAMES = 1_500

NOTHING = (
    "Too little is seen in both to tell their light from what they show. Line them up first, or lend its colours. "
    "Nothing was changed."
)
NAMES = ("red", "green", "blue")

Gain = tuple[float, float, float]


class Matching(ChosenRequest):
    """A layer whose light is to be another one's: at a frame; over time, ``drift``; or ``lend``, by its statistics."""

    layer: Id
    beside: Id | None = None
    frame: int = Field(0, ge=0)
    drift: bool = False
    lend: bool = False


@router.post("/match", response_class=Answer)
async def match(identity: str, body: Matching, request: Request, context: Ctx) -> Response:
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    shot = standing.shot
    layer, frame = shot.layer(body.layer), min(body.frame, shot.length - 1)
    ask = MatchLight(standing.written, layer.id, (frame,), body.beside, body.lend)
    found: LightFound = await context.studio.ask(ask, SOON)
    if found.beside is None:
        raise Problem("There is no other layer whose light could be matched. Nothing was changed.")
    other = shot.layer(found.beside)
    told, part = _found(part_id(layer.id), found)
    if body.drift and not body.lend:
        first = max(layer.span.first, other.span.first)
        frames = range(first, min(layer.span.last, other.span.last) + 1)[:MOST_FRAMES]
        gains = await _over_time(context, standing.written, layer, list(frames), body.beside)
        part = _drifting(part.id, layer, gains)
        told |= {"frames": len(gains), "model": "gain"}
    before: list[Edit] = [
        RemovePart(layer=layer.id, part=one.id) for one in layer.look.parts if one.id == part.id
    ]
    edits = (*before, AddLookPart(layer=layer.id, part=part, index=0))
    edit = Several(label=f"light of {other.name[:50]} for {layer.name[:50]}", edits=edits)
    after = await asyncio.to_thread(context.library.shots.edit, identity, edit)
    return answer(request, context, after, body, matched=told | {"name": other.name})


def part_id(layer: str) -> str:
    """Of the part of a look that a match makes: the next one takes its place."""
    return f"{layer[:40]}-match"


def _found(identity: str, found: LightFound) -> tuple[dict[str, Any], LookPart]:
    if found.lent is not None:
        return {}, _lent(identity, found.lent)
    whole = found.whole
    if whole is None:
        raise Problem(NOTHING)
    told = {
        "model": whole.model, "stops": whole.stops, "before": whole.before, "after": whole.after,
        "share": whole.share, "cut_off": whole.cut_off, "warmer": float(np.log2(whole.gain[0] / max(whole.gain[2], 1e-6))),
    }  # fmt: skip
    return told, _part(identity, whole)


async def _over_time(
    context: Context, document: Written, layer: Layer, frames: list[int], beside: str | None
) -> dict[int, Gain]:
    """The gains of many frames, a few at a time, so that pictures under the hand go first."""
    gains: dict[int, Gain] = {}
    for at in range(0, len(frames), AT_ONCE):
        some = tuple(frames[at : at + AT_ONCE])
        some = some if len(some) > 1 else (*some, *some)
        ask = MatchLight(document, layer.id, some, beside)
        found: LightFound = await context.studio.ask(ask, WHENEVER)
        pairs = zip(some, found.gains, strict=True)
        gains |= {frame: one for frame, one in pairs if one is not None}
    if len(gains) < 2:
        raise Problem(NOTHING)
    return gains


def _part(identity: str, found: Matched) -> LookPart:
    values: dict[str, Any] = {}
    if found.model == "gain":
        for name, one in zip(NAMES, found.gain, strict=True):
            values[f"slope_{name}"] = _held(one, 0, 10)
        return Decision(id=identity, **values)
    if found.model == "mix":
        for to, row in zip(NAMES, found.mix, strict=True):
            values[f"offset_{to}"] = _held(row[3], -1, 1)
            for of, one in zip(NAMES, row[:3], strict=True):
                values[f"{to}_{of}"] = _held(one, -10, 10)
        return Matrix(id=identity, **values)
    for name, curve in zip(NAMES, found.curves, strict=True):
        last = len(curve) - 1
        values[name] = tuple((k / last, _held(y, 0, 1)) for k, y in enumerate(curve))
    return Curves(id=identity, **values)


def _drifting(identity: str, layer: Layer, gains: dict[int, Gain]) -> LookPart:
    """Gains from frame to frame, as keyframes of a part."""
    values: dict[str, Any] = {}
    for c, name in enumerate(NAMES):
        keys = [
            Keyframe(frame=frame - layer.span.first, value=_held(gain[c], 0, 10))
            for frame, gain in sorted(gains.items())
        ]
        values[f"slope_{name}"] = Keyframes(keys=tuple(keys))
    return Decision(id=identity, **values)


def _lent(identity: str, found: tuple[tuple[float, ...], tuple[float, ...]]) -> LookPart:
    values: dict[str, Any] = {"strength": 60.0}
    for name, slope, offset in zip(NAMES, *found, strict=True):
        values |= {f"slope_{name}": _held(slope, 0, 10), f"offset_{name}": _held(offset, -1, 1)}
    return Decision(id=identity, **values)


def _held(value: float, low: float, high: float) -> float:
    return round(min(max(float(value), low), high), 5)
