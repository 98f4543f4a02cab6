"""Match on the bench: the light of a layer brought to another one's, as a part of its look."""

from __future__ import annotations

import asyncio
import json
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.analyse.match import Matched
from velvet_seam.core.engine.comparing import against
from velvet_seam.core.looks import LookPart
from velvet_seam.core.looks.curves import Curves
from velvet_seam.core.looks.decision import Decision
from velvet_seam.core.looks.matrix import Matrix
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.lent_light import NAMES, given_light, held, part_id
from velvet_seam.core.words import Id
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Ctx
from velvet_seam.web.working import one_at_a_time
from velvet_seam.work.asks import LightFound, MatchLight
from velvet_seam.work.studio import SOON

router = APIRouter(prefix="/shots/{identity}")

NOTHING = (
    "Too little is seen in both to tell their light from what they show. Line them up first, or lend its colours. "
    "Nothing was changed."
)


class Matching(ChosenRequest):
    """A layer whose light is to be another one's: as measured at a frame, or, with ``lend``, by its statistics."""

    layer: Id
    beside: Id | None = None
    frame: int = Field(0, ge=0)
    lend: bool = False


class Drifting(ChosenRequest):
    """A layer whose light is to be another one's on every frame that both show."""

    layer: Id
    beside: Id | None = None
    frame: int = Field(0, ge=0)


@router.post("/drift", response_class=Answer)
def drift(identity: str, body: Drifting, request: Request, context: Ctx) -> Response:
    """Begin to measure every frame, in the background."""
    standing = context.library.shots.get(identity)
    layer, frame = standing.shot.layer(body.layer), min(body.frame, standing.shot.length - 1)
    other = against(standing.shot, layer, frame, body.beside)
    if other is None or layer.source.shows is None:
        raise Problem("There is no other layer whose light could be matched. Nothing was changed.")
    one_at_a_time(
        context,
        identity,
        "drift",
        "Light is being measured in this shot already. Nothing was changed.",
    )
    told = json.dumps({"layer": layer.id, "other": other.id})
    context.library.jobs.add("drift", identity, layer.name, total=layer.span.length, delivery=told)
    context.queue.wake()
    return answer(request, context, standing, body)


@router.post("/match", response_class=Answer)
async def match(identity: str, body: Matching, request: Request, context: Ctx) -> Response:
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    shot = standing.shot
    layer, frame = shot.layer(body.layer), min(body.frame, shot.length - 1)
    ask = MatchLight(standing.written, layer.id, frame, body.beside, body.lend)
    found: LightFound = await context.studio.ask(ask, SOON)
    if found.beside is None:
        raise Problem("There is no other layer whose light could be matched. Nothing was changed.")
    other = shot.layer(found.beside)
    told, part = _found(part_id(layer.id), found)
    edit = given_light(layer, other, part)
    after = await asyncio.to_thread(context.library.shots.edit, identity, edit)
    return answer(request, context, after, body, matched=told | {"name": other.name})


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


def _part(identity: str, found: Matched) -> LookPart:
    values: dict[str, Any] = {}
    if found.model == "gain":
        for name, one in zip(NAMES, found.gain, strict=True):
            values[f"slope_{name}"] = held(one, 0, 10)
        return Decision(id=identity, **values)
    if found.model == "mix":
        for to, row in zip(NAMES, found.mix, strict=True):
            values[f"offset_{to}"] = held(row[3], -1, 1)
            for of, one in zip(NAMES, row[:3], strict=True):
                values[f"{to}_{of}"] = held(one, -10, 10)
        return Matrix(id=identity, **values)
    for name, curve in zip(NAMES, found.curves, strict=True):
        last = len(curve) - 1
        values[name] = tuple((k / last, held(y, 0, 1)) for k, y in enumerate(curve))
    return Curves(id=identity, **values)


def _lent(identity: str, found: tuple[tuple[float, ...], tuple[float, ...]]) -> LookPart:
    values: dict[str, Any] = {"strength": 60.0}
    for name, slope, offset in zip(NAMES, *found, strict=True):
        values |= {f"slope_{name}": held(slope, 0, 10), f"offset_{name}": held(offset, -1, 1)}
    return Decision(id=identity, **values)
