"""A process beside the web process that answers what it is asked, one thing after the other."""

from __future__ import annotations

import multiprocessing as mp
from collections.abc import Callable
from multiprocessing.connection import Connection
from multiprocessing.context import SpawnProcess
from pathlib import Path
from typing import Any

Serve = Callable[[str, Connection], None]
"""What the process does: with the root of the folder, and a pipe that it answers on until it is closed."""


class Helper:
    """Starts the process, starts it again when it has fallen over, and ends it. Not for use from two threads
    at once."""

    def __init__(self, root: Path, serve: Serve, name: str) -> None:
        self._root, self._serve, self._name = root, serve, name
        self._context = mp.get_context("spawn")
        self._pipe: Connection | None = None
        self.process: SpawnProcess | None = None

    def launch(self) -> None:
        ours, theirs = self._context.Pipe()
        self.process = self._context.Process(
            target=self._serve, args=(str(self._root), theirs), name=self._name, daemon=True
        )
        self.process.start()
        theirs.close()
        self._pipe = ours

    def exchange(self, message: Any, seconds: float) -> tuple[str, Any]:
        """The answer to a message: ``fine`` and a value, or ``problem`` and a sentence.

        Raises:
            EOFError, OSError: the process has fallen over, or has been ended since it did not answer.
        """
        if self._pipe is None:
            self.launch()
        assert self._pipe is not None
        assert self.process is not None
        self._pipe.send(message)
        if not self._pipe.poll(seconds):
            self.process.kill()
            raise EOFError
        answer: tuple[str, Any] = self._pipe.recv()
        return answer

    def stop(self) -> None:
        if self._pipe:
            self._pipe.close()
        if self.process:
            self.process.join(2)
            if self.process.is_alive():
                self.process.terminate()
