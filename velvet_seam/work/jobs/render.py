"""Rendering a shot as it stood when it was asked for."""

from __future__ import annotations

import shutil
import time

from velvet_seam.core.engine.delivery import Delivery
from velvet_seam.core.engine.render import Look, render
from velvet_seam.core.media.still import contact_strip
from velvet_seam.core.problem import Cancelled
from velvet_seam.core.shot.shot import load
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.picture_files import jpeg, write_whole


def do(library: Library, job: JobRow) -> None:
    shot, delivery = load(job.document), Delivery.model_validate_json(job.delivery)
    file = f"{job.id}{delivery.form.suffix}"
    path, total = library.folder.render(file), len(delivery.frames(shot))
    begin, before = time.monotonic(), 0
    said = shown = 0.0

    def each(done: int, look: Look | None) -> None:
        nonlocal said, shown, before
        now = time.monotonic()
        if look is None:
            before = done
        if now - said > 0.25 or done == total or look is None:
            said = now
            rate = (done - before) / max(now - begin, 1e-3)
            if not library.jobs.progress(job.id, done, total, rate):
                raise Cancelled
        if look is not None and now - shown > 0.5:
            shown = now
            write_whole(library.folder.work_picture(job.id), jpeg(contact_strip([look()], 320)))

    materials = library.materials(preview=False, steady=True)
    ranges = library.folder.ranges(job.id)
    render(
        shot,
        path,
        materials,
        library.sounds,
        delivery,
        ranges=ranges,
        tables=library.tables.get,
        shelf=library.regions,
        each=each,
    )
    library.jobs.finish(job.id, file=file, bytes=path.stat().st_size)
    shutil.rmtree(ranges, ignore_errors=True)


def given_up(library: Library, job: JobRow) -> None:
    shutil.rmtree(library.folder.ranges(job.id), ignore_errors=True)
