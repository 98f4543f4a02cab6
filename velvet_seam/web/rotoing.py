"""Strokes on a roto, painted at a frame of the shot; and the way from one painted frame to the next."""

from __future__ import annotations

from fractions import Fraction

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.mattes import RotoMatte, RotoStroke
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.edits import SetValues
from velvet_seam.core.shot.edits.roto import AddRotoStroke
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.steps import Clip
from velvet_seam.core.words import Id
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Context, Ctx

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
    shown = _shown(layer, _clip(layer, context), body.frame, shot.rate)
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
    held = _roto(layer, body.matte)
    here = _shown(layer, _clip(layer, context), body.frame, shot.rate)
    left = tuple(one for one in held.strokes if one.frame != here)
    if len(left) == len(held.strokes):
        raise Problem("Nothing was changed: nothing is painted on this frame.")
    edit = SetValues(target=layer.id, values={f"seam.matte.{held.id}.strokes": left})
    return answer(request, context, context.library.shots.edit(identity, edit), body)


def _roto(layer: Layer, part: str) -> RotoMatte:
    held = next((one for one in layer.seam.matte if one.id == part), None)
    if not isinstance(held, RotoMatte):
        raise Gone("Nothing was changed: that roto is no longer there.")
    return held


def _clip(layer: Layer, context: Context) -> Clip:
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


@router.get("/roto-frames/{layer_id}/{part}")
def roto_frames(
    identity: str, layer_id: str, part: str, frame: int, by: int, context: Ctx
) -> dict[str, int | None]:
    """The next frame of the shot, or the one before (``by`` -1), at which the layer shows another painted frame."""
    shot = context.library.shots.get(identity).shot
    layer = shot.layer(layer_id)
    held, clip = _roto(layer, part), _clip(layer, context)
    span, at = layer.span, min(max(frame, layer.span.first), layer.span.last)
    painted, here = set(held.painted), _shown(layer, clip, at, shot.rate)
    way = range(at + 1, span.last + 1) if by > 0 else range(at - 1, span.first - 1, -1)
    for one in way:
        number = _shown(layer, clip, one, shot.rate)
        if number in painted and number != here:
            return {"at": one}
    return {"at": None}
