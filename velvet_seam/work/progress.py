"""How far a job is, said some times a second: a write for every frame would take longer than some frames do."""

from __future__ import annotations

import time

from velvet_seam.core.problem import Cancelled
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow

EVERY_SECONDS = 0.25


class Progress:
    """Called with what is done of ``total``.

    Raises:
        Cancelled: the job is to end.
    """

    def __init__(self, library: Library, job: JobRow, total: int) -> None:
        self._library, self._job, self._total = library, job, max(total, 1)
        self._said = 0.0

    def __call__(self, done: int) -> None:
        now = time.monotonic()
        if now - self._said < EVERY_SECONDS and done < self._total:
            return
        self._said = now
        if not self._library.jobs.progress(self._job.id, min(done, self._total), self._total):
            raise Cancelled
