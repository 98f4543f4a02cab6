"""The bench: one shot, its stack, its seams; every change arrives here as an edit."""

from __future__ import annotations

import asyncio
import json
from math import isfinite
from typing import Annotated, Any, get_args

from fastapi import APIRouter, Query, Request
from fastapi.responses import FileResponse, HTMLResponse, Response
from markupsafe import Markup
from pydantic import Field

from velvet_seam.core.analyse.mask_cut import worst_cut
from velvet_seam.core.engine.plan import View
from velvet_seam.core.passages import WAYS
from velvet_seam.core.picture.blends import NAMES, blend_of
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.edits import left_behind, read_edit
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sources import GENERATED
from velvet_seam.core.words import Id, kind_of
from velvet_seam.web.answer import (
    Answer,
    ChosenRequest,
    answer,
    check_references,
    controls,
    parts_of,
    state,
)
from velvet_seam.web.blend_wall import GROUPS
from velvet_seam.web.context import Ctx, gives, templates
from velvet_seam.web.keys import LIGHT_WORDS, keyed_by, screen_words
from velvet_seam.web.kinds import kinds
from velvet_seam.web.nesting import moment, others
from velvet_seam.work.asks import (
    LOUPE_SIDE,
    CutLength,
    Loupe,
    MatteFacts,
    Measure,
    Paint,
    Wall,
    WallPictures,
)
from velvet_seam.work.mixer import Mixed
from velvet_seam.work.studio import LIVE, SOON

CUT_FRAMES = (16, 60)
"""At least and at most so many frames, evenly along a layer, on which its masks are looked at; in between one
every half second."""

router = APIRouter(prefix="/shots/{identity}")

_IN_SCRIPT = str.maketrans({"<": "\\u003c", ">": "\\u003e", "&": "\\u0026"})
"""JSON within a page says nothing to the page."""


class EditRequest(ChosenRequest):
    edit: dict[str, Any]


class NewKey(ChosenRequest):
    """Measure a screen along the border, or a colour over an area of the canvas (left, top, right, bottom in
    its pixels), for a new matte or for one that is there (``part``)."""

    layer: Id
    frame: int = Field(0, ge=0)
    area: tuple[float, float, float, float] | None = None
    kind: str = Field("screen-key", max_length=40)
    part: Id | None = None
    more: bool = False
    """The area counts beside those a screen's colour was measured over before."""


@router.get("", response_class=HTMLResponse)
def bench(
    identity: str, request: Request, context: Ctx, into: str = "", at: int = 0,
    outside: Annotated[str, Query(alias="from")] = "", layer: str = "",
) -> Response:  # fmt: skip
    """The page of a shot. Who comes out of a nested one is at the frame ``at`` of the layer ``into``; who goes in
    comes ``from`` a shot and a ``layer`` of it, at one of its frames."""
    standing = context.library.shots.get(identity)
    layers = standing.shot.layers
    chosen = f"layer:{layers[-1].id}" if layers else ""
    if into in {one.id for one in layers}:
        chosen = f"layer:{into}"
    frame, outer = moment(context, standing, into, outside, layer, at)
    page = {
        "page": "bench",
        "standing": standing,
        "shot": standing.shot,
        "state": Markup(state(context, standing).translate(_IN_SCRIPT)),
        "kinds": Markup(json.dumps(kinds()).translate(_IN_SCRIPT)),
        "chosen": chosen,
        "frame": frame,
        "outer": outer,
        "outer_layer": layer,
        "parts": parts_of(request, context, standing, chosen),
        "shelf": context.library.footage.all(),
        "groups": GROUPS,
        "ways": WAYS,
        "blend_of": blend_of,
        "sources": GENERATED,
        "kind_of": kind_of,
        "shots": others(context, identity),
    }
    return templates.TemplateResponse(request, "bench.html", page)


@router.get("/parts", response_class=Answer)
def parts(
    identity: str, request: Request, context: Ctx, chosen: str = "", have: str = "", stamp: str = ""
) -> Response:
    """State and fragments for what is chosen; ``have``: digests of layers, with commas between. Where the
    shot is still that of a ``stamp``, only the panel."""
    standing = context.library.shots.get(identity)
    if stamp == str(standing.stamp):
        return controls(request, context, standing, chosen[:60])
    known = tuple(one for one in have.split(",")[:200] if one)
    ask = ChosenRequest.model_construct(chosen=chosen[:60], have=known)
    return answer(request, context, standing, ask)


@router.get("/shelf", response_class=HTMLResponse)
def shelf(identity: str, request: Request, context: Ctx) -> Response:
    page = {
        "shelf": context.library.footage.all(), "sources": GENERATED, "kind_of": kind_of,
        "shots": others(context, identity),
    }  # fmt: skip
    return templates.TemplateResponse(request, "parts/shelf.html", page)


@router.post("/edits", response_class=Answer)
def edit(identity: str, body: EditRequest, request: Request, context: Ctx) -> Response:
    """Apply an edit; answers with the new state and the changed fragments."""
    new, check = read_edit(body.edit), check_references(context, identity)
    behind: list[str] = []

    def checked(before: Shot, after: Shot) -> None:
        check(before, after)
        behind.extend(left_behind(before, after))

    standing = context.library.shots.edit(identity, new, checked)
    if behind:
        names = " and ".join([", ".join(behind[:-1]), behind[-1]] if len(behind) > 1 else behind)
        said = f"{names} followed a track that is gone now, and stand where their own values say. Undo brings it back."
        return answer(request, context, standing, body, said=said)
    return answer(request, context, standing, body)


@router.post("/undo", response_class=Answer)
def undo(identity: str, body: ChosenRequest, request: Request, context: Ctx) -> Response:
    return answer(request, context, context.library.shots.undo(identity), body)


@router.post("/redo", response_class=Answer)
def redo(identity: str, body: ChosenRequest, request: Request, context: Ctx) -> Response:
    return answer(request, context, context.library.shots.redo(identity), body)


@router.post("/keys", response_class=Answer)
async def key(identity: str, body: NewKey, request: Request, context: Ctx) -> Response:
    """Measure a colour in a layer's footage and key it, or change a key by it."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    layer = standing.shot.layer(body.layer)
    ask = Measure(standing.written, layer.id, body.frame, body.area)
    reading = await context.studio.ask(ask, SOON)
    held = next((one for one in layer.seam.matte if one.id == body.part), None)
    if held is None and body.part is not None:
        raise Gone("That matte is no longer in the shot.")
    by_screen = (held.kind if held else body.kind) == "screen-key"
    colour = reading.colour if by_screen or reading.common is None else reading.common
    new = keyed_by(layer, body.kind, held, colour, body.area is None, body.more)
    standing = await asyncio.to_thread(context.library.shots.edit, identity, new)
    said = "" if body.area else screen_words(reading) if by_screen else LIGHT_WORDS
    return answer(request, context, standing, body, said=said, found=reading.found or not by_screen)


@router.get("/wall.jpg", **gives("image/jpeg"))
async def wall(identity: str, context: Ctx, layer: str = "", frame: int = 0) -> Response:
    """Every blend of a layer on a frame, in the order of the blend wall, both ways round."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    shot = standing.shot
    frame = min(max(frame, 0), shot.length - 1)
    names = NAMES
    ask = Wall(standing.written, shot.layer(layer).id, frame, names)
    made: WallPictures = await context.studio.ask(ask, SOON)
    headers = {"cache-control": "max-age=3600", "x-without-above": str(int(made.without_above))}
    return Response(made.data, media_type="image/jpeg", headers=headers)


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
    ask = Loupe(standing.written, chosen, frame, x, y, view, full)
    seen = await context.studio.ask(ask, LIVE)
    return {
        "side": LOUPE_SIDE, "colours": seen.colours, "coverage": seen.coverage, "before": seen.before
    }  # fmt: skip


@router.get("/matte-facts")
async def matte_facts(
    identity: str, context: Ctx, layer: str = "", frame: int = 0
) -> dict[str, Any]:
    """Holes and parts of a layer's matte on a frame: how many, and the largest areas."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    shot = standing.shot
    frame = min(max(frame, 0), shot.length - 1)
    found = await context.studio.ask(
        MatteFacts(standing.written, shot.layer(layer).id, frame), SOON
    )
    return {
        "parts": len(found.parts), "holes": len(found.holes), "covered": found.covered,
        "largest_hole": max(found.holes, default=0),
        "second_part": found.parts[1] if len(found.parts) > 1 else 0,
    }  # fmt: skip


@router.get("/mask-cuts")
async def mask_cuts(identity: str, context: Ctx, layer: str = "") -> dict[str, Any]:
    """The frame at which a layer's masks cut its keyed subject the most; None where they do not."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    thing = standing.shot.layer(layer)
    masked = any(mask.on and mask.use != "keep" for mask in thing.seam.masks)
    if not masked or not any(key.on for key in thing.seam.matte):
        return {"frame": None}
    last = min(thing.span.last, standing.shot.length - 1)
    length = max(1, last - thing.span.first + 1)
    halves = int(2 * length / standing.shot.rate)
    count = min(length, max(CUT_FRAMES[0], min(halves, CUT_FRAMES[1])))
    frames = [
        thing.span.first + (last - thing.span.first) * n // max(1, count - 1) for n in range(count)
    ]
    # one by one, so that a hand that goes on meanwhile never waits for more than one
    lengths = [
        await context.studio.ask(CutLength(standing.written, layer, frame), SOON)
        for frame in frames
    ]
    worst = worst_cut(lengths)
    return {"frame": None if worst is None else frames[worst]}


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
        standing.written, frame, view, chosen or None,  # type: ignore[arg-type]
        short_side=min(max(side, 32), 540),
    )  # fmt: skip
    data = await context.studio.ask(ask, SOON)
    return Response(data, media_type="image/jpeg", headers={"cache-control": "max-age=3600"})


@router.get("/sound.wav", **gives("audio/wav"))
async def sound(identity: str, context: Ctx, only: str = "") -> Response:
    """The mix of the shot, the same that a render gets; or of some layers and sounds alone, their ids
    with commas between."""
    standing = await asyncio.to_thread(context.library.shots.get, identity)
    alone = tuple(sorted(set(filter(None, only[:20_000].split(",")))))
    path = await context.mixing.ask(Mixed(standing.document, alone))
    return FileResponse(path, media_type="audio/wav", headers={"cache-control": "no-cache"})
