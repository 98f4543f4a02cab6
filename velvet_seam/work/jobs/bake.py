"""Baking a nested shot: a clip is rendered of it, taken in as footage, and shown in its place."""

from __future__ import annotations

import json

from velvet_seam.core.engine.baking import bake
from velvet_seam.core.media.probe import probe
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import Bake
from velvet_seam.core.sources import NestedSource
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.progress import Progress


def do(library: Library, job: JobRow) -> None:
    told = json.loads(job.delivery)
    shot = library.shots.get(told["shot"]).shot
    each = Progress(library, job, shot.length)
    path = library.folder.incoming()
    materials = library.materials(preview=False, steady=True)
    try:
        bake(
            shot,
            path,
            materials,
            library.sounds,
            tables=library.tables.get,
            shelf=library.regions,
            each=each,
        )
        outer = library.shots.get(job.target).shot
        layer = next((one for one in outer.layers if one.id == told["layer"]), None)
        source = layer.source if layer is not None else None
        if not isinstance(source, NestedSource) or source.footage != told["shot"]:
            raise Problem("The layer shows something else by now. Nothing was changed.")
        item = library.take_in(path, f"{shot.name}, baked", probe(path))
        library.shots.edit(job.target, Bake(layer=told["layer"], footage=item.id))
    finally:
        path.unlink(missing_ok=True)
    library.jobs.finish(job.id)


def given_up(library: Library, job: JobRow) -> None:
    """Nothing is left of it: the file is taken in only when it is complete."""
