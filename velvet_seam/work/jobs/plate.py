"""The clean plate of a take, put together and taken in as footage."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

import numpy as np

from velvet_seam.core.analyse.first_look import wanders
from velvet_seam.core.analyse.plate import CleanPlate, clean_plate, doubt_picture, spread_over
from velvet_seam.core.engine.clip_time import frame_shown, frames_shown
from velvet_seam.core.media.probe import Probe, probe
from velvet_seam.core.media.still import write_png
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.locked_frames import locked_frames
from velvet_seam.core.shot.edits import SetValues
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.store.footage import FootageItem
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.picture_files import jpeg, write_whole
from velvet_seam.work.progress import Progress

LEAST_SHARE = 0.0005
"""Of a plate; less of it that is unsure is not worth a word."""


@dataclass(frozen=True)
class Made:
    """``moves``: how far the camera goes, pixels of the clip; ``home``: the frame of the clip where the others were laid."""

    plate: CleanPlate
    moves: float
    home: int | None = None


def do(library: Library, job: JobRow) -> None:
    told = json.loads(job.delivery)
    shot = library.shots.get(job.target).shot
    layer = shot.layer(told["layer"])
    item = library.footage.get(layer.source.shows or "")
    if item.missing:
        raise Problem(f"{item.complaint} No plate was made.")
    made = _made(library, job, shot, layer, item, told)
    found, path = made.plate, library.folder.incoming().with_suffix(".png")
    try:
        alpha = np.where(found.unsure & told["clear"], 0, 255).astype(np.uint8)
        colours = found.picture * (alpha[..., None] > 0)
        write_png(path, np.dstack([colours, alpha]))
        plate = library.take_in(path, f"{item.stem}, clean plate.png", probe(path))
    finally:
        path.unlink(missing_ok=True)
    if found.share >= LEAST_SHARE:
        write_whole(library.folder.unsure(plate.id), jpeg(doubt_picture(found)))
    told |= {"plate": plate.id, "share": found.share, "moves": made.moves, "home": made.home}
    library.jobs.note(job.id, json.dumps(told))
    if told["part"]:
        now = library.shots.get(job.target).shot.layer(layer.id)
        if any(one.id == told["part"] for one in now.seam.matte):
            value = {"kind": "footage", "footage": plate.id, "frame": 0}
            edit = SetValues(target=layer.id, values={f"seam.matte.{told['part']}.plate": value})
            library.shots.edit(job.target, edit)
    frame = seen_at(item.probe, layer, shot, made.home)
    words = fits(made.moves, frame, bool(told["part"]))
    library.jobs.finish(job.id, sentence=_words(plate.name, found, words))


def _words(name: str, found: CleanPlate, moves: str) -> str:
    words = f"{name} is in your footage. {moves}".rstrip()
    if found.share >= LEAST_SHARE:
        words += f" On {100 * found.share:.1f} % of it the same was seen neither early nor late: somebody may be left there."
    return words


def seen_at(clip: Probe, layer: Layer, shot: Shot, home: int | None) -> int | None:
    """The first shot frame at which a layer shows a frame of its clip; None where it does not, or there is none."""
    shown = frames_shown(clip, layer.time, layer.span.length, shot.rate)
    return layer.span.first + shown.index(home) if home in shown else None


def fits(moves: float, frame: int | None, keyed: bool = False) -> str:
    """What is said of a plate where the camera ``moves`` so many pixels of the clip, and the frames were laid where the one
    at shot ``frame`` is, or that is not seen; ``keyed``: a difference key takes it, which compares frames as they are in the clip.

    >>> fits(0.4, None), fits(12, None)
    ('', 'The camera goes 12 px in this clip: no one plate fits all of its frames.')
    >>> fits(12, 40)
    'The camera goes 12 px in this clip: the plate is where frame 40 is. Lock the layer off there, and it fits all of them.'
    """
    if moves < 1:
        return ""
    words = f"The camera goes {moves:.0f} px in this clip: "
    if frame is None:
        return words + "no one plate fits all of its frames."
    if keyed:
        return (
            words
            + f"the plate fits frame {frame}. For the others lock the layer off there, group and bake it first."
        )
    return (
        words
        + f"the plate is where frame {frame} is. Lock the layer off there, and it fits all of them."
    )


def _made(
    library: Library, job: JobRow, shot: Shot, layer: Layer, item: FootageItem, told: dict[str, Any]
) -> Made:
    clip, material, span = item.probe, library.materials(preview=False)(item.id), layer.span
    look = library.footage.first_look(item.id)
    moves = wanders(look, min(clip.width, clip.height)) if look else 0.0
    ends = [frame_shown(clip, layer.time, n, shot.rate) for n in (0, span.length - 1)]
    numbers, fills = spread_over(min(ends), max(ends)), told["fills"]
    if len(numbers) < 3:
        raise Problem(f"{layer.name} shows too few frames for a plate. Nothing was made.")
    home = told.get("home", ends[0]) if moves else None  # a job of an earlier version names none
    if home is not None:
        numbers = sorted({*numbers, home})
    every = [*numbers, *fills]
    progress = Progress(library, job, (1 if home is None else 2) * len(every) + 1)
    first = material.read(every[0])
    frames = np.empty((len(every), *first.shape[:2], 3), np.uint8)
    for n, number in enumerate(every):
        frames[n] = material.read(number)[..., :3]
        progress(n + 1)
    count, locked = len(numbers), None
    if home is not None:
        locked = locked_frames(frames, numbers.index(home), lambda n: progress(len(every) + n))
    if locked is None:
        return Made(clean_plate(frames[:count], frames[count:]), moves)
    if not locked.kept[count:].all():
        raise Problem(
            "The frame it is to be filled from shows too little of what the others do. Nothing was made."
        )
    count = int(locked.kept[:count].sum())
    plate = clean_plate(locked.frames[:count], locked.frames[count:], locked.seen)
    return Made(plate, moves, home)


def given_up(library: Library, job: JobRow) -> None:
    """Nothing is left of it: the plate is taken in only when it is whole."""
