"""A first look at a file from outside, in a process of its own with limits on time and memory.

``python -m velvet_seam.work.look FILE POSTER`` prints what the file holds as JSON and writes a
poster; for a file that cannot be used it prints ``{"problem": sentence}``, where there is no room ``{"full": …}``.
"""

from __future__ import annotations

import json
import resource
import subprocess
import sys
from pathlib import Path

from velvet_seam.core.media.probe import Probe
from velvet_seam.core.problem import Full, Problem

SECONDS = 60
MEMORY = 6 << 30


def look(path: Path, poster: Path) -> Probe:
    """Probe a file and write its poster, safely.

    Raises:
        Problem: it is no media, it is damaged, or looking at it took too long or too much memory.
    """
    command = [sys.executable, "-m", "velvet_seam.work.look", str(path), str(poster)]
    try:
        done = subprocess.run(command, capture_output=True, timeout=SECONDS, check=False)
    except subprocess.TimeoutExpired:
        raise Problem("Looking into this file took too long, so it was not taken in.") from None
    try:
        answer = json.loads(done.stdout)
    except ValueError:
        raise Problem("This file could not be read; it may be damaged.") from None
    if "full" in answer:
        raise Full(answer["full"])
    if "problem" in answer:
        raise Problem(answer["problem"])
    return Probe.model_validate(answer)


def _main(path: Path, poster: Path) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    from velvet_seam.core.media.probe import probe
    from velvet_seam.work.picture_files import write_poster

    try:
        found = probe(path)
        write_poster(path, found, poster)
        answer = found.model_dump_json()
    except Problem as problem:
        answer = json.dumps({"problem": str(problem)})
    except MemoryError:
        answer = json.dumps({"problem": "Looking into this file took too much memory."})
    except OSError as error:  # it can be read, or it would have been a Problem
        reason = error.strerror or "the disk refused"
        answer = json.dumps({"full": f"Its poster could not be kept: {reason}."})
    sys.stdout.write(answer)


if __name__ == "__main__":
    _main(Path(sys.argv[1]), Path(sys.argv[2]))
