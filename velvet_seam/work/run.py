"""One piece of background work in a process of its own: ``python -m velvet_seam.work.run ROOT JOB``."""

from __future__ import annotations

import os
import resource
import shutil
import sys
import time
from pathlib import Path

from velvet_seam.core.engine.delivery import Delivery
from velvet_seam.core.engine.render import Cancelled, Look, render
from velvet_seam.core.media.still import contact_strip
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import load
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow, Unwritable
from velvet_seam.work.memory import keep_freed_memory
from velvet_seam.work.parent import end_with_parent
from velvet_seam.work.picture_files import jpeg, write_whole
from velvet_seam.work.prepare import prepare
from velvet_seam.work.queue import NO_ROOM

MEMORY = 8 << 30
"""Bytes of addresses that making footage ready may take."""


def run_job(library: Library, job: JobRow) -> None:
    """Do the work of a row of the queue; writes its progress and its end there."""
    try:
        if job.kind == "prepare":
            _prepare(library, job)
        else:
            _render(library, job)
    except Cancelled:
        if library.jobs.get(job.id).state == "cancelled":
            shutil.rmtree(library.folder.ranges(job.id), ignore_errors=True)
    except Problem as problem:
        library.jobs.fail(job.id, str(problem))
    except MemoryError:
        library.jobs.fail(job.id, "It takes more memory than one piece of work may have.")
    except OSError as error:
        reason = error.strerror or "the disk refused"
        library.jobs.fail(
            job.id,
            f"The file could not be written: {reason}. Nothing was lost; make room and try again.",
        )


def _prepare(library: Library, job: JobRow) -> None:
    def progress(done: int, total: int) -> None:
        if not library.jobs.progress(job.id, done, total):
            raise Cancelled

    prepare(library, library.footage.get(job.target), progress)
    library.jobs.finish(job.id)


def _render(library: Library, job: JobRow) -> None:
    shot, delivery = load(job.document), Delivery.model_validate_json(job.delivery)
    file = f"{job.id}{delivery.suffix}"
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

    materials = library.materials(preview=False)
    ranges = library.folder.ranges(job.id)
    render(shot, path, materials, library.sounds, delivery, ranges=ranges, each=each)
    library.jobs.finish(job.id, file=file, bytes=path.stat().st_size)
    shutil.rmtree(ranges, ignore_errors=True)


def main() -> None:
    end_with_parent(int(sys.argv[3]))
    os.nice(10)
    os.umask(0o077)
    keep_freed_memory()
    library = Library(Path(sys.argv[1]))
    job = library.jobs.get(sys.argv[2])
    if job.kind == "prepare":  # the file is from outside
        resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    with library.folder.only_one(job.kind):
        try:
            run_job(library, job)
        except Unwritable:  # no room for even a row: it waits, and nothing is lost
            sys.exit(NO_ROOM)


if __name__ == "__main__":
    main()
