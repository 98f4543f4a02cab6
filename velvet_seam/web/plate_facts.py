"""The newest clean plate of a layer's take, as the panel tells of it."""

from __future__ import annotations

import json
from dataclasses import dataclass

from velvet_seam.core.problem import Gone
from velvet_seam.core.shot.layer import Layer
from velvet_seam.store.shots import Standing
from velvet_seam.web.context import Context
from velvet_seam.work.jobs.plate import fits, seen_at


@dataclass(frozen=True)
class PlateFacts:
    """``share``: how much of it is unsure, 0 to 1; ``doubt``: whether there is a picture of where; ``home``: the
    frame of its clip where a take from the hand was laid; ``at``: the shot frame that shows it, if one does; ``fits``: what is
    said of a camera that moves."""

    footage: str
    name: str
    share: float
    doubt: bool
    home: int | None = None
    at: int | None = None
    fits: str = ""


def plate_made(context: Context, standing: Standing, layer: Layer) -> PlateFacts | None:
    """None where none was made of this layer's take, or it is no longer in the footage."""
    for job in context.library.jobs.all("plate"):
        told = json.loads(job.delivery)
        if job.target != standing.id or job.state != "done" or told["layer"] != layer.id:
            continue
        if told.get("clip", layer.source.shows) != layer.source.shows:
            continue  # it shows another take since
        if "plate" not in told:
            return None
        try:
            item = context.library.footage.get(told["plate"])
        except Gone:
            return None
        home, clip = told.get("home"), context.library.footage.get(layer.source.shows or "").probe
        frame = seen_at(clip, layer, standing.shot, home)
        words = fits(told.get("moves", 0.0), frame, bool(told.get("part")))
        doubt = context.library.folder.unsure(item.id).exists()
        return PlateFacts(item.id, item.name, told["share"], doubt, home, frame, words)
    return None
