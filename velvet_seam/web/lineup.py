"""Line-up on the bench: how far a layer lies off another one, and putting it in register."""

from __future__ import annotations

import asyncio
from dataclasses import asdict
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response
from pydantic import Field

from velvet_seam.core.engine.lining import lined_up
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.in_place import SAID
from velvet_seam.core.register.warps import Model
from velvet_seam.core.shot.edits import SetValues, Several
from velvet_seam.core.words import Id
from velvet_seam.store.shots import Standing
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Ctx
from velvet_seam.work.asks import Lines, LineUp
from velvet_seam.work.studio import SOON

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


def _told(standing: Standing, found: Lines) -> dict[str, Any]:
    told = asdict(found)
    told["said"] = _reason(found.why) if found.why else ""
    told["name"] = standing.shot.layer(found.beside).name if found.beside else ""
    return told


def _reason(why: str) -> str:
    return ABSENT if why == "absent" else SAID.get(why, "")
