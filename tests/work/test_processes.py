"""Processes that fall over: nothing hangs, nothing is lost, the next request works."""

from __future__ import annotations

import asyncio
import json
import os
import shutil
import signal
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
import simplejpeg

from tests.in_loop import run
from velvet_seam.core.media.probe import probe
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.layer import Layer, Place, Span
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.shot.written import written
from velvet_seam.core.sources import ColourSource
from velvet_seam.demo.draw import FOLDER
from velvet_seam.store.jobs import MOST_TRIES
from velvet_seam.store.library import Library
from velvet_seam.store.tables import Unwritable, database
from velvet_seam.work import queue as queue_module
from velvet_seam.work import studio
from velvet_seam.work.asks import Measure, Paint
from velvet_seam.work.painter import Painter
from velvet_seam.work.process import Process
from velvet_seam.work.queue import NO_ROOM, Queue
from velvet_seam.work.studio import LIVE, WHENEVER, Studio


def red_shot(length: int = 25) -> Shot:
    layer = Layer(id="l-a", name="Red", source=ColourSource(colour="#ff0000"),
                  span=Span(first=0, last=length - 1), place=Place(x=64, y=64))  # fmt: skip
    canvas = Canvas(width=128, height=128)
    return Shot(name="Red", canvas=canvas, rate="25", length=length, layers=(layer,))


@pytest.fixture
def library(tmp_path: Path):
    library = Library(tmp_path / "studio")
    yield library
    database.close()


def test_an_edit_that_is_tried_is_seen_as_if_it_were_made_and_is_not_kept(library: Library):
    shot = red_shot()
    painter, document = Painter(library), written(shot)
    before = painter.answer(Paint(document, 0))
    for edit in (
        {"do": "set-values", "target": "l-a", "values": {"source.colour": "#2040d0"}},
        {"do": "set-values", "target": "l-a", "values": {"place.x": 90, "place.rotation": 20}},
        {"do": "set-values", "target": None, "values": {"length": 2}},
    ):
        after = apply(shot, read_edit(edit))
        frame = shot.length - 1  # past the end of the one that is made shorter
        tried = painter.answer(Paint(document, frame, trial=json.dumps(edit)))
        made = painter.answer(Paint(written(after), min(frame, after.length - 1)))
        assert tried == made
    assert painter.answer(Paint(document, 0)) == before
    with pytest.raises(Problem):
        painter.answer(
            Paint(document, 0, trial='{"do": "set-values", "target": "l-x", "values": {}}')
        )


def test_the_painter_is_started_again(library: Library):
    document = written(red_shot())

    async def work() -> None:
        made = Studio(library.folder.root)
        await made.start()
        try:
            first = simplejpeg.decode_jpeg(await made.ask(Paint(document, 0)))
            assert first[64, 64, 0] > 240
            os.kill(made._helper.process.pid, signal.SIGKILL)
            with pytest.raises(Problem, match="tried afresh"):
                for _ in range(3):
                    await made.ask(Paint(document, 1))
            assert await made.ask(Paint(document, 2)) == await made.ask(Paint(document, 2))
            with pytest.raises(Problem, match="no screen to key"):
                await made.ask(Measure(document, "l-a", 0))
        finally:
            await made.stop()

    run(work())


def test_a_painter_that_hangs_is_replaced(library: Library, monkeypatch):
    document = written(red_shot())

    async def work() -> None:
        made = Studio(library.folder.root)
        await made.start()
        try:
            assert await made.ask(Paint(document, 0))
            monkeypatch.setattr(studio, "LONGEST_SECONDS", 1.0)
            first = made._helper.process
            os.kill(first.pid, signal.SIGSTOP)
            with pytest.raises(Problem, match="tried afresh"):
                await made.ask(Paint(document, 1))
            monkeypatch.setattr(studio, "LONGEST_SECONDS", 60.0)
            assert await made.ask(Paint(document, 2))
            assert first.wait(10)
        finally:
            await made.stop()

    run(work())


def test_what_is_under_the_hand_goes_first(library: Library):
    shot = red_shot(60)
    documents = [written(shot.model_copy(update={"name": f"n{n}"})) for n in range(30)]
    done: list[str] = []

    async def work() -> None:
        studio = Studio(library.folder.root)
        await studio.start()

        async def ask(name: str, paint: Paint, urgency: int) -> None:
            await studio.ask(paint, urgency)
            done.append(name)

        await studio.ask(Paint(documents[0], 0))
        slow = [ask("wall", Paint(d, 5, short_side=90), WHENEVER) for d in documents]
        tasks = [asyncio.create_task(one) for one in slow]
        await asyncio.sleep(0)
        tasks.append(asyncio.create_task(ask("hand", Paint(documents[0], 7), LIVE)))
        await asyncio.gather(*tasks)
        await studio.stop()

    run(work())
    assert done.index("hand") <= 2


def waited(library: Library, job: str, *states: str, seconds: float = 240):
    """The row of a job once it is in one of some states."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        row = library.jobs.get(job)
        if row.state in states:
            return row
        time.sleep(0.05)
    raise AssertionError(f"still {library.jobs.get(job).state}")


def enqueue(library: Library, length: int) -> str:
    shot = red_shot(length)
    return library.jobs.add("render", "s", shot.name, document=shot.model_dump_json(), total=length)


@contextmanager
def running(library: Library) -> Iterator[Queue]:
    """A queue at work until the block ends."""
    queue = Queue(library)
    queue.start()
    try:
        yield queue
    finally:
        queue.stop()


def render_process(queue: Queue) -> Process:
    end = time.monotonic() + 120
    while "render" not in queue._running and time.monotonic() < end:
        time.sleep(0.02)
    return queue._running["render"][1]


def finished(library: Library, job: str, count: int) -> dict[str, int]:
    """The finished ranges of a render, once there are so many: their names and when they came."""
    end = time.monotonic() + 240
    while time.monotonic() < end:
        files = sorted(library.folder.ranges(job).glob("*.mp4"))
        if len(files) >= count:
            return {file.name: file.stat().st_mtime_ns for file in files}
        time.sleep(0.02)
    raise AssertionError("no range is finished")


def test_a_render_that_is_killed_goes_on_by_itself_and_gives_the_same_file(library: Library):
    whole, killed = enqueue(library, 600), enqueue(library, 600)
    with running(library) as queue:
        waited(library, whole, "done")
        before = finished(library, killed, 2)
        render_process(queue).kill()
        after = finished(library, killed, 4)
        assert {name: after[name] for name in before} == before  # none was done again
        assert waited(library, killed, "done").tries == 1
        deadline = (
            time.monotonic() + 60
        )  # what was finished on the way goes once the row says that it is done
        while library.folder.all_ranges() and time.monotonic() < deadline:
            time.sleep(0.02)
    files = [library.folder.render(f"{job}.mp4").read_bytes() for job in (whole, killed)]
    assert files[0] == files[1]
    names = sorted(path.name for path in (library.folder.root / "renders").iterdir())
    assert names == sorted([f"{whole}.mp4", f"{killed}.mp4"])


def test_a_render_that_falls_over_each_time_is_given_up_in_words_and_can_be_taken_up(library):
    stubborn, after = enqueue(library, 20_000), enqueue(library, 10)
    with running(library) as queue:
        for _ in range(MOST_TRIES):
            waited(library, stubborn, "working")
            process = render_process(queue)
            process.kill()
            while queue._running.get("render", (None, None))[1] is process:
                time.sleep(0.02)
        row = waited(library, stubborn, "failed")
        assert "goes on from there" in row.sentence
        assert waited(library, after, "done").done == 10
        library.jobs.go_on(stubborn)
        assert waited(library, stubborn, "working").tries == 0


def test_an_idle_queue_writes_nothing(library: Library, monkeypatch: pytest.MonkeyPatch):
    take, asked = library.jobs.take, []
    monkeypatch.setattr(library.jobs, "take", lambda kind: asked.append(kind) or take(kind))
    with running(library):
        time.sleep(1)
        assert asked == []
        job = enqueue(library, 10)
        waited(library, job, "done")
    assert set(asked) == {"render"}


def test_work_that_hangs_is_begun_again(library: Library, monkeypatch: pytest.MonkeyPatch):
    job = enqueue(library, 300)
    with running(library) as queue:
        waited(library, job, "working")
        finished(library, job, 1)
        # only now: on a busy machine it takes longer than that to begin
        monkeypatch.setattr(queue_module, "STILL_SECONDS", 4.0)
        os.kill(render_process(queue).pid, signal.SIGSTOP)
        assert waited(library, job, "done").tries >= 1


def test_a_full_disk_ends_no_queue(library: Library, monkeypatch: pytest.MonkeyPatch):
    """Neither the queue's own thread nor the work is lost while not even a row can be written."""
    monkeypatch.setattr(queue_module, "ROOM_SECONDS", 0.1)
    taken, refusals = library.jobs.take, iter([True] * 6)

    def take(kind: str):
        if next(refusals, False):
            raise Unwritable("database or disk is full")
        return taken(kind)

    monkeypatch.setattr(library.jobs, "take", take)
    job = enqueue(library, 300)
    with running(library) as queue:
        waited(library, job, "working")
        ended = render_process(queue)
        with monkeypatch.context() as full:  # as where it could not write down its own end
            full.setattr(ended, "poll", lambda: setattr(ended, "returncode", NO_ROOM) or NO_ROOM)
            ended.kill()
            while queue._running.get("render", (None, None))[1] is ended:
                time.sleep(0.02)
        row = waited(library, job, "done")
    assert (row.tries, row.done) == (0, 300)


def test_a_full_disk_holds_up_neither_start_nor_end(library: Library, monkeypatch):
    """What was interrupted waits again as soon as that can be written."""
    job, refusals = enqueue(library, 30), iter([True] * 3)
    library.jobs._set(job, state="working")  # as a killed program leaves it
    restart = library.jobs.restart_interrupted

    def restarted() -> None:
        if next(refusals, False):
            raise Unwritable("database or disk is full")
        restart()

    monkeypatch.setattr(queue_module, "ROOM_SECONDS", 0.05)
    monkeypatch.setattr(library.jobs, "restart_interrupted", restarted)
    with running(library):
        waited(library, job, "done")
        refusals = iter([True])  # and once more, when it ends


def test_where_no_process_can_be_begun_work_waits(library: Library, monkeypatch):
    monkeypatch.setattr(queue_module, "ROOM_SECONDS", 0.05)
    faults = iter([OSError(11, "Resource temporarily unavailable"), EOFError()])

    def begun(*given: Any) -> Process:
        if fault := next(faults, None):
            raise fault
        return Process(*given)

    monkeypatch.setattr(queue_module, "Process", begun)
    job = enqueue(library, 30)
    with running(library):
        row = waited(library, job, "done")
    assert row.tries == 0
    assert next(faults, None) is None


def test_a_stop_leaves_nothing_half_written(library: Library):
    incoming = library.folder.incoming()
    shutil.copyfile(FOLDER / "rail-parade.mp4", incoming)
    item = library.take_in(incoming, "parade", probe(incoming))
    unfinished = lambda: list(library.folder.root.glob("**/*.part"))  # noqa: E731
    with running(library):
        end = time.monotonic() + 120
        while not unfinished() and time.monotonic() < end:
            time.sleep(0.01)
        assert unfinished()
    assert not unfinished()
    assert set(library.jobs.open_for("prepare")) == {item.id}  # it is begun again
    assert library.folder.originals()


def test_pause_order_and_going_on(library: Library):
    long, second, third = (enqueue(library, n) for n in (20_000, 60, 50))
    library.jobs.put_first(third)
    with running(library):
        waited(library, third, "done")
        finished(library, long, 2)
        library.jobs.pause(long)
        waited(library, second, "done")
        row = library.jobs.get(long)
        assert row.state == "paused"
        kept = finished(library, long, 2)
        library.jobs.go_on(long)
        now = finished(library, long, len(kept) + 1)
        assert {name: now[name] for name in kept} == kept
    ended = [library.jobs.get(job).ended for job in (third, second)]
    assert ended[0] < ended[1]


def test_cancel_stops_a_render_and_stopping_the_program_lets_it_wait(library: Library):
    cancelled, interrupted = enqueue(library, 20_000), enqueue(library, 20_000)
    with running(library):
        waited(library, cancelled, "working")
        library.jobs.cancel(cancelled)
        waited(library, interrupted, "working")
    assert library.jobs.get(cancelled).state == "cancelled"
    assert library.jobs.get(interrupted).state == "waiting"
    assert list((library.folder.root / "renders").glob("*.mp4")) == []
    assert not library.folder.ranges(cancelled).exists()
