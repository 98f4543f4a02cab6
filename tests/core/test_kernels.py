"""Compiled kernels: kept by content, shared by processes, and nothing damaged is ever run."""

from __future__ import annotations

import os
import subprocess
import sys
import textwrap
from pathlib import Path

import numpy as np
import pytest

from velvet_seam.core.kernels import content_of, kernel

MODULE = """
import numba as nb
import numpy as np
from velvet_seam.core.kernels import kernel

FACTOR = {factor}
TABLE = np.array([1, 2, 3])

@nb.njit(error_model="numpy")
def inner(a):
    {comment}
    return a * FACTOR + {more}

@kernel()
def outer(values):
    return inner(values[0]) + TABLE[1]

if __name__ == "__main__":
    from numba.core import event
    class Count(event.Listener):
        def __init__(self): self.names = []
        def on_start(self, e): self.names.append(e.data["dispatcher"].py_func.__name__)
        def on_end(self, e): pass
    count = Count()
    event.register("numba:compile", count)
    print(outer(np.array([5])), "outer" in count.names)
"""


def run(folder: Path, name: str = "a", **parts: object) -> str:
    """What a module of a kernel prints, in a process of its own: its result, and whether it was compiled."""
    path = folder / name / "module.py"
    path.parent.mkdir(exist_ok=True)
    given = {"factor": 10, "comment": "", "more": 0, **parts}
    path.write_text(textwrap.dedent(MODULE).format(**given))
    done = subprocess.run(
        [sys.executable, str(path)], capture_output=True, text=True, check=True,
        env={**os.environ, "XDG_CACHE_HOME": str(folder / "cache")},
    )  # fmt: skip
    return done.stdout.strip()


def test_what_is_kept_is_taken_wherever_it_lies_and_only_while_it_is_the_same(tmp_path: Path):
    assert run(tmp_path) == "52 True"
    assert run(tmp_path) == "52 False"
    assert run(tmp_path, "another-clone") == "52 False"
    assert run(tmp_path, comment="# a remark\n\n") == "52 False"
    # a constant and a function that is only called are looked at too
    assert run(tmp_path, factor=11) == "57 True"
    assert run(tmp_path, more=1) == "53 True"
    assert run(tmp_path) == "52 False"  # what was kept before is still there


def test_damaged_and_foreign_entries_are_passed_over(tmp_path: Path):
    run(tmp_path)
    (entry,) = (tmp_path / "cache").rglob("outer-*")
    whole = entry.read_bytes()
    flipped = bytearray(whole)
    flipped[len(flipped) // 2] ^= 4
    for harmed in (whole[:-9], bytes(flipped), b""):  # every run makes it again, whole
        entry.write_bytes(harmed)
        assert run(tmp_path) == "52 True"
    entry.chmod(0o666)  # others may write it
    assert run(tmp_path) == "52 True"
    assert run(tmp_path) == "52 False"


def test_where_nothing_can_be_kept_it_runs_all_the_same(tmp_path: Path):
    (tmp_path / "cache").write_text("a file where the folder should be")
    assert run(tmp_path) == "52 True"
    assert run(tmp_path) == "52 True"


def test_several_processes_make_one_entry(tmp_path: Path):
    path = tmp_path / "module.py"
    path.write_text(MODULE.format(factor=10, comment="", more=0))
    env = {**os.environ, "XDG_CACHE_HOME": str(tmp_path / "cache")}
    running = [
        subprocess.Popen([sys.executable, str(path)], stdout=subprocess.PIPE, text=True, env=env)
        for _ in range(3)
    ]
    said = sorted(one.communicate()[0].strip() for one in running)
    assert said == ["52 False", "52 False", "52 True"]
    assert len(list((tmp_path / "cache").rglob("outer-*"))) == 1


def test_what_cannot_be_told_apart_is_refused():
    class Changing:
        value = 3

    held = Changing()

    @kernel()
    def reads(values):
        return values[0] * held.value

    with pytest.raises(TypeError, match="cannot be told"):
        content_of(reads)
    with pytest.raises(TypeError, match="cannot be told"):
        reads(np.ones(2))
