"""The clean plate of a take, put together and taken in as footage."""

from __future__ import annotations

import json

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.analyse.first_look import wanders
from velvet_seam.core.analyse.plate import CleanPlate, clean_plate, doubt_picture, spread_over
from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.media.probe import probe
from velvet_seam.core.media.still import write_png
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import SetValues
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.picture_files import jpeg, write_whole
from velvet_seam.work.progress import Progress

LEAST_SHARE = 0.0005
"""Of a plate; less of it that is unsure is not worth a word."""


def do(library: Library, job: JobRow) -> None:
    told = json.loads(job.delivery)
    shot = library.shots.get(job.target).shot
    layer = shot.layer(told["layer"])
    item = library.footage.get(layer.source.shows or "")
    if item.missing:
        raise Problem(f"{item.complaint} No plate was made.")
    found = _plate(library, job, shot, layer, told["fills"])
    path = library.folder.incoming().with_suffix(".png")
    try:
        alpha = np.where(found.unsure & told["clear"], 0, 255).astype(np.uint8)
        colours = found.picture * (alpha[..., None] > 0)
        write_png(path, np.dstack([colours, alpha]))
        plate = library.take_in(path, f"{item.name}, clean plate", probe(path))
    finally:
        path.unlink(missing_ok=True)
    if found.share >= LEAST_SHARE:
        write_whole(library.folder.unsure(plate.id), jpeg(doubt_picture(found)))
    look, size = library.footage.first_look(item.id), (item.probe.width, item.probe.height)
    moves = wanders(look, min(size)) if look else 0.0
    told = {**told, "plate": plate.id, "share": found.share, "moves": moves}
    library.jobs.note(job.id, json.dumps(told))
    if told["part"]:
        now = library.shots.get(job.target).shot.layer(layer.id)
        if any(one.id == told["part"] for one in now.seam.matte):
            value = {"kind": "footage", "footage": plate.id, "frame": 0}
            edit = SetValues(target=layer.id, values={f"seam.matte.{told['part']}.plate": value})
            library.shots.edit(job.target, edit)
    library.jobs.finish(job.id, sentence=_words(plate.name, found, moves))


def _words(name: str, found: CleanPlate, moves: float) -> str:
    """``moves``: how far the camera goes, pixels."""
    words = f"{name} is in your footage."
    if moves:
        words += (
            f" The camera goes {moves:.0f} px in this clip: no one plate fits all of its frames."
        )
    if found.share >= LEAST_SHARE:
        words += f" On {100 * found.share:.1f} % of it the same was seen neither early nor late: somebody may be left there."
    return words


def _plate(library: Library, job: JobRow, shot: Shot, layer: Layer, fills: list[int]) -> CleanPlate:
    identity = layer.source.shows or ""
    clip, material = library.footage.get(identity).probe, library.materials(preview=False)(identity)
    span = layer.span
    ends = [frame_shown(clip, layer.time, n, shot.rate) for n in (0, span.length - 1)]
    numbers = spread_over(min(ends), max(ends))
    if len(numbers) < 3:
        raise Problem(f"{layer.name} shows too few frames for a plate. Nothing was made.")
    read: list[NDArray[np.uint8]] = []
    progress = Progress(library, job, len(numbers) + len(fills) + 1)
    for done, number in enumerate([*numbers, *fills], 1):
        read.append(material.read(number)[..., :3].copy())
        progress(done)
    count = len(numbers)
    return clean_plate(np.stack(read[:count]), np.stack(read[count:]) if fills else None)


def given_up(library: Library, job: JobRow) -> None:
    """Nothing is left of it: the plate is taken in only when it is whole."""
