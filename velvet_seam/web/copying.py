"""What is set on one layer, set on others; and edits that ask where things are seen."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.formats.svg_outline import MOST_BYTES, read_svg_outline
from velvet_seam.core.masks import DrawnMask, Mask, MaskBase
from velvet_seam.core.mattes import FramePlate, LayerMatte, Matte
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.edits import AddMask, AddMatte, Edit, SetValues, Several
from velvet_seam.core.shot.keyframes import begun_later
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.leading import led_by
from velvet_seam.core.shot.motion import Echo, Passage
from velvet_seam.core.shot.points import resized
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id
from velvet_seam.store.folder import new_id
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Context, Ctx

router = APIRouter(prefix="/shots/{identity}")

MOTION = ("arrive", "leave", "stir", "echo", "shutter")
AROUND = ("crop", "around")
"""How a layer comes, goes, stirs and echoes."""


class Copying(ChosenRequest):
    """A matte or a mask (``part``), or without one how the layer moves, for other layers too. A mask lies
    there where it is seen here at ``frame``."""

    layer: Id
    part: Id | None = None
    to: tuple[Id, ...] = Field(min_length=1, max_length=200)
    frame: int = Field(0, ge=0)


class Fixing(ChosenRequest):
    """Fix a mask to the canvas or to its layer; it stays where it is seen at ``frame``."""

    layer: Id
    mask: Id
    to: Literal["layer", "canvas"]
    frame: int = Field(0, ge=0)


class CleanFrame(ChosenRequest):
    """The frame of its own clip that a layer shows at ``frame`` is the clean plate of a difference key."""

    layer: Id
    part: Id
    frame: int = Field(0, ge=0)


class Holding(ChosenRequest):
    """A matte taken from another layer moves with the layer that uses it, from where it is seen at ``frame``,
    or stays where the other layer is."""

    layer: Id
    part: Id
    moves: bool
    frame: int = Field(0, ge=0)


class Outline(ChosenRequest):
    """The text of an SVG file, for a mask of a layer."""

    layer: Id
    text: str = Field(max_length=MOST_BYTES)
    frame: int = Field(0, ge=0)


@router.post("/copies", response_class=Answer)
def copies(identity: str, body: Copying, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    layer, others = shot.layer(body.layer), [shot.layer(one) for one in body.to]
    edits: list[Edit]
    if body.part is None or body.part == "around":
        names = MOTION if body.part is None else AROUND
        values = {name: _whole(getattr(layer, name)) for name in names}
        edits = [
            SetValues(target=one.id, values={n: _later(v, one, layer) for n, v in values.items()})
            for one in others
        ]
        what = "motion" if body.part is None else "crop and surroundings"
    else:
        part = _part(layer, body.part)
        edits = [_added(shot, context, part, layer, one, body.frame) for one in others]
        what = part.kind.replace("-", " ")
    where = others[0].name[:60] if len(others) == 1 else f"{len(others)} layers"
    new = Several(label=f"{what} copied to {where}", edits=tuple(edits))
    return answer(request, context, context.library.shots.edit(identity, new), body)


@router.post("/fixed-mask", response_class=Answer)
def fixed_mask(identity: str, body: Fixing, request: Request, context: Ctx) -> Response:
    standing = context.library.shots.get(identity)
    layer = standing.shot.layer(body.layer)
    way, mask = _mask(layer, body.mask)
    if mask.fixed != body.to:
        moved = _lying(standing.shot, context).refixed(mask, layer, body.to, layer, body.frame)
        names = [n for n in type(moved).model_fields if getattr(moved, n) != getattr(mask, n)]
        values = {f"{way}.{mask.id}.{name}": getattr(moved, name) for name in names}
        standing = context.library.shots.edit(identity, SetValues(target=layer.id, values=values))
    return answer(request, context, standing, body)


@router.post("/clean-frame", response_class=Answer)
def clean_frame(identity: str, body: CleanFrame, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    layer = shot.layer(body.layer)
    if layer.source.shows is None:
        raise Problem("A flat colour has no clean frame.")
    clip = context.library.footage.get(layer.source.shows).probe
    frame = min(max(body.frame, layer.span.first), layer.span.last) - layer.span.first
    plate = FramePlate(frame=frame_shown(clip, layer.time, frame, shot.rate))
    new = SetValues(target=layer.id, values={f"seam.matte.{body.part}.plate": plate})
    return answer(request, context, context.library.shots.edit(identity, new), body)


@router.post("/held-matte", response_class=Answer)
def held_matte(identity: str, body: Holding, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    layer = shot.layer(body.layer)
    if not isinstance(_part(layer, body.part), LayerMatte):
        raise Problem("Nothing was changed: only a matte of another layer moves with its layer.")
    home = _lying(shot, context).home(layer, body.frame) if body.moves else None
    new = SetValues(target=layer.id, values={f"seam.matte.{body.part}.home": home})
    return answer(request, context, context.library.shots.edit(identity, new), body)


@router.post("/svg-outline", response_class=Answer)
def svg_outline(identity: str, body: Outline, request: Request, context: Ctx) -> Response:
    """The outline of an SVG file as a mask in the middle of the canvas, a little smaller than it."""
    shot = context.library.shots.get(identity).shot
    layer = shot.layer(body.layer)
    found = read_svg_outline(body.text.encode())
    canvas = shot.canvas
    k = 0.6 * min(canvas.width / found.width, canvas.height / found.height)
    mask = DrawnMask(
        id=new_id("m"), fixed="canvas", feather_in=1.0, feather_out=1.0, outline=resized(found.points, k),
        combine="intersect" if any(m.use == "limit" for m in layer.seam.masks) else "add",
    )  # fmt: skip
    made = _lying(shot, context).refixed(mask, layer, "layer", layer, body.frame)
    new = AddMask(layer=layer.id, mask=made)
    return answer(request, context, context.library.shots.edit(identity, new), body, mask=mask.id)


def _part(layer: Layer, identity: str) -> Matte | Mask:
    for part in layer.seam.parts:
        if part.id == identity:
            return part
    raise Gone("Nothing was changed: that matte or mask is no longer there.")


def _mask(layer: Layer, identity: str) -> tuple[str, Mask]:
    """A mask of a layer's seam or of a part of its look, and the path of those beside it."""
    held = {"seam.masks": layer.seam.masks}
    held |= {f"look.parts.{one.id}.masks": one.masks for one in layer.look.parts}
    for way, masks in held.items():
        for mask in masks:
            if mask.id == identity:
                return way, mask
    raise Gone("Nothing was changed: that mask is no longer there.")


def _lying(shot: Shot, context: Context) -> Lying:
    return Lying(shot, lambda identity: context.library.footage.get(identity).probe)


def _whole(value: Any) -> Any:
    """Something of a layer without what a split left of it."""
    if isinstance(value, Passage):
        return revised(value, done=0)
    return revised(value, earlier=0) if isinstance(value, Echo) else value


def _later(value: Any, one: Layer, other: Layer) -> Any:
    """Something of another layer, its keyframes at the same frames of the shot."""
    return begun_later(value, one.span.first - other.span.first)


def _added(
    shot: Shot, context: Context, part: Matte | Mask, layer: Layer, other: Layer, frame: int
) -> Edit:
    if isinstance(part, MaskBase):
        where = part.fixed  # what is fixed to the canvas stays so
        copy = _lying(shot, context).refixed(part, layer, where, other, frame, id=new_id("m"))
        copy = led_by(copy, layer.id)
        return AddMask(layer=other.id, mask=_later(copy, other, layer))
    copied = revised(part, id=new_id("k"))
    return AddMatte(layer=other.id, matte=_later(copied, other, layer))
