"""Making footage ready: proxy, first look, scrub strip, decoded sound and its wave."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.analyse.first_look import FirstLook, Look, loudest
from velvet_seam.core.media.material import Material
from velvet_seam.core.media.proxy import write_proxy
from velvet_seam.core.media.still import contact_strip
from velvet_seam.core.problem import Cancelled, Problem
from velvet_seam.core.sound.decode import peaks
from velvet_seam.store.footage import FootageItem
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.picture_files import jpeg, write_poster, write_whole

STRIP_FRAMES = 16
WAVE_POINTS = 1200


def do(library: Library, job: JobRow) -> None:
    def progress(done: int, total: int) -> None:
        if not library.jobs.progress(job.id, done, total):
            raise Cancelled

    prepare(library, library.footage.get(job.target), progress)
    library.jobs.finish(job.id)


def given_up(library: Library, job: JobRow) -> None:
    """Nothing is left of it: every file has its name only when it is complete."""


def prepare(
    library: Library, item: FootageItem, progress: Callable[[int, int], None] | None = None
) -> None:
    """Make one piece of footage ready.

    Args:
        progress: called with frames done and frames in all; what it raises ends the work.
    """
    folder, probe = library.folder, item.probe
    if probe.kind != "sound" and not folder.poster(item.id).exists():
        write_poster(item.path, probe, folder.poster(item.id))
    if probe.has_sound and not folder.wave(item.id).exists():
        try:
            _prepare_sound(library, item)
        except Problem:
            if probe.kind == "sound":
                raise
            library.footage.set_unheard(item.id)
    if probe.kind == "clip":
        wanted = {round(k * (probe.frames - 1) / (STRIP_FRAMES - 1)) for k in range(STRIP_FRAMES)}
        kept: dict[int, NDArray[np.uint8]] = {}
        last = 0.0
        look = Look(probe.width, probe.height, probe.frames)

        # a frame is looked at while the next is read and written: each takes about as long as the other
        looking: list[Future[None]] = []

        def looked() -> None:
            while looking:
                looking.pop().result()

        def each(number: int, rgba: NDArray[np.uint8]) -> None:
            nonlocal last
            looked()
            looking.append(beside.submit(look.add, rgba))
            if number in wanted:
                kept[number] = rgba.copy()
            if progress and time.monotonic() - last > 0.2:
                last = time.monotonic()
                progress(number + 1, probe.frames)

        with ThreadPoolExecutor(1, "look") as beside:
            write_proxy(item.path, probe, folder.proxy(item.id), each=each)
            looked()
        _write_strip(folder.strip(item.id), [kept[n] for n in sorted(kept)])
        sound = library.sound_of(item.id)
        write_whole(folder.first_look(item.id), look.result(sound).model_dump_json().encode())
    elif probe.kind == "still":
        picture = Material(item.id, item.path, probe, preview=True).read(0)
        _write_strip(folder.strip(item.id), [picture])
    else:
        moment = loudest(library.sound_of(item.id))
        found = FirstLook(loudest=moment, silent=moment is None)
        write_whole(folder.first_look(item.id), found.model_dump_json().encode())
    library.footage.set_ready(item.id)


def _write_strip(path: Path, frames: list[NDArray[np.uint8]]) -> None:
    write_whole(path, jpeg(contact_strip(frames, 240), 76))


def _prepare_sound(library: Library, item: FootageItem) -> None:
    sound = library.sound_of(item.id)
    assert sound is not None
    wave = [round(float(v), 3) for v in peaks(sound, min(WAVE_POINTS, len(sound)))]
    write_whole(library.folder.wave(item.id), json.dumps(wave).encode())
