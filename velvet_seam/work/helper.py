"""A process beside the web process that answers what it is asked, one thing after the other."""

from __future__ import annotations

from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path
from threading import Lock
from typing import Any

from velvet_seam.work.process import Process, pipe

Serve = Callable[[str, Connection], None]
"""What the process does: with the root of the folder, and a pipe that it answers on until it is closed."""

ENDING_SECONDS = 2.0
"""So long it has to end by itself."""


class Helper:
    """Starts the process, starts it again when it has fallen over, and ends it. It is asked from one thread at a
    time, and may be stopped from another."""

    def __init__(self, root: Path, serve: Serve, name: str) -> None:
        self._root, self._serve, self._name = root, serve, name
        self._starting = Lock()
        self._stopped = False
        self._pipe: Connection | None = None
        self.process: Process | None = None

    def launch(self) -> None:
        """Start it; once it is stopped that does nothing."""
        with self._starting:
            if self._stopped:
                return
            ours, theirs = pipe()
            self.process = Process(self._serve, (str(self._root), theirs), self._name)
            theirs.close()
            self._pipe = ours

    def exchange(self, message: Any, seconds: float) -> tuple[str, Any]:
        """The answer to a message: ``fine`` and a value, or ``problem`` and a sentence.

        Raises:
            EOFError, OSError: the process has fallen over, or has been ended since it did not answer.
        """
        if self._pipe is None:
            self.launch()
        if self._pipe is None or self.process is None:
            raise EOFError
        self._pipe.send(message)
        if not self._pipe.poll(seconds):
            self.process.kill()
            raise EOFError
        answer: tuple[str, Any] = self._pipe.recv()
        return answer

    def stop(self) -> None:
        with self._starting:
            self._stopped = True
            if self._pipe:
                self._pipe.close()
            if self.process and not self.process.wait(ENDING_SECONDS):
                self.process.terminate()
