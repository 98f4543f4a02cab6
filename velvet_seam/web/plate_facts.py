"""The newest clean plate of a layer's take, as the panel tells of it."""

from __future__ import annotations

import json
from dataclasses import dataclass

from velvet_seam.core.problem import Gone
from velvet_seam.core.shot.layer import Layer
from velvet_seam.web.context import Context
from velvet_seam.work.jobs.plate import fits


@dataclass(frozen=True)
class PlateFacts:
    """``share``: how much of it is unsure, 0 to 1; ``doubt``: whether there is a picture of where; ``frame``: of the
    shot, where a take from the hand was laid; ``fits``: what is said of a camera that moves."""

    footage: str
    name: str
    share: float
    doubt: bool
    frame: int | None = None
    fits: str = ""


def plate_made(context: Context, shot: str, layer: Layer) -> PlateFacts | None:
    """None where none was made of this layer's take, or it is no longer in the footage."""
    for job in context.library.jobs.all("plate"):
        told = json.loads(job.delivery)
        if job.target != shot or job.state != "done" or told["layer"] != layer.id:
            continue
        if "plate" not in told:
            return None
        try:
            item = context.library.footage.get(told["plate"])
        except Gone:
            return None
        return PlateFacts(
            item.id, item.name, told["share"], context.library.folder.unsure(item.id).exists(),
            told.get("frame"), fits(told.get("moves", 0.0), told.get("frame"), bool(told.get("part"))),
        )  # fmt: skip
    return None
