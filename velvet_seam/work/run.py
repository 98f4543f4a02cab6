"""One piece of background work in a process of its own: ``python -m velvet_seam.work.run ROOT JOB``."""

from __future__ import annotations

import os
import sys
import time
from pathlib import Path

from velvet_seam.core.engine.plan import Picture
from velvet_seam.core.engine.render import Cancelled, render_mp4
from velvet_seam.core.media.still import contact_strip
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import load
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.work.memory import keep_freed_memory
from velvet_seam.work.picture_files import jpeg, write_whole
from velvet_seam.work.prepare import prepare


def run_job(library: Library, job: JobRow) -> None:
    """Do the work of a row of the queue; writes its progress and its end there."""
    try:
        if job.kind == "prepare":
            _prepare(library, job)
        else:
            _render(library, job)
    except Cancelled:
        pass
    except Problem as problem:
        library.jobs.fail(job.id, str(problem))
    except OSError as error:
        reason = error.strerror or "the disk refused"
        library.jobs.fail(job.id, f"The file could not be written: {reason}. Nothing was lost.")


def _prepare(library: Library, job: JobRow) -> None:
    def progress(done: int, total: int) -> None:
        if not library.jobs.progress(job.id, done, total):
            raise Cancelled

    prepare(library, library.footage.get(job.target), progress)
    library.jobs.finish(job.id)


def _render(library: Library, job: JobRow) -> None:
    shot = load(job.document)
    file = f"{job.id}.mp4"
    path = library.folder.render(file)
    begin = time.monotonic()
    said = shown = 0.0

    def each(frame: int, picture: Picture) -> None:
        nonlocal said, shown
        now = time.monotonic()
        if now - said > 0.25 or frame + 1 == shot.length:
            said = now
            if not library.jobs.progress(
                job.id, frame + 1, shot.length, (frame + 1) / max(now - begin, 1e-3)
            ):
                raise Cancelled
        if now - shown > 0.5:
            shown = now
            write_whole(library.folder.work_picture(job.id), jpeg(contact_strip([picture], 320)))

    library.jobs.progress(job.id, 0, shot.length)
    render_mp4(shot, path, library.materials(preview=False), library.sound_of, each=each)
    library.jobs.finish(job.id, file=file, bytes=path.stat().st_size)


def main() -> None:
    os.nice(10)
    keep_freed_memory()
    library = Library(Path(sys.argv[1]))
    run_job(library, library.jobs.get(sys.argv[2]))


if __name__ == "__main__":
    main()
