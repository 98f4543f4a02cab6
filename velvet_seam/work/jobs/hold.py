"""Locking a take off: every frame of it is measured against one, and the layer is placed so that nothing shakes; or
another layer is made to shake with it."""

from __future__ import annotations

import json

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.engine.lining import held_still
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.holding import Held
from velvet_seam.core.register.warps import Matrix, scaled
from velvet_seam.core.shot.edits import SetValues, Several
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.progress import Progress

LEAST_FOUND = 0.7
"""Of all frames so many must be told, for the others to be what lies between."""


def do(library: Library, job: JobRow) -> None:
    told = json.loads(job.delivery)
    shot = library.shots.get(job.target).shot
    layer, measured = shot.layer(told["layer"]), shot.layer(told["measured"])
    frame = told["frame"]
    frames = range(
        max(layer.span.first, measured.span.first),
        min(layer.span.last, measured.span.last, shot.length - 1) + 1,
    )
    warps = _warps(library, job, shot, measured, frame, frames)
    if len(warps) < LEAST_FOUND * len(frames):
        raise Problem(
            f"Only {len(warps)} of {len(frames)} frames of {measured.name} show what the one at the playhead does. "
            "Nothing was changed."
        )
    lies = Lying(shot, lambda one: library.footage.get(one).probe)
    follows = measured if measured.id != layer.id else None
    values = held_still(lies, layer, frame, warps, follows)
    words = (
        f"{layer.name[:50]} shakes with {measured.name[:50]}"
        if follows
        else f"{layer.name[:80]} locked off"
    )
    library.shots.edit(
        job.target, Several(label=words, edits=(SetValues(target=layer.id, values=values),))
    )
    library.jobs.finish(job.id)


def _warps(
    library: Library, job: JobRow, shot: Shot, layer: Layer, frame: int, frames: range
) -> dict[int, Matrix]:
    """By shot frame, from source pixels of the held frame to those of the frame."""
    identity = layer.source.shows or ""
    item, material = library.footage.get(identity), library.materials(preview=True)(identity)
    if item.missing:
        raise Problem(f"{item.complaint} Nothing was changed.")

    def shown(number: int) -> int:
        return frame_shown(item.probe, layer.time, number - layer.span.first, shot.rate)

    def grey(number: int) -> NDArray[np.uint8]:
        return np.asarray(cv2.cvtColor(material.read(number), cv2.COLOR_RGBA2GRAY), np.uint8)

    first = grey(shown(frame))
    per = item.probe.width / first.shape[1]
    known: dict[int, Matrix | None] = {}  # by source frame: a slow clip shows each for several
    done, progress = 0, Progress(library, job, len(frames))
    # from the held frame on, and from it back: each begins where the one beside it was
    for order in (range(frame, frames.stop), range(frame - 1, frames.start - 1, -1)):
        held = Held(first)
        for number in order:
            own = shown(number)
            if own not in known:
                known[own] = held.warp_to(grey(own))
            done += 1
            progress(done)
    found = ((number, known.get(shown(number))) for number in frames)
    return {number: scaled(warp, per) for number, warp in found if warp is not None}


def given_up(library: Library, job: JobRow) -> None:
    """Nothing is left of it: the layer is placed anew only when all is measured."""
