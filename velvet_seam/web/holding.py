"""Locking a take off, and following its shake: begun here, done in the background."""

from __future__ import annotations

import json

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.engine.comparing import against
from velvet_seam.core.problem import Problem
from velvet_seam.core.words import Id
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Ctx
from velvet_seam.web.takes import take_of
from velvet_seam.web.working import one_at_a_time

router = APIRouter(prefix="/shots/{identity}")


class Holding(ChosenRequest):
    """A layer to be locked off on what it shows at ``frame``; or, with ``follow``, to shake as another one does."""

    layer: Id
    frame: int = Field(0, ge=0)
    follow: bool = False
    beside: Id | None = None


@router.post("/hold", response_class=Answer)
def hold(identity: str, body: Holding, request: Request, context: Ctx) -> Response:
    standing = context.library.shots.get(identity)
    shot = standing.shot
    layer = measured = shot.layer(body.layer)
    frame = min(body.frame, shot.length - 1)
    one_at_a_time(
        context,
        identity,
        "hold",
        "A take in this shot is being measured already. Nothing was changed.",
    )
    if body.follow:
        other = against(shot, layer, frame, body.beside)
        if other is None:
            raise Problem(
                "There is no other layer whose shake could be followed. Nothing was changed."
            )
        measured = other
    take_of(context, measured, "nothing shakes in it", "Nothing was changed.")
    if not (layer.span.holds(frame) and measured.span.holds(frame)):
        raise Problem("Put the playhead where the layer is seen. Nothing was changed.")
    told = json.dumps({"layer": layer.id, "measured": measured.id, "frame": frame})
    context.library.jobs.add(
        "hold", identity, measured.name, total=layer.span.length, delivery=told
    )
    context.queue.wake()
    return answer(request, context, standing, body)
