"""A process for a piece of work: forked from one that has loaded what all need, so that it begins at once.

Loading takes seconds of a core; a fork takes some thousandths. The one that is forked from is the standard library's
fork server. It holds nothing but modules, has no threads of its own, and ends when nothing needs it any more.
"""

from __future__ import annotations

import multiprocessing as mp
import os
import signal
import sys
import time
from collections.abc import Callable
from contextlib import suppress
from multiprocessing import forkserver
from multiprocessing.connection import wait
from threading import Lock
from typing import Any

from velvet_seam.work.parent import end_with_program

_FORKED = sys.platform == "linux"  # elsewhere libraries do not bear to be forked
_CONTEXT: Any = mp.get_context("forkserver" if _FORKED else "spawn")
_ONE_AT_A_TIME = Lock()  # the library's own notes of its processes are not made for several threads

TRIES = 5
"""So often a process is begun before that counts as a fault."""

_LOST = 255
"""What the library says of a process whose fork server was ended from outside: nobody knows how it ends."""

if _FORKED:
    forkserver.set_forkserver_preload(["velvet_seam.work.loaded"])


def begin() -> None:
    """Begin to load, beside whatever else is done; returns at once. Without it the first process waits for that."""
    if _FORKED:
        with _ONE_AT_A_TIME:
            forkserver.ensure_running()


def pipe() -> tuple[Any, Any]:
    """Both ends of a way to talk to a process."""
    ends: tuple[Any, Any] = _CONTEXT.Pipe()
    return ends


class Process:
    """A running process. It ends with the program that started it, however that ends. Any thread may use it.

    Args:
        work: a function of a module, called there with ``arguments``; what it hands to :func:`sys.exit` is
            :attr:`returncode`.
    """

    def __init__(self, work: Callable[..., None], arguments: tuple[Any, ...], name: str) -> None:
        self._process = _CONTEXT.Process(
            target=_working, args=(work, arguments), name=name, daemon=True
        )
        with _ONE_AT_A_TIME:
            self._start()
        self.pid = int(self._process.pid or 0)
        self.returncode: int | None = None

    def _start(self) -> None:
        """What it is forked from may just have been ended from outside: then that is begun anew."""
        for tried in range(TRIES):
            try:
                self._process.start()
                return
            except (EOFError, ConnectionError):
                if tried == TRIES - 1:
                    raise
                time.sleep(0.1)

    def poll(self) -> int | None:
        """How it ended, or None while it runs."""
        with _ONE_AT_A_TIME:
            if self.returncode is None:
                self.returncode = self._process.exitcode
                if self.returncode == _LOST:  # else it would be in the way of what takes its place
                    with suppress(ProcessLookupError):
                        os.kill(self.pid, signal.SIGKILL)
        return self.returncode

    def wait(self, seconds: float) -> bool:
        """Wait for its end, no longer than so; whether it has ended."""
        if self.returncode is None:
            wait([self._process.sentinel], seconds)
        return self.poll() is not None

    def terminate(self) -> None:
        """Ask it to end."""
        self._signal(signal.SIGTERM)

    def kill(self) -> None:
        """End it, and wait for that."""
        self._signal(signal.SIGKILL)
        self.wait(10)

    def _signal(self, which: int) -> None:
        if self.poll() is None:
            with suppress(ProcessLookupError):  # it has just ended by itself
                os.kill(self.pid, which)


def _working(work: Callable[..., None], arguments: tuple[Any, ...]) -> None:
    end_with_program()
    work(*arguments)
