"""Processes that are forked from one that is loaded: they begin, end, say how, and never stay behind."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from multiprocessing import forkserver
from pathlib import Path

import pytest

from velvet_seam.work.process import Process, pipe

LOADED = ("cv2", "numba", "av", "velvet_seam.work.painter", "velvet_seam.work.jobs.roto")


def _ends(code: int) -> None:
    sys.exit(code)


def _stays() -> None:
    while True:
        time.sleep(1)


def _told(answer) -> None:
    tasks = len(list(Path(f"/proc/{os.getppid()}/task").iterdir()))
    answer.send(([name for name in LOADED if name in sys.modules], tasks))


def _gone(pid: int) -> bool:
    """Whether a process has ended; one that nobody has asked after yet counts as such."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    except OSError:
        return True


def test_it_begins_with_everything_loaded_and_without_a_second_thread_beside_the_fork():
    ours, theirs = pipe()
    process = Process(_told, (theirs,), "told")
    loaded, tasks = ours.recv()
    assert loaded == list(LOADED)
    assert tasks <= os.cpu_count()  # of the linear algebra's own, which expects to be forked
    assert process.wait(60)
    assert process.returncode == 0


@pytest.mark.parametrize("code", [0, 1, 75])
def test_many_at_once_say_how_they_ended_to_whoever_asks(code: int):
    """Each is asked after by eight threads; the library's own notes would be read by two of them at once."""
    processes = [Process(_ends, (code,), "ends") for _ in range(6)]
    with ThreadPoolExecutor(8) as threads:
        found = list(
            threads.map(
                lambda n: (processes[n % 6].wait(60), processes[n % 6].returncode), range(48)
            )
        )
    assert found == [(True, code)] * 48


def test_it_is_ended():
    asked, ended = (Process(_stays, (), "stays") for _ in range(2))
    assert not asked.wait(0.2)
    asked.terminate()
    assert asked.wait(60)
    ended.kill()
    assert (asked.returncode, ended.returncode) == (-signal.SIGTERM, -signal.SIGKILL)
    ended.kill()  # what has ended is left alone


def test_what_they_are_forked_from_is_begun_anew_and_none_is_lost_sight_of():
    stays, answer = Process(_stays, (), "stays"), pipe()
    server = forkserver._forkserver._forkserver_pid
    os.kill(server, signal.SIGKILL)
    process = Process(_told, (answer[1],), "told")  # at once: it may not even be gone yet
    assert answer[0].recv()[0] == list(LOADED)
    assert process.wait(60)
    assert process.returncode == 0
    assert stays.wait(60)  # nobody is there to say how it ended: that counts as fallen over
    assert stays.returncode not in (0, None)
    end = time.monotonic() + 60
    while not _gone(stays.pid) and time.monotonic() < end:
        time.sleep(0.02)
    assert _gone(stays.pid)


@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGTERM, None])
def test_nothing_outlives_the_program(how: signal.Signals | None):
    """Neither the work nor what it was forked from."""
    program = """
import os, sys
from tests.work.test_process import _stays
from velvet_seam.work.process import Process
from multiprocessing import forkserver
process = Process(_stays, (), "stays")
print(process.pid, forkserver._forkserver._forkserver_pid, flush=True)
if sys.argv[1] == "None":
    sys.exit()
_stays()
"""
    command = [sys.executable, "-c", program, str(how)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as running:
        assert running.stdout is not None
        pids = [int(word) for word in running.stdout.readline().split()]
        if how is not None:
            assert not any(_gone(pid) for pid in pids)
            running.send_signal(how)
    end = time.monotonic() + 60
    while not all(_gone(pid) for pid in pids) and time.monotonic() < end:
        time.sleep(0.02)
    assert all(_gone(pid) for pid in pids)
