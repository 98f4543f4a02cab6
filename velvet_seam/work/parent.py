"""A worker does not outlive the program that started it: the next one would start it again."""

import ctypes
import multiprocessing as mp
import os
import signal
import sys
from threading import Thread

_PR_SET_PDEATHSIG = 1  # prctl(2)


def end_with_parent(parent: int) -> None:
    """Ask the kernel to end this process when its parent ends, however that ends. Linux only;
    elsewhere the lock on the folder lets the next worker wait for this one.

    Args:
        parent: the process that started this one. It may have ended before this one could ask.
    """
    if sys.platform != "linux":
        return
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    if os.getppid() != parent:
        sys.exit(1)


def end_with_program() -> None:
    """The same for a process that was forked for a program by another process, whose end tells nothing."""
    Thread(target=_watch, name="parent", daemon=True).start()


def _watch() -> None:
    program = mp.parent_process()
    assert program is not None
    program.join()
    os.kill(os.getpid(), signal.SIGTERM)
