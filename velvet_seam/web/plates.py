"""Clean plates: begun here, put together in the background, taken in as footage."""

from __future__ import annotations

import json

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import AddLayer, apply
from velvet_seam.core.shot.layer import Layer, next_thread
from velvet_seam.core.shot.plate_layer import plate_layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id, copy_free
from velvet_seam.store.folder import new_id
from velvet_seam.web.answer import Answer, ChosenRequest, answer, check_references
from velvet_seam.web.context import Context, Ctx
from velvet_seam.web.following import as_keyframes
from velvet_seam.web.plate_facts import plate_made
from velvet_seam.web.takes import take_of
from velvet_seam.web.working import one_at_a_time

router = APIRouter(prefix="/shots/{identity}")


class Plating(ChosenRequest):
    """A layer's take, or the stretch of it that the layer shows; what is unsure left ``clear``, or taken from what is
    seen at some shot ``frames``; for a difference key, ``part``. Where the camera moves it is made where the picture at
    ``frame`` is."""

    layer: Id
    clear: bool = False
    frames: list[int] = Field([], max_length=16)
    part: Id | None = None
    frame: int = Field(0, ge=0)


@router.post("/plate", response_class=Answer)
def plate(identity: str, body: Plating, request: Request, context: Ctx) -> Response:
    standing = context.library.shots.get(identity)
    shot = standing.shot
    layer = shot.layer(body.layer)
    clip = take_of(
        context, layer, "there is nothing behind anybody in it", "Nothing was made.", longest=None
    ).probe
    one_at_a_time(
        context, identity, "plate", "A plate is being made in this shot already. Nothing was made."
    )
    span = layer.span

    def shown(frame: int) -> int:
        within = min(max(frame, span.first), span.last) - span.first
        return frame_shown(clip, layer.time, within, shot.rate)

    fills = [shown(one) for one in body.frames]
    # what is filled is the plate there was: it stays where that is
    before = plate_made(context, standing, layer) if fills else None
    home = shown(body.frame) if before is None or before.home is None else before.home
    told = {
        "layer": layer.id, "clip": layer.source.shows, "clear": body.clear, "fills": fills, "part": body.part,
        "home": home,
    }  # fmt: skip
    context.library.jobs.add("plate", identity, layer.name, total=61, delivery=json.dumps(told))
    context.queue.wake()
    return answer(request, context, standing, body)


class LayingBelow(ChosenRequest):
    """The plate of a layer's take, as a layer below it."""

    layer: Id


@router.post("/plate-below", response_class=Answer)
def plate_below(identity: str, body: LayingBelow, request: Request, context: Ctx) -> Response:
    """Put the newest plate of a take right below it, where whoever is masked out of the take is gone."""
    standing = context.library.shots.get(identity)
    shot = standing.shot
    take = shot.layer(body.layer)
    made = plate_made(context, standing, take)
    if made is None:
        raise Problem(f"There is no plate of {take.name} yet. Nothing was added.")
    plate = context.library.footage.get(made.footage)
    layer = plate_layer(
        _by_itself(context, shot, take),
        new_id("l"),
        copy_free(plate.stem, {one.name for one in shot.things}),
        next_thread(shot.layers),
        plate.id,
        None if made.at is None else made.at - take.span.first,
    )
    new = AddLayer(layer=layer, index=shot.layers.index(take))
    after = context.library.shots.edit(identity, new, check_references(context, identity))
    said = f"{layer.name} lies below {take.name}: mask somebody out of the take, and the plate is seen there."
    return answer(request, context, after, body, said=said)


def _by_itself(context: Context, shot: Shot, layer: Layer) -> Layer:
    """The layer, lying where it does by keyframes of its own, though it may follow something."""
    if layer.follow.none:
        return layer
    try:
        return apply(shot, as_keyframes(context, shot, layer)).layer(layer.id)
    except Problem:  # what it follows is gone, and it lies where its values say
        return layer
