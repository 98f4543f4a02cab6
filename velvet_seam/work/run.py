"""One piece of background work, in a process of its own."""

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

NO_ROOM = 75
"""How a process ends that could not even write down what happened (``EX_TEMPFAIL`` of ``sysexits.h``)."""


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


def work(root: str, identity: str) -> None:
    """What the process does: the work of a row of the queue of a folder."""
    os.nice(10)
    os.umask(0o077)
    keep_freed_memory()
    library = Library(Path(root))
    job = library.jobs.get(identity)
    memory = job_of(job.kind).memory
    if memory is not None:
        resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    with library.folder.only_one(job.kind):
        try:
            run_job(library, job)
        except Unwritable:  # no room for even a row: it waits, and nothing is lost
            sys.exit(NO_ROOM)
