"""A roto followed over all that its layer shows, and every frame judged: what is to be looked at."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass
from typing import Any

import cv2

from velvet_seam.core.engine.clip_time import frames_shown
from velvet_seam.core.engine.engine import MEGABYTE, Engine
from velvet_seam.core.mattes.roto import RotoMatte, roto_of
from velvet_seam.core.mattes.roto_frames import STRIDE, RotoFrames
from velvet_seam.core.problem import Problem
from velvet_seam.core.roto.doubt import LOOK
from velvet_seam.core.steps import Step
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.progress import Progress

REST = 1.5
"""Seconds: while a roto is painted on, what follows of it waits so long after the last stroke."""

CACHE = 96 * MEGABYTE

AT_ONCE = 3
"""Frames made side by side, on two processors: now and then one waits for another, or for a frame to be read."""


@dataclass(frozen=True)
class Standing:
    """A roto as it is now, the clip and the frames of it that its layer shows, and what that is called."""

    roto: RotoMatte
    footage: str
    shown: frozenset[int]
    name: str

    @classmethod
    def of(cls, library: Library, job: JobRow) -> Standing:
        """``delivery`` says the layer and the roto."""
        told, shot = json.loads(job.delivery), library.shots.get(job.target).shot
        layer = shot.layer(told["layer"])
        item = library.footage.get(layer.source.shows or "")
        if item.missing:
            raise Problem(f"{item.complaint} What is followed stays.")
        shown = frozenset(frames_shown(item.probe, layer.time, layer.span.length, shot.rate))
        return cls(roto_of(layer.seam.matte, told["matte"]), item.id, shown, layer.name)


def do(library: Library, job: JobRow) -> None:
    """What is found is on the shelf: begun again, it goes on from there."""
    while True:
        standing = Standing.of(library, job)
        doubts = _followed(library, job, standing)
        if doubts is not None:
            break
        _rest(library, job)
    look = sum(one > LOOK for one in doubts)
    words = f"{standing.name} is followed over {len(standing.shown)} frames."
    if look:
        words += f" {'One of them is' if look == 1 else f'{look} of them are'} to be looked at."
    library.jobs.finish(job.id, sentence=words)


def _rest(library: Library, job: JobRow) -> None:
    """Wait until nothing has been painted for a while."""
    say = Progress(library, job, job.total)
    standing, since = Standing.of(library, job), time.monotonic()
    while time.monotonic() - since < REST:
        time.sleep(0.1)
        say(0)
        if (now := Standing.of(library, job)) != standing:
            standing, since = now, time.monotonic()


def _judged(frames: RotoFrames, shown: frozenset[int]) -> list[Step]:
    """The doubt of each frame that follows, those next to what is painted first; of others, their regions. Frames between
    two stops come after the next of those, whose doubt is theirs."""

    def when(frame: int) -> int:
        apart = min((abs(frame - one) for one in frames.painted), default=0)
        return apart + (2 * STRIDE - 1 if apart % STRIDE else 0)

    order = sorted(shown, key=lambda n: (when(n), n))
    return [frames.doubt(one) or frames.at(one) for one in order]


def _followed(library: Library, job: JobRow, standing: Standing) -> list[float] | None:
    """The doubts of all frames; None when the roto, or what its layer shows, has become another one meanwhile."""
    materials = library.materials(preview=True)
    material = materials(standing.footage)
    engine = Engine(materials, cache_bytes=CACHE, passing=True, shelf=library.regions)
    steps = _judged(standing.roto.frames(material.small), standing.shown)
    say, version = Progress(library, job, len(standing.shown)), library.shots.version()
    doubts: list[float] = []
    threads = cv2.getNumThreads()
    cv2.setNumThreads(
        1
    )  # several frames are made side by side, which takes less than one by several threads
    try:
        for done, (one, result) in enumerate(_made(engine, steps), 1):
            say(done)
            if library.shots.version() != version:
                version = library.shots.version()
                if Standing.of(library, job) != standing:
                    return None
            if one.kind in ("roto-doubt", "roto-apart"):
                doubts.append(float(result))
    finally:
        cv2.setNumThreads(threads)
    return doubts


def _made(engine: Engine, steps: list[Step]) -> Iterator[tuple[Step, Any]]:
    """Steps and what they come to, as soon as they are made; the next is begun as soon as one is done."""
    making: dict[Future[Any], Step] = {}
    with ThreadPoolExecutor(AT_ONCE) as makers:
        for one in [*steps, *[None] * AT_ONCE]:
            if one is None or len(making) == AT_ONCE:
                for done in wait(making, return_when=FIRST_COMPLETED).done:
                    yield making.pop(done), done.result()
            if one is not None:
                making[makers.submit(engine.result, one)] = one


def given_up(library: Library, job: JobRow) -> None:
    """What is found stays: it is the same whenever it is asked for."""
