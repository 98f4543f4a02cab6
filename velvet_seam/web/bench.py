"""The bench: one shot, its stack, its seams; every change arrives here as an edit."""

from __future__ import annotations

import asyncio
import hashlib
from fractions import Fraction
from math import isfinite
from typing import Any, Literal, get_args

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, Field

from velvet_seam.core.engine.clip_time import runs_out
from velvet_seam.core.engine.plan import View
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edit import (
    AddLayer,
    AddSound,
    Edit,
    ReplaceFootage,
    Several,
    read_edit,
)
from velvet_seam.core.shot.layer import (
    THREADS,
    ColourSource,
    FootageSource,
    Layer,
    Place,
    SoundTrack,
    Span,
)  # fmt: skip
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.words import Colour, Id
from velvet_seam.core.sound.mix import mix, to_wav
from velvet_seam.core.timing.rate import CHOICES
from velvet_seam.store.folder import new_id
from velvet_seam.store.footage import FootageItem
from velvet_seam.store.shots import Standing
from velvet_seam.web.blends import GROUPS, WORDS, title
from velvet_seam.web.context import Context, Ctx, gives, templates
from velvet_seam.web.keys import keyed_by
from velvet_seam.work.painter import LOUPE_SIDE, Loupe, MatteFacts, Measure, Paint, Wall
from velvet_seam.work.studio import LIVE, SOON

router = APIRouter(prefix="/shots/{identity}")


class EditRequest(BaseModel):
    edit: dict[str, Any]
    chosen: str = Field("", max_length=60)


class ChosenRequest(BaseModel):
    chosen: str = Field("", max_length=60)


class NewLayer(ChosenRequest):
    """A layer from footage, or from a colour."""

    footage: Id | None = None
    colour: Colour | None = None
    frame: int = Field(0, ge=0)


class Replacement(ChosenRequest):
    """Other footage for a layer or a sound."""

    target: Id
    footage: Id


class NewKey(ChosenRequest):
    """Measure a screen along the border, or a colour over an area of the canvas (left, top, right, bottom in
    its pixels), for a new matte or for one that is there (``part``)."""

    layer: Id
    frame: int = Field(0, ge=0)
    area: tuple[float, float, float, float] | None = None
    kind: Literal["screen-key", "colour-key", "luma-key"] = "screen-key"
    part: Id | None = None
    more: bool = False
    """The area counts beside those a screen's colour was measured over before."""


def footage_facts(item: FootageItem) -> dict[str, Any]:
    """What the page needs to know of a piece of footage."""
    probe = item.probe
    return {
        "id": item.id,
        "name": item.name,
        "kind": probe.kind,
        "width": probe.width,
        "height": probe.height,
        "seconds": probe.seconds,
        "rate": float(probe.rate),
        "sound": probe.has_sound,
        "ready": item.ready,
        "missing": item.missing,
    }


def state(context: Context, standing: Standing) -> dict[str, Any]:
    """A shot as the page keeps it: the document, where it stands, facts of its footage."""
    used = standing.shot.footage_ids()
    facts = {}
    for identity in used:
        facts[identity] = footage_facts(context.library.footage.get(identity))
    return {
        "id": standing.id,
        "shot": standing.shot.model_dump(mode="json"),
        "revision": standing.revision,
        "stamp": standing.stamp,
        "undo": standing.undo,
        "redo": standing.redo,
        "footage": facts,
    }


def _parts(request: Request, context: Context, standing: Standing, chosen: str) -> dict[str, str]:
    """The fragments that change with the shot or with what is chosen."""
    kind, _, target = chosen.partition(":")
    shot = standing.shot
    things = {thing.id: thing for thing in shot.things}
    thing = things.get(target)
    if thing is None:
        kind = ""
    below = ""
    if isinstance(thing, Layer):
        at = shot.layers.index(thing)
        below = shot.layers[at - 1].name if at else "canvas"
    items = {i: context.library.footage.get(i) for i in shot.footage_ids()}
    page = {
        "request": request, "standing": standing, "shot": shot, "kind": kind, "thing": thing,
        "below": below, "items": items, "groups": GROUPS, "blend_title": title, "blend_words": WORDS, "dump": _dump(thing),
        "rates": CHOICES, "over": _over(context, shot, thing), "card_key": _card_keys(shot.layers), "pictures": _pictures(context, kind),
    }  # fmt: skip
    names = ("head", "stack", "panel")
    return {name: templates.get_template(f"parts/{name}.html").render(page) for name in names}


def _pictures(context: Context, kind: str) -> list[FootageItem]:
    """Footage that may serve as a clean plate."""
    if kind != "seam":
        return []
    return [item for item in context.library.footage.all() if item.probe.kind != "sound"]


def _over(context: Context, shot: Shot, thing: Any) -> int | None:
    """The frame from which on a layer's clip is over and its outer frame holds."""
    if not isinstance(thing, Layer) or not isinstance(thing.source, FootageSource):
        return None
    probe = context.library.footage.get(thing.source.footage).probe
    return (
        runs_out(thing.time, thing.span, shot.rate, probe.length) if probe.kind == "clip" else None
    )


def _dump(thing: Any) -> dict[str, Any]:
    return thing.model_dump(mode="json") if thing is not None else {}


def _card_keys(layers: tuple[Layer, ...]) -> dict[str, str]:
    """A short hash of each layer, so that its card's pictures are fetched again only on change."""
    return {
        layer.id: hashlib.blake2b(layer.model_dump_json().encode(), digest_size=6).hexdigest()
        for layer in layers
    }


def answer(
    request: Request, context: Context, standing: Standing, chosen: str, **more: Any
) -> dict[str, Any]:
    if request.method != "GET":
        context.watchers.changed(standing.id, standing.stamp)
    return {
        "state": state(context, standing),
        "chosen": chosen,
        "parts": _parts(request, context, standing, chosen),
        **more,
    }


@router.get("", response_class=HTMLResponse)
def bench(identity: str, request: Request, context: Ctx) -> Response:
    standing = context.library.shots.get(identity)
    layers = standing.shot.layers
    chosen = f"layer:{layers[-1].id}" if layers else ""
    page = {
        "page": "bench",
        "standing": standing,
        "shot": standing.shot,
        "state": state(context, standing),
        "chosen": chosen,
        "parts": _parts(request, context, standing, chosen),
        "shelf": context.library.footage.all(),
        "groups": GROUPS,
        "blend_title": title,
        "blend_words": WORDS,
    }
    return templates.TemplateResponse(request, "bench.html", page)


@router.get("/parts")
def parts(identity: str, request: Request, context: Ctx, chosen: str = "") -> dict[str, Any]:
    """State and fragments for what is chosen."""
    return answer(request, context, context.library.shots.get(identity), chosen[:60])


@router.get("/shelf", response_class=HTMLResponse)
def shelf(identity: str, request: Request, context: Ctx) -> Response:
    page = {"shelf": context.library.footage.all()}
    return templates.TemplateResponse(request, "parts/shelf.html", page)


@router.post("/edits")
def edit(identity: str, body: EditRequest, request: Request, context: Ctx) -> dict[str, Any]:
    """Apply an edit; answers with the new state and the changed fragments."""
    new = read_edit(body.edit)
    _check_footage(context, context.library.shots.get(identity).shot, new)
    standing = context.library.shots.edit(identity, new)
    return answer(request, context, standing, body.chosen)


@router.post("/replace")
def replace(identity: str, body: Replacement, request: Request, context: Ctx) -> dict[str, Any]:
    """Show another piece of footage in the place of the one a layer or a sound shows."""
    shot = context.library.shots.get(identity).shot
    new = context.library.footage.get(body.footage)
    ratio = 1.0
    for layer in shot.layers:
        if layer.id == body.target and isinstance(layer.source, FootageSource):
            old = context.library.footage.get(layer.source.footage)
            ratio = (old.probe.width or 1) / (new.probe.width or 1)
    edit = ReplaceFootage(target=body.target, footage=new.id, ratio=ratio)
    _check_footage(context, shot, edit)
    standing = context.library.shots.edit(identity, edit)
    return answer(request, context, standing, body.chosen)


def _check_footage(context: Context, shot: Shot, new: Edit) -> None:
    """What an edit brings in must be here, and be of the kind it is used as."""
    match new:
        case AddLayer(layer=Layer(source=FootageSource(footage=footage), name=name)):
            if context.library.footage.get(footage).probe.kind == "sound":
                raise Problem(f"{name} is a sound and has no picture. Nothing was changed.")
        case ReplaceFootage(target=target, footage=footage):
            item = context.library.footage.get(footage)
            heard = any(sound.id == target for sound in shot.sounds)
            if not item.probe.has_sound if heard else item.probe.kind == "sound":
                lacks = "sound" if heard else "picture"
                raise Problem(f"{item.name} has no {lacks}. Nothing was changed.")
        case AddSound(sound=SoundTrack(footage=footage, name=name)):
            if not context.library.footage.get(footage).probe.has_sound:
                raise Problem(f"{name} has no sound. Nothing was changed.")
        case Several(edits=edits):
            for one in edits:
                _check_footage(context, shot, one)


@router.post("/undo")
def undo(identity: str, body: ChosenRequest, request: Request, context: Ctx) -> dict[str, Any]:
    return answer(request, context, context.library.shots.undo(identity), body.chosen)


@router.post("/redo")
def redo(identity: str, body: ChosenRequest, request: Request, context: Ctx) -> dict[str, Any]:
    return answer(request, context, context.library.shots.redo(identity), body.chosen)


@router.post("/layers")
def add_layer(identity: str, body: NewLayer, request: Request, context: Ctx) -> dict[str, Any]:
    """Put footage or a colour on top of the stack (a sound: beside it), at the playhead."""
    standing = context.library.shots.get(identity)
    new: Edit
    if body.footage is not None:
        item = context.library.footage.get(body.footage)
        new = _from_footage(standing, item, body.frame)
    else:
        colour = body.colour or "#6d1d40"
        new = AddLayer(layer=_from_colour(standing, colour, body.frame))
    standing = context.library.shots.edit(identity, new)
    if isinstance(new, AddSound):
        chosen = f"sound:{new.sound.id}"
    else:
        chosen = f"layer:{new.layer.id}"
    return answer(request, context, standing, chosen)


def _from_footage(standing: Standing, item: FootageItem, frame: int) -> AddLayer | AddSound:
    shot, probe = standing.shot, item.probe
    first = min(frame, shot.length - 1)
    frames = max(
        1, int(Fraction(probe.seconds).limit_denominator(100_000) * shot.rate + Fraction(1, 2))
    )
    name = item.name.rsplit(".", 1)[0] or item.name
    source = FootageSource(footage=item.id)
    if probe.kind == "sound":
        last = min(first + frames - 1, max(shot.length - 1, first))
        track = SoundTrack(id=new_id("t"), name=name, footage=item.id,
                           span=Span(first=first, last=last))  # fmt: skip
        return AddSound(sound=track)
    if probe.kind == "still":
        span = Span(first=0, last=shot.length - 1)
    else:
        span = Span(first=first, last=min(first + frames - 1, max(shot.length - 1, first)))
    fit = min(shot.canvas.width / probe.width, shot.canvas.height / probe.height) * 100
    place = Place(x=shot.canvas.width / 2, y=shot.canvas.height / 2, scale=round(fit, 4))
    layer = Layer(id=new_id("l"), name=name, thread=_next_thread(shot.layers), source=source,
                  span=span, place=place)  # fmt: skip
    return AddLayer(layer=layer)


def _from_colour(standing: Standing, colour: str, frame: int) -> Layer:
    shot = standing.shot
    place = Place(x=shot.canvas.width / 2, y=shot.canvas.height / 2)
    return Layer(
        id=new_id("l"), name="Colour", thread=_next_thread(shot.layers),
        source=ColourSource(colour=colour), span=Span(first=0, last=shot.length - 1), place=place,
    )  # fmt: skip


def _next_thread(layers: tuple[Layer, ...]) -> int:
    """The thread colour used least, the first of those."""
    used = [layer.thread for layer in layers]
    return min(range(THREADS), key=lambda n: (used.count(n), n))


@router.post("/keys")
async def key(identity: str, body: NewKey, request: Request, context: Ctx) -> dict[str, Any]:
    """Measure a colour in a layer's footage and key it, or change a key by it."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    layer = standing.shot.layer(body.layer)
    ask = Measure(standing.document, layer.id, body.frame, body.area)
    reading = await context.studio.ask(ask, SOON)
    held = next((one for one in layer.seam.matte if one.id == body.part), None)
    if held is None and body.part is not None:
        raise Problem("That matte is no longer in the shot.")
    new = keyed_by(layer, body.kind, held, reading.colour, body.area is None, body.more)
    standing = await asyncio.to_thread(context.library.shots.edit, identity, new)
    facts = {"share": reading.share, "uneven": reading.uneven}
    return answer(request, context, standing, body.chosen, reading=facts)


@router.get("/wall.jpg", **gives("image/jpeg"))
async def wall(identity: str, context: Ctx, layer: str = "", frame: int = 0) -> Response:
    """Every blend of a layer on a frame, in the order of the blend wall, both ways round."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    shot = standing.shot
    frame = min(max(frame, 0), shot.length - 1)
    names = tuple(name for _, group in GROUPS for name in group)
    ask = Wall(standing.document, shot.layer(layer).id, frame, names)
    data = await context.studio.ask(ask, SOON)
    return Response(data, media_type="image/jpeg", headers={"cache-control": "max-age=3600"})


@router.get("/loupe")
async def loupe(
    identity: str, context: Ctx, x: float, y: float, layer: str = "", frame: int = 0,
    view: View = "joined", full: bool = False,
) -> dict[str, Any]:  # fmt: skip
    """The pixels around a place of the picture that is seen: their colour, and a layer's coverage."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    shot = standing.shot
    frame = min(max(frame, 0), shot.length - 1)
    chosen = shot.layer(layer).id if layer else None
    if not (isfinite(x) and isfinite(y)):
        raise Problem("The place to look at is not a number.")
    ask = Loupe(standing.document, chosen, frame, x, y, view, full)
    seen = await context.studio.ask(ask, LIVE)
    return {"side": LOUPE_SIDE, "colours": seen.colours, "coverage": seen.coverage}


@router.get("/matte-facts")
async def matte_facts(
    identity: str, context: Ctx, layer: str = "", frame: int = 0
) -> dict[str, Any]:
    """Holes and parts of a layer's matte on a frame: how many, and the largest areas."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    shot = standing.shot
    frame = min(max(frame, 0), shot.length - 1)
    found = await context.studio.ask(
        MatteFacts(standing.document, shot.layer(layer).id, frame), SOON
    )
    return {
        "parts": len(found.parts), "holes": len(found.holes), "covered": found.covered,
        "largest_hole": max(found.holes, default=0),
        "second_part": found.parts[1] if len(found.parts) > 1 else 0,
    }  # fmt: skip


@router.get("/picture.jpg", **gives("image/jpeg"))
async def picture(
    identity: str, context: Ctx, frame: int = 0, view: str = "joined", chosen: str = "",
    side: int = 120,
) -> Response:  # fmt: skip
    """A small picture of a frame, for cards."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    known = {layer.id: layer for layer in standing.shot.layers}
    if view not in get_args(View) or (view != "joined" and chosen not in known):
        view = "joined"
    frame = min(max(frame, 0), standing.shot.length - 1)
    if chosen in known:
        span = known[chosen].span
        frame = min(max(frame, span.first), span.last)
    ask = Paint(
        standing.document, frame, view, chosen or None,  # type: ignore[arg-type]
        short_side=min(max(side, 32), 540),
    )  # fmt: skip
    data = await context.studio.ask(ask, SOON)
    return Response(data, media_type="image/jpeg", headers={"cache-control": "max-age=3600"})


@router.get("/sound.wav", **gives("audio/wav"))
def sound(identity: str, context: Ctx, only: str = "") -> Response:
    """The mix of the shot, the same that a render gets; or of some layers and sounds alone, their ids
    with commas between."""
    shot = context.library.shots.get(identity).shot
    footage, alone = context.library.footage, set(filter(None, only[:20_000].split(",")))
    length_of = lambda one: footage.get(one).probe.length  # noqa: E731
    data = to_wav(mix(shot, context.library.sound_of, length_of, alone))
    return Response(data, media_type="audio/wav", headers={"cache-control": "no-cache"})
