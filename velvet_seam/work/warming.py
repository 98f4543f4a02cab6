"""The kernels being compiled beside the running application, and how far that is."""

from __future__ import annotations

import subprocess
import sys
import threading

from velvet_seam.work.warm import PIECES, is_warm


class Warming:
    """Starts :mod:`velvet_seam.work.warm` where it has not been done on this machine; else nothing happens.

    Whoever needs a kernel meanwhile waits for that one alone, or compiles it.
    """

    def __init__(self) -> None:
        self._process: subprocess.Popen[str] | None = None
        self._far: tuple[int, int] | None = None

    def start(self) -> None:
        if self._process is not None or is_warm():
            return
        self._far = (0, len(PIECES))
        command = [sys.executable, "-m", "velvet_seam.work.warm", "--beside"]
        self._process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        threading.Thread(target=self._watch, args=(self._process,), daemon=True).start()

    @property
    def far(self) -> tuple[int, int] | None:
        """How many pieces are done, and of how many; None when there is nothing left to do."""
        return self._far

    def stop(self) -> None:
        """What is compiled by then is kept."""
        if self._process is not None and self._process.poll() is None:
            self._process.terminate()
            self._process.wait()

    def _watch(self, process: subprocess.Popen[str]) -> None:
        assert process.stdout is not None
        for line in process.stdout:
            done, total = (int(word) for word in line.split())
            self._far = (done, total) if done < total else None
        process.wait()
        self._far = None  # also where it fell over: then each kernel is compiled when it is needed
