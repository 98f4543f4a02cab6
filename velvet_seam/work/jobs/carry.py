"""A drawn outline carried on over the next frames, or back, along what it goes round: as keyframes."""

from __future__ import annotations

import json

import cv2
import numpy as np

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.carrying import carried
from velvet_seam.core.register.levels import Grey
from velvet_seam.core.shot.carry import carried_outline, in_source, mask_of
from velvet_seam.core.shot.edits import SetValues, Several
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.progress import Progress

LEAST_SURE = 0.3
"""Of the points so many must be seen, or a person is told."""


def do(library: Library, job: JobRow) -> None:
    told = json.loads(job.delivery)
    shot = library.shots.get(job.target).shot
    layer = shot.layer(told["layer"])
    path, mask = mask_of(layer, told["mask"])
    identity = layer.source.shows or ""
    item, material = library.footage.get(identity), library.materials(preview=True)(identity)
    if item.missing:
        raise Problem(f"{item.complaint} Nothing was changed.")
    lies = Lying(shot, lambda one: library.footage.get(one).probe)
    size, begin = lies.size(layer), told["frame"] - layer.span.first
    frames = list(told["to"])

    def source(number: int) -> int:
        return frame_shown(item.probe, layer.time, number, shot.rate)

    def grey(number: int) -> Grey:
        picture = material.read(source(number))
        return np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGBA2GRAY), np.uint8)

    per = item.probe.width / grey(begin).shape[1]
    found, unsure, progress = {}, 0, Progress(library, job, len(frames))
    for number, one in zip(
        frames, carried(grey, in_source(mask, begin, size) / per, begin, frames), strict=True
    ):
        found[number] = (one.points * per, one.turned)
        unsure += one.sure < LEAST_SURE
        progress(len(found))
    now = mask_of(library.shots.get(job.target).shot.layer(layer.id), mask.id)[1]
    keys = carried_outline(now, begin, found, size)
    edit = SetValues(target=layer.id, values={f"{path}.outline": keys.model_dump(mode="json")})
    library.shots.edit(
        job.target, Several(label=f"outline carried on over {len(frames)} frames", edits=(edit,))
    )
    words = f"The outline is carried on over {len(frames)} frames."
    if unsure:
        words += f" On {unsure} of them little of it was seen: look at it there."
    library.jobs.finish(job.id, sentence=words)


def given_up(library: Library, job: JobRow) -> None:
    """Nothing is left of it: keyframes are set only when all are known."""
