"""The program ill-used on purpose: killed, sent nonsense and damaged files, asked for much at once.

``make abuse`` does all of it on this machine alone (the loopback address, a folder of its own that is
removed afterwards); ``make abuse SHARE=0.1`` a tenth. It ends with an error where an answered edit or
file was lost, an answer was a bare error of the program, something was left behind, or a process
became too large."""

from __future__ import annotations

import argparse
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from tests.abuse.damaged import damaged
from tests.abuse.disk import full_disk, left_behind
from tests.abuse.hostile import hostile
from tests.abuse.kills import killed
from tests.abuse.pages import edited, sockets
from tests.abuse.program import WEB_BYTES, WORKER_BYTES, Program, own_disk, samples


def abuse(share: float, seed: int) -> Iterator[tuple[str, list[str]]]:
    """Each disturbance in turn, with what went wrong."""
    dice = random.Random(seed)
    root = Path(tempfile.mkdtemp(prefix="velvet-seam-abuse-"))
    program = Program(root / "studio")
    part = lambda whole: max(1, round(whole * share))  # noqa: E731
    try:
        whole = samples(root)
        program.start()
        yield f"{part(50)} kills", killed(program, part(50), dice)
        yield f"{part(1000)} hostile requests", hostile(program, part(1000), dice)
        yield f"{part(500)} damaged files", damaged(program, part(500), dice, whole)
        yield f"8 pages for {180 * share:.0f} s, two renders", sockets(program, 180 * share, dice)
        yield f"{part(10_000)} edits", edited(program, part(10_000), dice)
        small = Program(root / "small", 36 << 20)  # the shelf fills most of it
        small.folder.mkdir()
        if subprocess.run(
            [*own_disk(small.folder, 1 << 20), "true"], capture_output=True
        ).returncode:
            yield "a full disk: left out, no disk of its own can be made here", []
        else:
            small.start()
            try:
                yield f"a full disk, {part(40)} rounds", full_disk(small, part(40), dice)
            finally:
                small.stop()
        program.stop()
        time.sleep(2)
        yield (
            "left behind",
            left_behind(root / "studio") + [f"process {pid}" for pid in program.alive()],
        )
        sizes = f"web at most {program.largest['web'] >> 20} MB, others at most {program.largest['worker'] >> 20} MB"
        large = program.largest["web"] > WEB_BYTES or program.largest["worker"] > WORKER_BYTES
        yield sizes, ["too large"] if large else []
    finally:
        program.stop()
        shutil.rmtree(root, ignore_errors=True)


def main() -> int:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--share", type=float, default=1.0, help="of the whole, 0.01 to 1")
    asked.add_argument("--seed", type=int, default=1, help="of chance: the same one does the same")
    given = asked.parse_args()
    bad = 0
    print(f"load {os.getloadavg()[0]:.1f}, seed {given.seed}")
    began = time.monotonic()
    for words, faults in abuse(min(max(given.share, 0.01), 1.0), given.seed):
        print(f"{time.monotonic() - began:6.0f} s  {words}: {len(faults)} faults", flush=True)
        for fault in faults[:12]:
            print(f"          {fault}")
        bad += len(faults)
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
