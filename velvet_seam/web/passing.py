"""Passes of a repeated camera move: looked for in the background, and made layers of."""

from __future__ import annotations

import json
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.rate import spell
from velvet_seam.core.words import Id
from velvet_seam.store.jobs import OPEN
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Context, Ctx
from velvet_seam.web.takes import take_of
from velvet_seam.web.working import one_at_a_time

router = APIRouter(prefix="/shots/{identity}")


class Passing(ChosenRequest):
    """A layer's take in which passes are looked for; or, of those that were found, layers of some, by their number."""

    layer: Id
    make: list[int] | None = Field(None, min_length=2, max_length=40)


@router.post("/passes", response_class=Answer)
def passes(identity: str, body: Passing, request: Request, context: Ctx) -> Response:
    standing = context.library.shots.get(identity)
    shot = standing.shot
    layer = shot.layer(body.layer)
    shows = take_of(context, layer, "no camera moves in it", "Nothing was changed.").id
    one_at_a_time(
        context,
        identity,
        "passes",
        "Passes are being looked for in this shot already. Nothing was changed.",
    )
    told: dict[str, Any] = {"layer": layer.id, "footage": shows}
    total = layer.span.length
    if body.make is not None:
        found = _found(context, identity, layer)
        if not all(0 <= one < len(found) for one in body.make):
            raise Problem(
                "Those passes are not known any more: find them again. Nothing was changed."
            )
        chosen = [found[one] for one in sorted(set(body.make))]
        if chosen[0][2] != 1:
            chosen = [[a, b, way * chosen[0][2]] for a, b, way in chosen]
        told |= {"make": True, "found": chosen}
        total = sum(b - a + 1 for a, b, _ in chosen)
    context.library.jobs.add("passes", identity, layer.name, total=total, delivery=json.dumps(told))
    context.queue.wake()
    return answer(request, context, standing, body)


@router.get("/passes/{layer}")
def known(identity: str, layer: str, context: Ctx) -> dict[str, Any]:
    """The passes that were found in a layer's take, by frames of the shot."""
    shot = context.library.shots.get(identity).shot
    held = shot.layer(layer)
    found = _found(context, identity, held)
    if not found:
        return {"passes": []}
    when = _when(context, shot, held)
    told = []
    for number, (first, last, way) in enumerate(found):
        seen = [when[one] for one in range(first, last + 1) if one in when]
        if seen:
            begin, end = min(seen), max(seen)
            told.append({"number": number, "name": f"Pass {number + 1}", "first": begin, "last": end, "way": way,
                         "words": f"{spell(begin, shot.rate)} – {spell(end, shot.rate)}"})  # fmt: skip
    return {"passes": told, "span": [held.span.first, held.span.last]}


def _found(context: Context, identity: str, layer: Layer) -> list[list[int]]:
    """First, last and way of each pass that the newest search in a layer's take has found."""
    for job in context.library.jobs.all("passes"):
        if job.target != identity or job.state in OPEN or job.state != "done":
            continue
        told = json.loads(job.delivery)
        if (
            told.get("layer") == layer.id
            and told.get("footage") == layer.source.shows
            and not told.get("make")
        ):
            return list(told.get("found", []))
    return []


def _when(context: Context, shot: Shot, layer: Layer) -> dict[int, int]:
    """By frame of the clip the first frame of the shot that shows it."""
    clip = context.library.footage.get(layer.source.shows or "").probe
    when: dict[int, int] = {}
    for number in range(layer.span.length):
        when.setdefault(frame_shown(clip, layer.time, number, shot.rate), layer.span.first + number)
    return when
