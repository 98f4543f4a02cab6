"""What the bench is answered with: the shot as the page keeps it, and the fragments that have changed."""

from __future__ import annotations

import json
from collections.abc import Callable, Collection
from typing import Annotated, Any

from fastapi import Request
from fastapi.responses import JSONResponse
from pydantic import BaseModel, Field

from velvet_seam.core.around import AROUND
from velvet_seam.core.engine.aiming import centres
from velvet_seam.core.engine.clip_time import runs_out
from velvet_seam.core.looks import GROUPS as GROUPS_OF_LOOKS
from velvet_seam.core.looks import LOOKS
from velvet_seam.core.looks.curve_points import CurveKeys
from velvet_seam.core.looks.shelf import SHELF
from velvet_seam.core.masks import MASKS, OutlineKeys, Vertex
from velvet_seam.core.mattes import MATTES
from velvet_seam.core.passages import WAYS
from velvet_seam.core.picture.blends import blend_of
from velvet_seam.core.picture.lettering import lacking
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.roto.features import SHORT
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot, references
from velvet_seam.core.shot.track import Track
from velvet_seam.core.shot.windows import drawn_windows
from velvet_seam.core.shot.written import piece_of
from velvet_seam.core.sources import GENERATED, NestedSource
from velvet_seam.core.timing.animated import Keyframes
from velvet_seam.core.timing.rate import CHOICES
from velvet_seam.core.words import kind_of
from velvet_seam.store.footage import FootageItem
from velvet_seam.store.shots import Standing
from velvet_seam.web.blend_wall import GROUPS
from velvet_seam.web.context import Context, templates
from velvet_seam.web.plate_facts import plate_made
from velvet_seam.web.track_facts import TrackFacts, all_tracks, track_facts, track_known
from velvet_seam.web.values import Values, choices

AS_IT_IS = "As it is"
"""The first tile of the shelf of looks: none."""

Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{24}$")]


class ChosenRequest(BaseModel):
    """What is chosen on the page, and the digests of the layers it has: these are not sent again."""

    chosen: str = Field("", max_length=60)
    have: tuple[Digest, ...] = Field((), max_length=200)


def footage_facts(context: Context, item: FootageItem) -> dict[str, Any]:
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
        **({"seen": context.library.nested_digest(item.id)[:12]} if item.nested else {}),
    }


def state(context: Context, standing: Standing, have: Collection[str] = ()) -> str:
    """A shot as the page keeps it, in JSON: the document, where it stands, facts of its footage. In the
    place of a layer that the page has is its digest."""
    shot, whole = standing.shot, standing.written
    footage = context.library.footage
    rest = {
        "id": standing.id,
        "revision": standing.revision,
        "stamp": standing.stamp,
        "undo": standing.undo,
        "redo": standing.redo,
        "footage": {
            one: footage_facts(context, footage.get(one)) for one in sorted(shot.footage_ids())
        },
        "pieces": [piece.digest for piece in whole.pieces],
    }
    layers = (json.dumps(p.digest) if p.digest in have else p.text for p in whole.pieces)
    document = f'{whole.head[:-1]},"layers":[{",".join(layers)}]}}'
    return f'{json.dumps(rest)[:-1]},"shot":{document}}}'


def parts_of(
    request: Request, context: Context, standing: Standing, chosen: str,
    names: tuple[str, ...] = ("head", "stack", "panel"),
) -> dict[str, str]:  # fmt: skip
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
        "below": below, "items": items, "groups": GROUPS, "ways": WAYS, "blend_of": blend_of, "dump": _dump(thing), "value": Values(thing, shot.canvas), "masks": MASKS, "mattes": MATTES, "kind_of": kind_of,
        "rates": CHOICES, "looks": LOOKS, "look_groups": GROUPS_OF_LOOKS, "look_names": (AS_IT_IS, *SHELF), "kept_looks": context.library.looks.all() if kind == "look" else [], "around": AROUND, "choices": choices, "table_here": lambda one: context.library.tables.path(one).exists(), "lacking": lacking, "drawn_windows": drawn_windows, "sources": GENERATED, "over": _over(context, shot, thing), "card_key": {one.id: _card_key(context, one) for one in shot.layers}, "cameras": _cameras(shot, thing), "pictures": _pictures(context, kind), "track_facts": lambda one: _facts_of_tracks(context, shot, one), "all_tracks": all_tracks, "track_known": track_known, "plate_made": lambda one: plate_made(context, standing, one), "centres": centres, "finest": SHORT,
    }  # fmt: skip
    return {name: templates.get_template(f"parts/{name}.html").render(page) for name in names}


def _facts_of_tracks(context: Context, shot: Shot, layer: Layer) -> list[TrackFacts]:
    shows = layer.source.shows
    return track_facts(shot, layer, context.library.footage.get(shows).probe) if shows else []


def _pictures(context: Context, kind: str) -> list[FootageItem]:
    """Footage that may serve as a clean plate."""
    if kind != "seam":
        return []
    return [item for item in context.library.footage.all() if item.probe.kind != "sound"]


def _over(context: Context, shot: Shot, thing: Any) -> int | None:
    """The frame from which on a layer's clip is over and its outer frame holds."""
    shows = thing.source.shows if isinstance(thing, Layer) else None
    if shows is None:
        return None
    probe = context.library.footage.get(shows).probe
    return (
        runs_out(thing.time, thing.span, shot.rate, probe.length) if probe.kind == "clip" else None
    )


def _card_key(context: Context, layer: Layer) -> str:
    """What the small picture of a layer is made of."""
    shows = layer.source.shows
    key = piece_of(layer).digest[:12]
    if not isinstance(layer.source, NestedSource) or shows is None:
        return key
    return f"{key}-{context.library.nested_digest(shows)[:12]}"


def _cameras(shot: Shot, thing: Any) -> list[str]:
    """The names of the cameras above a layer."""
    ids = [layer.id for layer in shot.layers]
    above = shot.layers[ids.index(thing.id) + 1 :] if getattr(thing, "id", None) in ids else ()
    return [one.name for one in above if one.source.moves]


def _dump(part: Any) -> Any:
    """A part of the document for its panel; of a value that moves, only its first and its greatest."""
    if isinstance(part, Keyframes):
        return {"keys": [{"value": part.keys[0].value}], "most": max(k.value for k in part.keys)}
    if isinstance(part, OutlineKeys):
        return {"points": len(part.keys[0].value), "keys": len(part.keys)}
    if isinstance(part, CurveKeys):
        return {"keys": len(part.keys)}
    if isinstance(part, Track):
        return {"name": part.name}
    if isinstance(part, tuple):
        if part and isinstance(part[0], Vertex):
            return {"points": len(part), "keys": 0}
        return [_dump(one) for one in part]
    if isinstance(part, BaseModel):
        return {name: _dump(getattr(part, name)) for name in type(part).model_fields}
    return part


class Answer(JSONResponse):
    """JSON that has been written already."""

    def render(self, content: str) -> bytes:
        return content.encode()


def answer(
    request: Request, context: Context, standing: Standing, ask: ChosenRequest,
    chosen: str | None = None, **more: Any,
) -> Answer:  # fmt: skip
    """The new state and the changed fragments; ``chosen`` where something else is chosen now."""
    if request.method != "GET":
        context.watchers.changed(standing.id, standing.stamp)
        _tell_outer(context, standing.id)
    here = ask.chosen if chosen is None else chosen
    rest = {"chosen": here, "parts": parts_of(request, context, standing, here), **more}
    return Answer(f'{json.dumps(rest)[:-1]},"state":{state(context, standing, ask.have)}}}')


def _tell_outer(context: Context, identity: str) -> None:
    """Pages with a shot open that this one lies in show something else now, too."""
    for outer in context.watchers.open():
        if outer != identity and identity in context.library.inside(outer):
            context.watchers.changed(outer, context.library.shots.touch(outer))


def controls(
    request: Request, context: Context, standing: Standing, chosen: str
) -> Answer:  # fmt: skip
    """The panel alone, for a page that has the shot as it stands."""
    parts = parts_of(request, context, standing, chosen, ("panel",))
    return Answer(json.dumps({"chosen": chosen, "parts": parts}))


def check_references(context: Context, shot: str) -> Callable[[Shot, Shot], None]:
    """A check of an edit of a shot: footage that it brings in is here, and of the kind that it is used as; and the
    shot does not come to lie in itself."""

    def check(before: Shot, after: Shot) -> None:
        known = {id(thing) for thing in before.things}
        held = set(references(before))
        for thing in after.things:
            if id(thing) in known:
                continue
            for identity, use in references(thing):
                if (identity, use) in held:
                    continue
                item = context.library.footage.get(identity)
                lacks = item.probe.kind == "sound" if use == "picture" else not item.probe.has_sound
                if lacks:
                    raise Problem(f"{item.name} has no {use}. Nothing was changed.")
                if item.nested and item.missing:
                    raise Gone("That shot is no longer here. Nothing was changed.")
                if item.nested:
                    context.library.check_nesting(shot, after)

    return check
