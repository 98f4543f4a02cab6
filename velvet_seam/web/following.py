"""What a track does for a layer, as values: a centre aimed at it, corners put onto a plane, a following made keyframes."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.engine.aiming import aimed
from velvet_seam.core.engine.keyed import keyed, put_onto
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.problem import Gone
from velvet_seam.core.shot.edits import EditBase, FollowTrack, SetValues, Several
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.following import Follow
from velvet_seam.core.words import Id
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Context, Ctx

router = APIRouter(prefix="/shots/{identity}")


class Aiming(ChosenRequest):
    """A centre of a layer, of its ``source`` or of a part of its look, aimed at tracks of a layer: keyframes."""

    layer: Id
    part: Id = "source"
    of: Id
    tracks: tuple[Id, ...] = Field(min_length=1, max_length=16)


@router.post("/aim", response_class=Answer)
def aim(identity: str, body: Aiming, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    layer, leader = shot.layer(body.layer), shot.layer(body.of)
    values = aimed(_lies(context, shot), layer, body.part, leader, body.tracks)
    edit = Several(
        label=f"{layer.name[:60]} aimed at a track", edits=(SetValues(target=layer.id, values=values),)
    )  # fmt: skip
    return answer(request, context, context.library.shots.edit(identity, edit), body)


class Onto(ChosenRequest):
    """A layer put onto a plane that was followed in another one, corner on corner, and following it from there."""

    layer: Id
    of: Id
    track: Id
    frame: int = Field(0, ge=0)


@router.post("/onto", response_class=Answer)
def onto(identity: str, body: Onto, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    layer, leader = shot.layer(body.layer), shot.layer(body.of)
    track = next((one for one in leader.tracks if one.id == body.track), None)
    if track is None:
        raise Gone("Nothing was changed: that track is no longer there.")
    frame = min(body.frame, shot.length - 1)
    values = put_onto(_lies(context, shot), layer, leader, track, frame)
    follow = Follow(layer=leader.id, tracks=(track.id,), how="plane", frame=frame)
    edits: tuple[EditBase, ...] = (
        SetValues(target=layer.id, values=values), FollowTrack(layer=layer.id, follow=follow),
    )  # fmt: skip
    edit = Several(label=f"{layer.name[:50]} put onto {track.name[:50]}", edits=edits)
    return answer(request, context, context.library.shots.edit(identity, edit), body)


class Keying(ChosenRequest):
    """What a layer follows, made keyframes of its own; it then follows nothing."""

    layer: Id


@router.post("/keyed", response_class=Answer)
def follow_as_keyframes(identity: str, body: Keying, request: Request, context: Ctx) -> Response:
    shot = context.library.shots.get(identity).shot
    edit = as_keyframes(context, shot, shot.layer(body.layer))
    return answer(request, context, context.library.shots.edit(identity, edit), body)


def as_keyframes(context: Context, shot: Shot, layer: Layer) -> Several:
    """The edit by which a layer lies where it lay, and follows nothing.

    Raises:
        Problem: it follows nothing that is known.
    """
    values: dict[str, Any] = keyed(_lies(context, shot), layer)
    edits: tuple[EditBase, ...] = (
        SetValues(target=layer.id, values=values), FollowTrack(layer=layer.id, follow=Follow()),
    )  # fmt: skip
    return Several(label=f"what {layer.name[:60]} follows as keyframes", edits=edits)


def _lies(context: Context, shot: Shot) -> Lying:
    return Lying(shot, lambda one: context.library.footage.get(one).probe)
