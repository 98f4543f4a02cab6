"""What the painter does while nobody asks: it loads what the first stroke or blur would wait for."""

from __future__ import annotations

import os
import time
from multiprocessing import Pipe
from pathlib import Path
from threading import Event, Thread

import pytest

from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.shot.written import written
from velvet_seam.store.tables import database
from velvet_seam.work import painter
from velvet_seam.work.asks import Paint

BLANK = Shot(name="A", canvas=Canvas(width=64, height=64), rate="25", length=2)


@pytest.fixture
def serving(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    """Begins a painter in a thread of this process; gives the other end of its pipe."""
    monkeypatch.setattr(os, "nice", lambda _: 0)
    monkeypatch.setattr(painter, "keep_freed_memory", lambda: None)
    monkeypatch.setattr(painter, "IDLE_SECONDS", 0.02)
    ours, its = Pipe()
    thread = Thread(target=painter.serve, args=(str(tmp_path / "studio"), its))

    def begun():
        thread.start()
        return ours

    yield begun
    ours.close()
    thread.join(30)
    assert not thread.is_alive()
    database.close()


def painted(pipe) -> bool:
    pipe.send((Paint(written(BLANK), 0), []))
    assert pipe.poll(60)
    return pipe.recv()[0] == "fine"


def test_it_loads_one_piece_after_the_other_and_answers_between_them(serving, monkeypatch):
    done, first, on = [], Event(), Event()

    def slow() -> None:
        done.append(0)
        first.set()
        on.wait(30)

    monkeypatch.setattr(painter, "PIECES", (slow, lambda: done.append(1), lambda: done.append(2)))
    monkeypatch.setattr(painter, "is_warm", lambda: True)
    pipe = serving()
    assert first.wait(30)
    pipe.send((Paint(written(BLANK), 0), []))  # asked for while a piece is loaded
    on.set()
    assert pipe.poll(60)
    assert pipe.recv()[0] == "fine"
    end = time.monotonic() + 30
    while len(done) < 3 and time.monotonic() < end:
        time.sleep(0.02)
    assert done == [0, 1, 2]
    assert painted(pipe)


@pytest.mark.parametrize("cold", [True, False])
def test_it_compiles_nothing_of_itself(serving, monkeypatch, cold: bool):
    """Neither before all is compiled, nor where what was kept is lost."""
    done = []
    pieces = (lambda: done.append(0), lambda: done.append(1))
    monkeypatch.setattr(painter, "PIECES", pieces)
    monkeypatch.setattr(painter, "is_warm", lambda: not cold)
    monkeypatch.setattr(painter, "LONG_SECONDS", -1.0)
    pipe = serving()
    assert painted(pipe)
    end = time.monotonic() + 30
    while not (cold or done) and time.monotonic() < end:
        time.sleep(0.02)
    time.sleep(0.3)
    assert painted(pipe)
    assert done == ([] if cold else [0])
