"""A first look at a file from outside, in a process of its own with limits on time and memory."""

from __future__ import annotations

import resource
from multiprocessing.connection import Connection
from pathlib import Path

from velvet_seam.core.media.probe import Probe, probe
from velvet_seam.core.problem import Full, Problem
from velvet_seam.work.picture_files import write_poster
from velvet_seam.work.process import Process, pipe

SECONDS = 60
MEMORY = 6 << 30


def look(path: Path, poster: Path) -> Probe:
    """Probe a file and write its poster, safely.

    Raises:
        Problem: it is no media, it is damaged, or looking at it took too long or too much memory.
        Full: there is no room for its poster.
    """
    ours, theirs = pipe()
    process = Process(_look, (str(path), str(poster), theirs), "look")
    theirs.close()
    try:
        if not ours.poll(SECONDS):
            raise Problem("Looking into this file took too long, so it was not taken in.")
        outcome, value = ours.recv()
    except (EOFError, OSError):
        raise Problem("This file could not be read; it may be damaged.") from None
    finally:
        ours.close()
        process.kill()
    if outcome == "fine":
        return Probe.model_validate_json(value)
    raise (Full if outcome == "full" else Problem)(value)


def _look(path: str, poster: str, answer: Connection) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    try:
        found = probe(Path(path))
        write_poster(Path(path), found, Path(poster))
        answer.send(("fine", found.model_dump_json()))
    except Problem as problem:
        answer.send(("problem", str(problem)))
    except MemoryError:
        answer.send(("problem", "Looking into this file took too much memory."))
    except OSError as error:  # it can be read, or it would have been a Problem
        reason = error.strerror or "the disk refused"
        answer.send(("full", f"Its poster could not be kept: {reason}."))
