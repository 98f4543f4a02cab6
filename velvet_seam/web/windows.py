"""Layers put into the windows of a frame, and two layers that change places."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import Several
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.windows import corners_seen, put, windows_of
from velvet_seam.core.words import Id
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Context, Ctx

router = APIRouter(prefix="/shots/{identity}")


class IntoWindow(ChosenRequest):
    """A layer, the layer that is the frame, and the number of its window, 0 the first."""

    layer: Id
    of: Id
    number: int = Field(ge=0, le=64)
    frame: int = Field(0, ge=0)


class Exchange(ChosenRequest):
    """Two layers, each to be seen where the other is."""

    layer: Id
    other: Id
    frame: int = Field(0, ge=0)


@router.post("/into-window", response_class=Answer)
def into_window(identity: str, body: IntoWindow, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    layer, frame = shot.layer(body.layer), shot.layer(body.of)
    lies, canvas = _lying(context, shot), (shot.canvas.width, shot.canvas.height)
    found = windows_of(frame, body.frame, canvas, lambda to: lies.base(frame, to, body.frame))
    if body.number >= len(found):
        raise Problem(f"{frame.name} has {len(found)} windows. Nothing was changed.")
    edits = tuple(put(layer, found[body.number], lies.size(layer)))
    label = f"{layer.name[:60]} into window {body.number + 1}"
    edit = edits[0] if len(edits) == 1 else Several(label=label, edits=edits)
    return answer(request, context, context.library.shots.edit(identity, edit), body)


@router.post("/swap-windows", response_class=Answer)
def swap_windows(identity: str, body: Exchange, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    lies, pair = _lying(context, shot), (shot.layer(body.layer), shot.layer(body.other))
    sizes = [lies.size(one) for one in pair]
    seen = [corners_seen(one, size, body.frame) for one, size in zip(pair, sizes, strict=True)]
    edits = tuple(
        edit
        for one, size, window in zip(pair, sizes, seen[::-1], strict=True)
        for edit in put(one, window, size, bleed=0)
    )
    edit = Several(label=f"{pair[0].name[:40]} and {pair[1].name[:40]} change places", edits=edits)
    return answer(request, context, context.library.shots.edit(identity, edit), body)


def _lying(context: Context, shot: Shot) -> Lying:
    return Lying(shot, lambda one: context.library.footage.get(one).probe)
