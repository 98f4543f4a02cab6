"""Light matched on every frame, where it drifts or flickers in one of two takes."""

from __future__ import annotations

import json

from velvet_seam.core.analyse.match import gain_of
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.lent_light import Gain, drifting, given_light
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.lighting import shown_by_both
from velvet_seam.work.progress import Progress

SIDE = 216
"""Shorter side at which frames are measured."""

LEAST_FOUND = 0.5
"""Of all frames so many must be told, for the others to be what lies between."""


def do(library: Library, job: JobRow) -> None:
    told = json.loads(job.delivery)
    shot = library.shots.get(job.target).shot
    layer, other = shot.layer(told["layer"]), shot.layer(told["other"])
    first = max(layer.span.first, other.span.first)
    frames = range(first, min(layer.span.last, other.span.last, shot.length - 1) + 1)
    engine = Engine(library.materials(preview=True), passing=True, shelf=library.regions)
    gains: dict[int, Gain] = {}
    progress = Progress(library, job, len(frames))
    for done, frame in enumerate(frames, 1):
        pair = [engine.taken(shot, frame, one.id, SIDE).copy() for one in (other, layer)]
        found = gain_of(pair[0], pair[1], shown_by_both(pair[0], pair[1]))
        if found is not None:
            gains[frame] = found
        progress(done)
    if len(gains) < max(2, LEAST_FOUND * len(frames)):
        raise Problem(
            f"Only on {len(gains)} of {len(frames)} frames both show enough of the same. Line them up first. "
            "Nothing was changed."
        )
    now = library.shots.get(job.target).shot.layer(layer.id)
    library.shots.edit(job.target, given_light(now, other, drifting(now, gains)))
    words = f"{layer.name} has the light of {other.name} on {len(gains)} frames."
    library.jobs.finish(job.id, sentence=words)


def given_up(library: Library, job: JobRow) -> None:
    """Nothing is left of it: the look is changed only when all is measured."""
