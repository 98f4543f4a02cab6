"""The passes of a layer's take: found; and, when that is asked, a layer of each, in register with the first."""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import lru_cache
from typing import Any

import cv2
import numpy as np

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.engine.lining import held_still
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.levels import Grey, levels_of
from velvet_seam.core.register.passes import (
    LIKE,
    Kept,
    Pass,
    camera_path,
    passes_of,
    same_frames,
    small_of,
)
from velvet_seam.core.register.warps import Matrix, scaled
from velvet_seam.core.shot.edits import AddLayer, SetValues, Several
from velvet_seam.core.shot.layer import THREADS, Layer
from velvet_seam.core.shot.pass_layers import pass_layer, shows, shows_from
from velvet_seam.core.shot.shot import Shot
from velvet_seam.store.folder import new_id
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.progress import Progress

SMALL_SIDE = 270
"""The camera's path is measured at this short side."""

LEAST_SCORE = 0.05


class Take:
    """A layer's clip, read for measuring."""

    def __init__(self, library: Library, shot: Shot, layer: Layer) -> None:
        identity = layer.source.shows or ""
        item = library.footage.get(identity)
        if item.missing:
            raise Problem(f"{item.complaint} Nothing was changed.")
        self.clip, self._material = item.probe, library.materials(preview=True)(identity)
        ends = [frame_shown(self.clip, layer.time, n, shot.rate) for n in range(layer.span.length)]
        self.frames = range(min(ends), max(ends) + 1)
        self.small_frames = lru_cache(maxsize=len(self.frames))(lambda n: small_of(self.small(n)))

    def grey(self, number: int) -> Grey:
        return np.asarray(cv2.cvtColor(self._material.read(number), cv2.COLOR_RGBA2GRAY), np.uint8)

    def small(self, number: int) -> Grey:
        grey = self.grey(number)
        k = SMALL_SIDE / min(grey.shape)
        if k >= 1:
            return grey
        size = round(grey.shape[1] * k), round(grey.shape[0] * k)
        return np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), np.uint8)


def do(library: Library, job: JobRow) -> None:
    told = json.loads(job.delivery)
    shot = library.shots.get(job.target).shot
    layer = shot.layer(told["layer"])
    take = Take(library, shot, layer)
    progress = Progress(library, job, job.total)
    if not told.get("make"):
        path = camera_path(take.small, take.frames, progress)
        size = take.small(take.frames.start).shape
        found = passes_of(path, (size[1], size[0]), take.frames.start)
        if not found:
            raise Problem(
                f"No repeated move was found in {layer.name}: its camera stands still, or goes one way only. "
                "Nothing was changed."
            )
        library.jobs.note(
            job.id, json.dumps({**told, "found": [[p.first, p.last, p.way] for p in found]})
        )
        library.jobs.finish(job.id, sentence=f"{len(found)} passes in {layer.name}.")
        return
    found = [Pass(*one) for one in told["found"]]
    layers, likes = _layers(shot, layer, take, found, progress, library)
    edits: list[Any] = [AddLayer(layer=one) for one in layers]
    edits.append(SetValues(target=layer.id, values={"hidden": True}))
    library.shots.edit(
        job.target, Several(label=f"layers of {len(layers)} passes", edits=tuple(edits))
    )
    left = sum(one < LIKE for one in likes)
    words = f"{len(layers)} passes lie above each other, in register with the first."
    library.jobs.finish(
        job.id,
        sentence=words + (f" {left} of them are hardly alike: look at them." if left else ""),
    )


def _layers(
    shot: Shot, layer: Layer, take: Take, found: list[Pass], progress: Callable[[int], None], library: Library
) -> tuple[list[Layer], list[float]]:  # fmt: skip
    """A layer of each pass, the first at its own speed, and how alike each is to it."""
    first, clip = found[0], take.clip
    seconds = clip.begins(min(first.last + 1, clip.frames - 1)) - clip.begins(first.first)
    length = max(1, round(seconds * shot.rate))
    made = [
        pass_layer(
            layer,
            new_id("l"),
            "Pass 1",
            layer.thread,
            length,
            shows_from(clip, first.first, layer.time),
        )
    ]
    shown = [frame_shown(clip, made[0].time, n, shot.rate) for n in range(length)]
    lies = Lying(shot, lambda one: library.footage.get(one).probe)
    likes = [1.0]
    for k, other in enumerate(found[1:], 1):
        at, like = same_frames(take.small_frames, first, other)
        wanted = np.interp(shown, np.arange(first.first, first.last + 1), at)
        time_map = shows(clip, [float(one) for one in wanted], layer.time, shot.rate)
        thread = (layer.thread + k) % THREADS
        one = pass_layer(layer, new_id("l"), f"Pass {k + 1}", thread, length, time_map)
        there = [frame_shown(clip, time_map, n, shot.rate) for n in range(length)]
        warps = _in_place(take, shown, there, progress, (k - 1) * length)
        by_frame = {one.span.first + n: warp for n, warp in enumerate(warps) if warp is not None}
        if by_frame:
            place = held_still(lies, one, one.span.first, by_frame)
            one = one.model_copy(update={"place": one.place.model_copy(
                update={name.removeprefix("place."): value for name, value in place.items()})})  # fmt: skip
        made.append(one)
        likes.append(like)
    return made, likes


def _in_place(
    take: Take, here: list[int], there: list[int], told: Callable[[int], None], done: int
) -> list[Matrix | None]:
    """For each pair of frames the warp from source pixels of the first to those of the other."""
    found: list[Matrix | None] = []
    warp = np.eye(3)
    for n, (a, b) in enumerate(zip(here, there, strict=True)):
        one = take.grey(a)
        per = take.clip.width / one.shape[1]
        kept = Kept(levels_of(one), np.eye(3))
        others = levels_of(take.grey(b))
        made, score = kept.warp_to(others, [warp, np.eye(3)])
        if score < LEAST_SCORE:
            found.append(None)
        else:
            warp = made
            found.append(scaled(made, per))
        told(done + n)
    return found


def given_up(library: Library, job: JobRow) -> None:
    """Nothing is left of it: layers are made only when all is measured."""
