"""What is known of each frame of a roto: painted, held, carried, to be looked at, not followed yet."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import groupby
from typing import Any, Literal

from fastapi import APIRouter

from velvet_seam.core.engine.clip_time import frames_shown
from velvet_seam.core.mattes.roto import RotoMatte, roto_of
from velvet_seam.core.roto.doubt import LOOK
from velvet_seam.core.roto.kept import unpacked_number
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.store.library import Library
from velvet_seam.web.context import Ctx
from velvet_seam.web.rotoing import clip_of

router = APIRouter(prefix="/shots/{identity}")

Seen = Literal["painted", "held", "carried", "look", "waiting", "guessed", "nothing"]


@dataclass(frozen=True)
class Frames:
    """By frame of the shot, from the layer's first on: the frame of the clip, and what is known of it."""

    first: int
    shown: list[int]
    states: list[Seen]
    doubts: list[float]
    """How doubtful each is, where that is known; else 0."""

    def next(self, frame: int, way: int, wanted: Seen) -> int | None:
        """The nearest frame of the shot after another, or before it, that shows another frame of a state."""
        at = min(max(frame - self.first, 0), len(self.shown) - 1)
        there = range(at + 1, len(self.shown)) if way > 0 else range(at - 1, -1, -1)
        for n in there:
            if self.states[n] == wanted and self.shown[n] != self.shown[at]:
                return self.first + n
        return None


def frames_of(
    library: Library, shot: Shot, layer: Layer, roto: RotoMatte, shown: list[int]
) -> Frames:
    """What the store knows of a roto's frames; nothing is computed for it."""
    if not roto.strokes and roto.begin == "strokes":
        return Frames(layer.span.first, shown, ["nothing"] * len(shown), [0.0] * len(shown))
    material = library.materials(preview=True)(layer.source.shows or "")
    made = roto.frames(material.small)
    doubts = {one: made.doubt(one) for one in set(shown)}
    known = library.regions.known([one.key for one in doubts.values() if one])
    said: dict[int, tuple[Seen, float]] = {}
    for one, step in doubts.items():
        if step is None:
            said[one] = made.state(one), 0.0
        elif step.key in known:
            share = unpacked_number(known[step.key])
            said[one] = "look" if share > LOOK else "carried", share
        else:
            said[one] = "waiting", 0.0
    states, shares = zip(*(said[one] for one in shown), strict=True)
    return Frames(layer.span.first, shown, list(states), list(shares))


def _frames(identity: str, layer_id: str, part: str, context: Ctx) -> Frames:
    shot = context.library.shots.get(identity).shot
    layer = shot.layer(layer_id)
    roto, clip = roto_of(layer.seam.matte, part), clip_of(layer, context)
    shown = frames_shown(clip, layer.time, layer.span.length, shot.rate)
    return frames_of(context.library, shot, layer, roto, shown)


@router.get("/roto-states/{layer_id}/{part}")
def roto_states(identity: str, layer_id: str, part: str, context: Ctx) -> dict[str, Any]:
    """The stretches of the shot with one state each: first, last, state, the most doubtful frame; and how many frames of
    the clip have which."""
    found = _frames(identity, layer_id, part, context)
    runs, at = [], 0
    for state, held in groupby(found.states):
        last = at + len(list(held)) - 1
        most = max(range(at, last + 1), key=lambda n: found.doubts[n])
        runs.append([*(found.first + n for n in (at, last)), state, found.first + most])
        at = last + 1
    each = dict(zip(found.shown, found.states, strict=True))
    return {
        "runs": runs,
        "counts": {one: list(each.values()).count(one) for one in sorted(set(each.values()))},
    }


@router.get("/roto-next/{layer_id}/{part}")
def roto_next(
    identity: str, layer_id: str, part: str, frame: int, by: int, state: Seen, context: Ctx
) -> dict[str, int | None]:
    """The next frame of the shot, or the one before (``by`` -1), at which the layer shows another frame of a state."""
    found = _frames(identity, layer_id, part, context)
    return {"at": found.next(frame, by, state)}
