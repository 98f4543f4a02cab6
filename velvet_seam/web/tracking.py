"""Tracks: begun and corrected here, followed in the background."""

from __future__ import annotations

import json
from typing import Annotated, Literal

import cv2
import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.media.probe import Probe
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.register.unfit import SAID, unfit
from velvet_seam.core.register.warps import Model, mapped
from velvet_seam.core.shot.carry import mask_of
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.track import Track, corners_of
from velvet_seam.core.words import Id, Name, copy_free
from velvet_seam.store.folder import new_id
from velvet_seam.web.answer import Answer, ChosenRequest, answer
from velvet_seam.web.context import Context, Ctx
from velvet_seam.web.takes import take_of
from velvet_seam.web.working import one_at_a_time
from velvet_seam.work.tracks import MODEL

router = APIRouter(prefix="/shots/{identity}")

Coordinate = Annotated[float, Field(ge=-100_000, le=100_000)]
SIDE, LEAST_SIDE = 96.0, 64.0
"""Pixels of a clip at a short side of 1080 around a point that are looked at, and at least: of less nothing can be said."""


class Tracking(ChosenRequest):
    """A point, or the corners of a plane, clockwise from the top left one, where they are seen on the canvas at a
    frame. For a ``track`` that is there: it was wrong on this frame, and is followed anew up to the frames beside it
    that were set by hand."""

    layer: Id
    frame: int = Field(ge=0)
    kind: Literal["point", "plane"] = "point"
    places: list[tuple[Coordinate, Coordinate]] = Field(min_length=1, max_length=4)
    size: Coordinate | None = Field(
        None, description="side of what is looked at around a point, canvas pixels"
    )
    name: Name | None = None
    track: Id | None = None


@router.post("/track", response_class=Answer)
def track(identity: str, body: Tracking, request: Request, context: Ctx) -> Response:
    standing = context.library.shots.get(identity)
    shot = standing.shot
    layer = shot.layer(body.layer)
    clip, frames = _frames(context, shot, layer)
    if not layer.span.holds(body.frame):
        raise Problem("Put the playhead where the layer is seen. Nothing was followed.")
    one_at_a_time(
        context,
        identity,
        "track",
        "Something is being followed in this shot already. Nothing was followed.",
    )
    held = next((one for one in layer.tracks if one.id == body.track), None)
    if body.track is not None and held is None:
        raise Gone("That track is no longer there. Nothing was followed.")
    kind = held.kind if held else body.kind
    if len(body.places) != (1 if kind == "point" else 4):
        raise Problem("A point is one place, a plane four corners. Nothing was followed.")
    lies = Lying(shot, lambda one: context.library.footage.get(one).probe)
    whole, moved = lies.matrix(layer, body.frame), lies.moved(layer, body.frame)
    whole = whole if moved is None else moved @ whole
    if not abs(np.linalg.det(whole)) > 1e-12:
        raise Problem(f"Nothing of {layer.name} is seen here. Nothing was followed.")
    own = mapped(np.asarray(np.linalg.inv(whole), np.float64), np.array(body.places, float))
    size = held.size if held else _side(body.size, whole, min(clip.width, clip.height))
    number = frame_shown(clip, layer.time, body.frame - layer.span.first, shot.rate)
    place = tuple(round(float(one), 3) for one in own.ravel())
    _refuse_unfit(context, layer, number, corners_of(kind, np.array(place), size), MODEL[kind])
    if held is None:
        taken = {one.name for one in layer.tracks}
        word = copy_free("Point" if kind == "point" else "Plane", taken)
        held = Track(
            id=new_id("t"), name=body.name or word, kind=body.kind, size=size, first=number, path=(place,)
        )  # fmt: skip
    told = {
        "layer": layer.id, "track": held.model_dump(mode="json"), "hand": number, "place": place,
        "frames": [frames.start, frames.stop - 1],
    }  # fmt: skip
    context.library.jobs.add(
        "track", identity, held.name, total=len(frames), delivery=json.dumps(told)
    )
    context.queue.wake()
    return answer(request, context, standing, body, track=held.id)


class Carrying(ChosenRequest):
    """A drawn mask of a layer, carried on from a frame over so many frames; below 0 over those before it."""

    layer: Id
    mask: Id
    frame: int = Field(ge=0)
    frames: int = Field(12, ge=-2000, le=2000)


@router.post("/carry", response_class=Answer)
def carry(identity: str, body: Carrying, request: Request, context: Ctx) -> Response:
    standing = context.library.shots.get(identity)
    shot = standing.shot
    layer = shot.layer(body.layer)
    mask_of(layer, body.mask)
    _frames(context, shot, layer)
    one_at_a_time(
        context,
        identity,
        "carry",
        "An outline is being carried on in this shot already. Nothing was changed.",
    )
    begin = body.frame - layer.span.first
    end = min(max(begin + body.frames, 0), layer.span.length - 1)
    step = 1 if end > begin else -1
    to = list(range(begin + step, end + step, step)) if layer.span.holds(body.frame) else []
    if not to:
        raise Problem("The layer has no frame there to carry it on to. Nothing was changed.")
    told = {"layer": layer.id, "mask": body.mask, "frame": body.frame, "to": to}
    context.library.jobs.add(
        "carry", identity, layer.name, total=len(to), delivery=json.dumps(told)
    )
    context.queue.wake()
    return answer(request, context, standing, body)


def _side(drawn: float | None, whole: np.ndarray, short: int) -> float:
    """The side of what is looked at around a point, source pixels."""
    if drawn is None:
        return round(max(32.0, SIDE * short / 1080), 1)
    scale = float(np.sqrt(abs(np.linalg.det(whole[:2, :2]))))
    least = max(24.0, LEAST_SIDE * short / 1080)
    return round(min(max(drawn / max(scale, 1e-6), least), 2048.0), 1)


def _frames(context: Context, shot: Shot, layer: Layer) -> tuple[Probe, range]:
    """The clip of a layer, and the frames of it that the layer shows."""
    item = take_of(context, layer, "nothing moves in it", "Nothing was followed.")
    numbers = [frame_shown(item.probe, layer.time, n, shot.rate) for n in range(layer.span.length)]
    return item.probe, range(min(numbers), max(numbers) + 1)


def _refuse_unfit(
    context: Context, layer: Layer, number: int, corners: np.ndarray, model: Model
) -> None:
    """Refuse, with the reason, a region that nothing could be followed in."""
    identity = layer.source.shows or ""
    picture = context.library.materials(preview=True)(identity).read(number)
    per = context.library.footage.get(identity).probe.width / picture.shape[1]
    why = unfit(
        np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGBA2GRAY), np.uint8), corners / per, model
    )
    if why:
        raise Problem(f"{SAID[why]} Nothing was followed.")
