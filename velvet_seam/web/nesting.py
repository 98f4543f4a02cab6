"""Shots in shots: layers grouped into one, taken apart again, and what a shot in a shot is known by."""

from __future__ import annotations

import json
from collections.abc import Callable

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import GroupLayers, TakeApart
from velvet_seam.core.shot.grouping import grouped, span_of, taken_apart
from velvet_seam.core.shot.layer import Layer, Place
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sources import BakedSource, NestedSource
from velvet_seam.core.words import Id, copy_free
from velvet_seam.store.folder import new_id
from velvet_seam.store.footage import FootageItem
from velvet_seam.store.shots import Standing
from velvet_seam.web.answer import Answer, ChosenRequest, answer, check_references
from velvet_seam.web.context import Context, Ctx
from velvet_seam.web.working import one_at_a_time

router = APIRouter(prefix="/shots/{identity}")


class Grouping(ChosenRequest):
    """Layers that are to be a shot of their own, shown in their place."""

    layers: tuple[Id, ...] = Field(min_length=1, max_length=200)


class Apart(ChosenRequest):
    layer: Id


@router.post("/group", response_class=Answer)
def group(identity: str, body: Grouping, request: Request, context: Ctx) -> Response:
    into = _grouped(context, identity, body.layers)
    standing = context.library.shots.get(identity)
    return answer(request, context, standing, body, chosen=f"layer:{into}")


def _grouped(context: Context, identity: str, layers: tuple[str, ...]) -> str:
    """Make some layers a shot of their own; the id of the layer that shows it."""
    shots = context.library.shots
    shot = shots.get(identity).shot
    taken = {standing.shot.name for standing in shots.all()} | {one.name for one in shot.things}
    name = copy_free("Group", taken)
    chosen = [layer for layer in shot.layers if layer.id in layers]
    inner = shots.add(grouped(shot, layers, name))
    into = Layer(
        id=new_id("l"), name=name, thread=chosen[-1].thread, source=NestedSource(footage=inner),
        span=span_of(chosen), place=Place(x=shot.canvas.width / 2, y=shot.canvas.height / 2),
    )  # fmt: skip
    edit = GroupLayers(layers=tuple(one.id for one in chosen), into=into)
    try:
        shots.edit(identity, edit, check_references(context, identity))
    except BaseException:
        shots.remove(inner)
        raise
    return into.id


@router.post("/bake", response_class=Answer)
def bake(identity: str, body: Apart, request: Request, context: Ctx) -> Response:
    """Begin to render the shot that a layer shows, to be shown from a file; a layer of another kind becomes a shot
    of its own first."""
    shots = context.library.shots
    layer = shots.get(identity).shot.layer(body.layer)
    one_at_a_time(
        context,
        identity,
        "bake",
        "Something in this shot is being baked already. Nothing was changed.",
    )
    grouped_now = ""
    if not isinstance(layer.source, NestedSource):
        if layer.source.adjusts or layer.source.moves or isinstance(layer.source, BakedSource):
            raise Problem(f"{layer.name} has nothing to bake. Nothing was changed.")
        grouped_now = _grouped(context, identity, (layer.id,))
        layer = shots.get(identity).shot.layer(grouped_now)
    assert isinstance(layer.source, NestedSource)
    inner = shots.get(layer.source.footage)
    told = json.dumps({"shot": inner.id, "layer": layer.id})
    context.library.jobs.add(
        "bake", identity, inner.shot.name, total=inner.shot.length, delivery=told
    )
    context.queue.wake()
    chosen = f"layer:{layer.id}" if grouped_now else None
    return answer(request, context, shots.get(identity), body, chosen=chosen)


@router.post("/take-apart", response_class=Answer)
def take_apart(identity: str, body: Apart, request: Request, context: Ctx) -> Response:
    shots = context.library.shots
    shot = shots.get(identity).shot
    layer = shot.layer(body.layer)
    if not isinstance(layer.source, NestedSource):
        raise Problem(f"{layer.name} shows no shot that could be taken apart.")
    inner = shots.get(layer.source.footage).shot
    layers, sounds = taken_apart(shot, layer, inner, new_id)
    edit = TakeApart(layer=layer.id, layers=layers, sounds=sounds)
    standing = shots.edit(identity, edit, check_references(context, identity))
    first = f"layer:{layers[-1].id}" if layers else "shot:"
    return answer(request, context, standing, body, chosen=first)


def others(context: Context, identity: str) -> list[FootageItem]:
    """The shots that may lie in a shot, the one changed last first: all but those that it lies in."""
    found = []
    for standing in context.library.shots.all():
        if standing.id == identity or identity in context.library.inside(standing.id):
            continue
        if standing.shot.layers:
            found.append(context.library.footage.get(standing.id))
    return found


MOST_LOOKED = 4000
"""Frames that are looked through for a moment of an inner shot."""


def moment(
    context: Context, standing: Standing, into: str, outside: str, layer: str, at: int
) -> tuple[int, Standing | None]:
    """The frame at which the page of a shot opens, and the shot that it was entered from: going in and out keeps
    the moment that is seen."""
    shot, last = standing.shot, standing.shot.length - 1
    below = next((one for one in shot.layers if one.id == into), None)
    if below is not None:
        frames = range(0, below.span.length, 1 + below.span.length // MOST_LOOKED)
        number = _shown(context, shot, below)
        near = min(frames, key=lambda one: abs(number(one) - at))
        return min(below.span.first + near, last), None
    try:
        outer = context.library.shots.get(outside) if outside else None
    except Problem:
        outer = None
    shows = {} if outer is None else {one.id: one for one in outer.shot.layers}
    if outer is None or layer not in shows or shows[layer].source.shows != standing.id:
        return min(max(at, 0), last), None
    one = shows[layer]
    own = min(max(at - one.span.first, 0), one.span.length - 1)
    return min(_shown(context, outer.shot, one)(own), last), outer


def _shown(context: Context, shot: Shot, layer: Layer) -> Callable[[int], int]:
    """Which frame of its source a layer shows at a frame of its own."""
    probe = context.library.footage.get(layer.source.shows or "").probe
    return lambda own: frame_shown(probe, layer.time, own, shot.rate)
