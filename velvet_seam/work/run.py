"""One piece of background work in a process of its own: ``python -m velvet_seam.work.run ROOT JOB``."""

from __future__ import annotations

import os
import resource
import sys
from pathlib import Path

from velvet_seam.core.problem import Cancelled, Problem
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow, Unwritable
from velvet_seam.work.jobs import job_of
from velvet_seam.work.memory import keep_freed_memory
from velvet_seam.work.parent import end_with_parent
from velvet_seam.work.queue import NO_ROOM


def run_job(library: Library, job: JobRow) -> None:
    """Do the work of a row of the queue; writes its progress and its end there."""
    doing = job_of(job.kind).load()
    try:
        doing.do(library, job)
    except Cancelled:
        if library.jobs.get(job.id).state == "cancelled":
            doing.given_up(library, job)
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


def main() -> None:
    end_with_parent(int(sys.argv[3]))
    os.nice(10)
    os.umask(0o077)
    keep_freed_memory()
    library = Library(Path(sys.argv[1]))
    job = library.jobs.get(sys.argv[2])
    memory = job_of(job.kind).memory
    if memory is not None:
        resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    with library.folder.only_one(job.kind):
        try:
            run_job(library, job)
        except Unwritable:  # no room for even a row: it waits, and nothing is lost
            sys.exit(NO_ROOM)


if __name__ == "__main__":
    main()
