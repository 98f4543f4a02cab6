"""A track: a region of a layer's clip, followed from where it was set by hand over all that the layer shows of it."""

from __future__ import annotations

import json
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import SetTrack
from velvet_seam.core.shot.track import Track, corners_of
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.progress import Progress
from velvet_seam.work.tracks import followed, place_of


def do(library: Library, job: JobRow) -> None:
    """``delivery`` says the layer, the track as it is to begin with, the source frame that is set by ``hand`` and its
    place there, and the source frames to be followed over."""
    told = json.loads(job.delivery)
    begun = Track.model_validate(told["track"])
    layer = library.shots.get(job.target).shot.layer(told["layer"])
    identity = layer.source.shows or ""
    item, material = library.footage.get(identity), library.materials(preview=True)(identity)
    if item.missing:
        raise Problem(f"{item.complaint} Nothing was followed.")
    per = item.probe.width / material.read(told["hand"]).shape[1]

    def grey(number: int) -> NDArray[np.uint8]:
        return np.asarray(cv2.cvtColor(material.read(number), cv2.COLOR_RGBA2GRAY), np.uint8)

    by_hand = sorted({*begun.by_hand, told["hand"]})
    before = max((one for one in by_hand if one < told["hand"]), default=None)
    after = min((one for one in by_hand if one > told["hand"]), default=None)
    frames = range(
        told["frames"][0] if before is None else before, told["frames"][1] + 1 if after is None else after + 1
    )  # fmt: skip
    anchors = {
        number: corners_of(begun.kind, np.array(place, float), begun.size) / per
        for number in (before, told["hand"], after)
        if number is not None and (place := _place(begun, number, told)) is not None
    }
    path = followed(grey, begun.kind, anchors, frames, Progress(library, job, job.total))
    places = {begun.first + n: one for n, one in enumerate(begun.path)}
    for number, corners in path.corners.items():
        places[number] = None if corners is None else place_of(begun.kind, corners, per)
    places[told["hand"]] = tuple(told["place"])
    first, last = min(places), max(places)
    made = begun.model_copy(update={
        "first": first, "path": tuple(places.get(n) for n in range(first, last + 1)), "by_hand": tuple(by_hand),
        "again": tuple(sorted({one for one in begun.again if one not in path.corners} | path.again)),
    })  # fmt: skip
    library.shots.edit(job.target, SetTrack(layer=layer.id, track=made))
    library.jobs.finish(job.id, sentence=_words(made, path.again))


def _place(track: Track, number: int, told: dict[str, Any]) -> tuple[float, ...] | None:
    if number == told["hand"]:
        return tuple(told["place"])
    return track.path[number - track.first] if track.first <= number <= track.last else None


def _words(track: Track, again: set[int]) -> str:
    """What was found, for a person."""
    lost = len(track.lost)
    if not lost:
        return f"{track.name} is followed over {len(track.path)} frames."
    words = f"{track.name} is followed, but lost on {lost} of {len(track.path)} frames."
    return f"{words} It was found again by itself: look at it there." if again else words


def given_up(library: Library, job: JobRow) -> None:
    """Nothing is left of it: a track is kept only when all of it is followed."""
