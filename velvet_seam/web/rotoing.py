"""Strokes on a roto, painted at a frame of the shot; and the way from one painted frame to the next."""

from __future__ import annotations

import json
from fractions import Fraction

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.engine.clip_time import frame_shown, frames_shown
from velvet_seam.core.mattes import RotoStroke
from velvet_seam.core.mattes.roto import roto_of
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import SetValues
from velvet_seam.core.shot.edits.roto import AddRotoStroke
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.steps import Clip
from velvet_seam.core.words import Id
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Context, Ctx
from velvet_seam.web.working import one_at_a_time

router = APIRouter(prefix="/shots/{identity}")


class Painting(ChosenRequest):
    """A stroke on what a layer shows at a ``frame`` of the shot; that of the stroke itself is not looked at."""

    layer: Id
    matte: Id
    frame: int = Field(0, ge=0)
    stroke: RotoStroke


@router.post("/roto-strokes", response_class=Answer)
def roto_strokes(identity: str, body: Painting, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    layer = shot.layer(body.layer)
    shown = _shown(layer, clip_of(layer, context), body.frame, shot.rate)
    look = context.library.footage.first_look(layer.source.shows or "")
    edit = AddRotoStroke(
        layer=layer.id, matte=body.matte, stroke=revised(body.stroke, frame=shown),
        cuts=None if look is None else tuple(look.cuts),
    )  # fmt: skip
    return answer(request, context, context.library.shots.edit(identity, edit), body)


class Clearing(ChosenRequest):
    """The strokes of what a layer shows at a ``frame`` of the shot go."""

    layer: Id
    matte: Id
    frame: int = Field(0, ge=0)


@router.post("/roto-clear", response_class=Answer)
def roto_clear(identity: str, body: Clearing, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    layer = shot.layer(body.layer)
    held = roto_of(layer.seam.matte, body.matte)
    here = _shown(layer, clip_of(layer, context), body.frame, shot.rate)
    left = held.without_strokes(here)
    edit = SetValues(target=layer.id, values={f"seam.matte.{held.id}.strokes": left})
    return answer(request, context, context.library.shots.edit(identity, edit), body)


def clip_of(layer: Layer, context: Context) -> Clip:
    if layer.source.kind != "footage" or layer.source.shows is None:
        raise Problem(
            f"{layer.name} shows no footage that could be painted on. Nothing was changed."
        )
    return context.library.footage.get(layer.source.shows).probe


def _shown(layer: Layer, clip: Clip, frame: int, rate: Fraction) -> int:
    """The frame of its footage that a layer shows at a frame of the shot."""
    if not layer.span.holds(frame):
        raise Problem(f"{layer.name} is not there at the playhead. Nothing was changed.")
    return frame_shown(clip, layer.time, frame - layer.span.first, rate)


class Holding(ChosenRequest):
    """What a layer shows from a ``frame`` of the shot to the ``last`` one stays as it is; or no longer."""

    layer: Id
    matte: Id
    frame: int = Field(0, ge=0)
    last: int = Field(0, ge=0)
    on: bool = True


@router.post("/roto-hold", response_class=Answer)
def roto_hold(identity: str, body: Holding, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    layer = shot.layer(body.layer)
    held, clip = roto_of(layer.seam.matte, body.matte), clip_of(layer, context)
    first, last = sorted((body.frame, body.last))
    within = range(max(first, layer.span.first), min(last, layer.span.last) + 1)
    if not within:
        raise Problem(f"{layer.name} is not there at the playhead. Nothing was changed.")
    shown = [frame_shown(clip, layer.time, one - layer.span.first, shot.rate) for one in within]
    new = (held.holding if body.on else held.letting_go)(min(shown), max(shown))
    edit = SetValues(
        target=layer.id,
        values={f"seam.matte.{held.id}.held": [one.model_dump() for one in new]},
    )
    return answer(request, context, context.library.shots.edit(identity, edit), body)


class Following(ChosenRequest):
    """A roto is followed over all that its layer shows."""

    layer: Id
    matte: Id


@router.post("/roto-follow", response_class=Answer)
def roto_follow(identity: str, body: Following, request: Request, context: Ctx) -> Response:
    standing = context.library.shots.get(identity)
    layer = standing.shot.layer(body.layer)
    held, clip = roto_of(layer.seam.matte, body.matte), clip_of(layer, context)
    item = context.library.footage.get(layer.source.shows or "")
    if item.missing:
        raise Problem(f"{item.complaint} Nothing was followed.")
    if not held.strokes and held.begin == "strokes":
        raise Problem("Nothing is painted yet, so there is nothing to follow.")
    one_at_a_time(
        context,
        identity,
        "roto",
        "A roto of this shot is being followed already. Nothing was changed.",
    )
    shown = set(frames_shown(clip, layer.time, layer.span.length, standing.shot.rate))
    told = {"layer": layer.id, "matte": held.id}
    context.library.jobs.add("roto", identity, layer.name, total=len(shown), delivery=json.dumps(told))  # fmt: skip
    context.queue.wake()
    return answer(request, context, standing, body)
