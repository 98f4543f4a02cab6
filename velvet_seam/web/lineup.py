"""Line-up on the bench: how far a layer lies off another one, and putting it in register."""

from __future__ import annotations

import asyncio
import json
from dataclasses import asdict
from fractions import Fraction
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response
from pydantic import Field

from velvet_seam.core.engine.comparing import against
from velvet_seam.core.engine.lining import lined_up
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.in_place import SAID
from velvet_seam.core.register.in_time import WORDS
from velvet_seam.core.register.warps import Model
from velvet_seam.core.shot.edits import SetValues, Several
from velvet_seam.core.shot.in_time import exact, lag, moved_by
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id
from velvet_seam.store.shots import Standing
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Context, Ctx
from velvet_seam.web.takes import take_of
from velvet_seam.web.working import one_at_a_time
from velvet_seam.work.asks import Lines, LineUp
from velvet_seam.work.jobs.in_time import takes_beside
from velvet_seam.work.studio import SOON
from velvet_seam.work.together import By, together

router = APIRouter(prefix="/shots/{identity}")

ABSENT = "There is no other layer with a picture of its own on this frame to line up with."


class LiningUp(ChosenRequest):
    """A layer to be put in register with another one, as they are seen at a frame."""

    layer: Id
    model: Model = "turn"
    beside: Id | None = None
    frame: int = Field(0, ge=0)


@router.get("/line-up/{layer}")
async def measure(
    identity: str, layer: str, context: Ctx, frame: int = 0, model: Model = "turn", beside: str = "",
) -> JSONResponse:  # fmt: skip
    """How far a layer lies off another one on a frame; nothing is changed."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    frame = min(max(frame, 0), standing.shot.length - 1)
    ask = LineUp(standing.written, standing.shot.layer(layer).id, frame, model, beside or None)
    return JSONResponse(_told(standing, await context.studio.ask(ask, SOON)))


@router.post("/line-up", response_class=Answer)
async def put_in_register(
    identity: str, body: LiningUp, request: Request, context: Ctx
) -> Response:
    """Measured at full size, and moved; the answer tells what was found before, and what is left after."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    shot = standing.shot
    layer, frame = shot.layer(body.layer), min(body.frame, shot.length - 1)
    ask = LineUp(standing.written, layer.id, frame, body.model, body.beside, fine=True)
    found: Lines = await context.studio.ask(ask, SOON)
    if found.change is None:
        raise Problem(f"{_reason(found.why)} Nothing was changed.")
    lies = Lying(shot, lambda one: context.library.footage.get(one).probe)
    values = lined_up(lies, layer, frame, np.array(found.change).reshape(3, 3), body.model)
    other = shot.layer(found.beside or "")
    edit = Several(
        label=f"{layer.name[:50]} in register with {other.name[:50]}",
        edits=(SetValues(target=layer.id, values=values),),
    )
    after = await asyncio.to_thread(context.library.shots.edit, identity, edit)
    left: Lines = await context.studio.ask(
        LineUp(after.written, layer.id, frame, body.model, body.beside, fine=True), SOON
    )
    return answer(
        request, context, after, body, lined={"before": _told(standing, found), "after": _told(after, left)}
    )  # fmt: skip


class Together(ChosenRequest):
    """A layer to be moved in time, so that what happens in it happens when it does in another one; as it was
    measured ``by``, or by so many ``frames``."""

    layer: Id
    beside: Id | None = None
    frame: int = Field(0, ge=0)
    by: By = "sound"
    other: bool = False
    """The second of two offsets that were offered."""
    frames: int | None = Field(None, ge=-1_000_000, le=1_000_000)


@router.get("/in-time/{layer}")
async def measure_time(
    identity: str, layer: str, context: Ctx, frame: int = 0, by: By = "sound", beside: str = ""
) -> JSONResponse:
    """How much later a layer is to be, to be in time with another one; nothing is changed."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    return JSONResponse(await _in_time(context, standing.shot, layer, beside or None, frame, by))


async def _in_time(
    context: Context, shot: Shot, identity: str, beside: str | None, frame: int, by: By
) -> dict[str, Any]:
    layer = shot.layer(identity)
    other = against(shot, layer, min(frame, shot.length - 1), beside)
    if other is None or layer.source.shows is None or other.source.shows is None:
        return {"why": "absent", "said": ABSENT}
    found = await asyncio.to_thread(
        together, context.library, other.source.shows, layer.source.shows, by
    )
    told: dict[str, Any] = {
        "name": other.name,
        "beside": other.id,
        "why": found.why,
        "sure": found.sure,
    }
    if not found.found:
        return told | {"said": WORDS[found.why]}
    told["later"] = float(lag(layer, other, exact(found.offset), shot.rate) * shot.rate)
    if found.other is not None:
        told["other"] = float(lag(layer, other, exact(found.other), shot.rate) * shot.rate)
    return told


@router.post("/in-time", response_class=Answer)
async def put_in_time(identity: str, body: Together, request: Request, context: Ctx) -> Response:
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    shot = standing.shot
    layer = shot.layer(body.layer)
    if body.frames is not None:
        by = Fraction(body.frames) / shot.rate
        label = f"{layer.name[:80]} by {body.frames} frames"
    else:
        told = await _in_time(context, shot, layer.id, body.beside, body.frame, body.by)
        if told["why"]:
            raise Problem(f"{told['said']} Nothing was changed.")
        later = told["other"] if body.other and "other" in told else told["later"]
        by = exact(later / float(shot.rate))
        label = f"{layer.name[:50]} in time with {told['name'][:50]}"
    edits = tuple(moved_by(layer, by, shot.rate))
    if not edits:
        return answer(request, context, standing, body, said="It is in time already.")
    edit = Several(label=label, edits=edits)
    after = await asyncio.to_thread(context.library.shots.edit, identity, edit)
    return answer(request, context, after, body)


class AllTogether(ChosenRequest):
    """All other takes of a shot to be put in time with a layer."""

    layer: Id
    by: By = "sound"


@router.post("/together", response_class=Answer)
def put_all_in_time(identity: str, body: AllTogether, request: Request, context: Ctx) -> Response:
    standing = context.library.shots.get(identity)
    shot = standing.shot
    layer = shot.layer(body.layer)
    so = "Nothing was changed."
    item = take_of(context, layer, "it has no time of its own", so)
    if layer.time.speed != 100:
        raise Problem(
            f"{layer.name} does not run at its own speed, so nothing can be put in time with it. {so}"
        )
    if body.by == "sound" and not item.probe.has_sound:
        raise Problem(f"{item.name} has no sound. {so}")
    if not takes_beside(context.library, shot, item.id, body.by):
        raise Problem(f"There is no other take in this shot to put in time with {layer.name}. {so}")
    one_at_a_time(
        context, identity, "in-time", f"Takes of this shot are being compared already. {so}"
    )
    told = json.dumps({"layer": layer.id, "by": body.by})
    context.library.jobs.add("in-time", identity, layer.name, delivery=told)
    context.queue.wake()
    return answer(request, context, standing, body)


def _told(standing: Standing, found: Lines) -> dict[str, Any]:
    told = asdict(found)
    told["said"] = _reason(found.why) if found.why else ""
    told["name"] = standing.shot.layer(found.beside).name if found.beside else ""
    return told


def _reason(why: str) -> str:
    return ABSENT if why == "absent" else SAID.get(why, "")
