"""The queue: starts a process for each piece of waiting work, one of a kind at a time."""

from __future__ import annotations

import contextlib
import threading
import time

from velvet_seam.store.library import Library
from velvet_seam.store.tables import Unwritable
from velvet_seam.work.jobs import JOBS
from velvet_seam.work.process import Process
from velvet_seam.work.run import NO_ROOM, work

STILL_SECONDS = 240.0
"""Work that says nothing new for so long hangs, in a library or on a disk, and is begun again."""

ROOM_SECONDS = 3.0
"""After that long a full disk is tried again."""

ENDING_SECONDS = 5.0
"""Work that has been asked to end has so long to do so."""


class Queue:
    """Watches the store's queue from a thread, from :meth:`start` to :meth:`stop`."""

    def __init__(self, library: Library) -> None:
        self._library = library
        self._running: dict[str, tuple[str, Process]] = {}
        self._seen: dict[str, tuple[int, float]] = {}
        self._wake = threading.Event()
        self._rest_until = 0.0
        self._begun = self._ending = False
        self._thread = threading.Thread(target=self._watch, name="queue", daemon=True)

    def start(self) -> None:
        """What was interrupted when the program last ended waits again, as soon as that can be written."""
        self._thread.start()

    def wake(self) -> None:
        """Look for waiting work now rather than soon."""
        self._wake.set()

    def stop(self) -> None:
        """End the processes; their work waits for the next start."""
        self._ending = True
        self._wake.set()
        self._thread.join()
        for _, process in self._running.values():
            process.terminate()
            if not process.wait(ENDING_SECONDS):  # stuck in a library or on a disk
                process.kill()
        if self._running:
            self._library.forget_unfinished()
        with contextlib.suppress(Unwritable):  # a full disk: the next start does it
            self._library.jobs.restart_interrupted()

    def _watch(self) -> None:
        while not self._ending:
            pause = 0.3
            try:
                kinds = self._to_see_to()
            except Unwritable:  # the disk is full: what is there stays, and is looked at again
                kinds, pause = [], ROOM_SECONDS
            for kind in kinds:
                try:
                    self._tend(kind)
                except Unwritable:  # also when something else can be written
                    pause = ROOM_SECONDS
            self._wake.wait(pause)
            self._wake.clear()

    def _to_see_to(self) -> list[str]:
        """The kinds of which something runs or waits: told by one reading, for to take work is to write, and to
        write for every kind three times a second would keep a processor and the file of the tables busy for nothing."""
        if not self._begun:
            self._library.jobs.restart_interrupted()
            self._begun = True
        waiting = self._library.jobs.waiting()
        return [one.name for one in JOBS if one.name in waiting or one.name in self._running]

    def _tend(self, kind: str) -> None:
        if kind in self._running:
            job, process = self._running[kind]
            if process.poll() is None:
                if not self._hangs(job):
                    return
                process.kill()
            if process.returncode == NO_ROOM:
                self._library.jobs.wait_again(job)
            elif process.returncode != 0:
                self._library.jobs.stumble(job)
            del self._running[kind]
            self._seen.pop(job, None)
            if process.returncode == NO_ROOM:
                self._rest_until = time.monotonic() + ROOM_SECONDS
        if time.monotonic() < self._rest_until:
            return
        job_row = self._library.jobs.take(kind)
        if job_row is not None:
            root = str(self._library.folder.root)
            try:
                self._running[kind] = (job_row.id, Process(work, (root, job_row.id), kind))
            except (OSError, EOFError):  # no process can be begun just now
                self._library.jobs.wait_again(job_row.id)
                self._rest_until = time.monotonic() + ROOM_SECONDS

    def _hangs(self, job: str) -> bool:
        done, now = int(self._library.jobs.get(job).done), time.monotonic()
        before = self._seen.get(job)
        if before is None or before[0] != done:
            self._seen[job] = (done, now)
            return False
        return now - before[1] > STILL_SECONDS
