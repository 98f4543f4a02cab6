"""Tests run as ordinary processes, whatever scheduling they are given while they run.

Some machines make what runs in a session real-time (FIFO) now and then. A busy thread is then never
put aside for another, so a kernel that computes keeps the browser, the server and the kernel's own
threads waiting, and what takes a second takes a minute.
"""

from __future__ import annotations

import os
import threading
from pathlib import Path

import pytest

from tests.hang import descendants

EVERY_SECONDS = 2.0


def ordinary(process: int) -> int:
    """Put all threads of a process that are real-time back among the others; how many there were."""
    count = 0
    for task in Path(f"/proc/{process}/task").glob("*"):
        try:
            if os.sched_getscheduler(int(task.name)) in (os.SCHED_FIFO, os.SCHED_RR):
                os.sched_setscheduler(int(task.name), os.SCHED_OTHER, os.sched_param(0))
                count += 1
        except (OSError, ValueError):  # it has just ended, or may not be changed
            continue
    return count


def _watch(ending: threading.Event) -> None:
    while not ending.wait(EVERY_SECONDS):
        for process in (os.getpid(), *descendants(os.getpid())):
            ordinary(process)


@pytest.hookimpl(wrapper=True)
def pytest_runtestloop(session: pytest.Session):
    ending = threading.Event()
    if hasattr(os, "sched_setscheduler"):
        threading.Thread(target=_watch, args=(ending,), daemon=True).start()
    try:
        return (yield)
    finally:
        ending.set()
