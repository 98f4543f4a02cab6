"""The store: nothing is lost over a restart, undo goes all the way back."""

from __future__ import annotations

import contextlib
import sqlite3
from pathlib import Path
from threading import Thread

import pytest

from tests.clips import coded_clip
from velvet_seam.core.looks.light import Light
from velvet_seam.core.media.probe import probe
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import SetValues
from velvet_seam.core.shot.layer import Layer, Place, Span
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import FootageSource
from velvet_seam.store.footage import shown_name
from velvet_seam.store.library import Library
from velvet_seam.store.tables import LookRow, RevisionRow, ShotRow, database


@pytest.fixture
def root(tmp_path: Path):
    yield tmp_path / "studio"
    database.close()


def blank() -> Shot:
    return Shot(name="One", canvas=Canvas(width=64, height=64), rate="25", length=50)


def restarted(root: Path) -> Library:
    database.close()
    return Library(root)


def test_undo_and_redo_survive_a_restart(root: Path):
    shots = Library(root).shots
    identity = shots.add(blank())
    for length in range(51, 151):
        shots.edit(identity, SetValues(values={"length": length}))
    shots.undo(identity)
    shots = restarted(root).shots
    assert shots.get(identity).shot.length == 149
    assert shots.get(identity).redo == "length of One"
    for _ in range(200):
        shots.undo(identity)
    assert shots.get(identity).shot == blank()
    assert shots.get(identity).undo is None
    for _ in range(200):
        shots.redo(identity)
    assert shots.get(identity).shot.length == 150


def test_all_shots_are_told_as_each_is(root: Path):
    shots = Library(root).shots
    ids = [shots.add(blank()) for _ in range(4)]
    for n, identity in enumerate(ids):
        for k in range(n):
            shots.edit(identity, SetValues(values={"length": 60 + k}))
    shots.undo(ids[3])
    assert shots.all() == [shots.get(one) for one in (ids[3], ids[2], ids[1], ids[0])]
    assert [(one.revision, one.undo is None, one.redo is None) for one in shots.all()] == [
        (2, False, False), (2, False, True), (1, False, True), (0, True, True),
    ]  # fmt: skip


def test_what_goes_on_is_told_of_one_shot_and_of_nothing_that_rests(root: Path):
    jobs = Library(root).jobs
    ids = {kind: jobs.add(kind, "s-a", kind) for kind in ("bake", "hold", "plate", "track")}
    jobs.add("drift", "s-b", "of another")
    jobs.take("bake")
    jobs.pause(ids["hold"])
    jobs.cancel(ids["plate"])
    assert jobs.going_on("s-a") == {"bake", "track"}
    jobs.finish(ids["bake"])
    assert jobs.going_on("s-a") == {"track"}


def test_an_edit_after_undo_drops_what_could_be_redone(root: Path):
    shots = Library(root).shots
    identity = shots.add(blank())
    shots.edit(identity, SetValues(values={"length": 60}))
    shots.undo(identity)
    shots.edit(identity, SetValues(values={"name": "Two"}))
    standing = shots.get(identity)
    assert (standing.redo, standing.shot.length, standing.shot.name) == (None, 50, "Two")
    unchanged = shots.edit(identity, SetValues(values={"name": "Two"}))
    assert unchanged.revision == standing.revision


def test_a_refused_edit_leaves_no_revision(root: Path):
    shots = Library(root).shots
    identity = shots.add(blank())
    with pytest.raises(Problem):
        shots.edit(identity, SetValues(values={"length": -1}))
    assert shots.get(identity).revision == 0
    with pytest.raises(Problem, match="no longer"):
        shots.get("s-none")


def test_a_shot_that_cannot_be_read_hides_no_other(root: Path):
    shots = Library(root).shots
    good, bad = shots.add(blank()), shots.add(blank())
    RevisionRow.update(document='{"schema_version": 99}').where(RevisionRow.shot == bad).execute()
    assert [standing.id for standing in shots.all()] == [good]
    assert len(shots.told()[1]) == 1
    with pytest.raises(Problem):
        shots.get(bad)


def test_a_shot_is_read_whole_while_another_page_removes_it(root: Path, monkeypatch):
    shots = Library(root).shots
    identity = shots.add(blank())
    shots.edit(identity, SetValues(values={"length": 60}))
    first = ShotRow.get_or_none.__func__

    def removed_meanwhile(table: type[ShotRow], *query):
        row = first(table, *query)
        monkeypatch.undo()
        other = Thread(target=lambda: (shots.remove(identity), database.close()))
        other.start()
        other.join()
        return row

    monkeypatch.setattr(ShotRow, "get_or_none", classmethod(removed_meanwhile))
    assert shots.get(identity).shot.length == 60
    with pytest.raises(Problem, match="no longer here"):
        shots.get(identity)


def test_footage_in_use_is_kept(root: Path, tmp_path: Path):
    library = Library(root)
    coded_clip(tmp_path / "a.mp4", 5)
    found = probe(tmp_path / "a.mp4")
    item = library.footage.add(tmp_path / "a.mp4", "../../evil name\n“x”.mp4", found)
    assert item.name == "evil name “x”.mp4"
    assert item.path.parent == library.folder.root / "footage"
    assert item.path.name.startswith(item.id)
    layer = Layer(id="l-a", name="A", source=FootageSource(footage=item.id),
                  span=Span(first=0, last=4), place=Place(x=32, y=32))  # fmt: skip
    identity = library.shots.add(blank().model_copy(update={"layers": (layer,)}))
    with pytest.raises(Problem, match="used in “One” and was kept"):
        library.footage.remove(item.id, library.shots)
    assert item.path.exists()
    library.shots.remove(identity)
    library.footage.remove(item.id, library.shots)
    assert not item.path.exists()
    assert library.footage.all() == []


@pytest.mark.parametrize(
    ("given", "shown"),
    [
        ("../../../etc/passwd", "passwd"),
        ("C:\\clips\\my take.mov", "my take.mov"),
        ("\u202egpj.exe", "gpj.exe"),
        ("🦊 fox.mp4", "🦊 fox.mp4"),
        ("a" * 300, "a" * 119 + "…"),
        ("\0\n\t", "Untitled"),
        ('<img src=x onerror="alert(1)">.mp4', '<img src=x onerror="alert(1)">.mp4'),
    ],
)
def test_names_from_outside(given, shown):
    assert shown_name(given) == shown


def test_work_that_somebody_waits_for_goes_before_the_shelf(root: Path):
    jobs = Library(root).jobs
    shelf = [jobs.add("prepare", f"f{n}", "shelf", whenever=True) for n in range(2)]
    own = [jobs.add("prepare", f"g{n}", "own") for n in range(2)]
    assert [jobs.take("prepare").id for _ in range(4)] == [*own, *shelf]


def test_interrupted_work_waits_again(root: Path):
    jobs = Library(root).jobs
    first, second = jobs.add("render", "s", "One"), jobs.add("render", "s", "Two")
    assert jobs.take("render").id == first
    assert jobs.progress(first, 5, 10)
    jobs.cancel(second)
    jobs = restarted(root).jobs
    jobs.restart_interrupted()
    assert [(row.name, row.state) for row in reversed(jobs.all("render"))] == [
        ("One", "waiting"), ("Two", "cancelled")]  # fmt: skip
    assert not jobs.progress(second, 1, 10)  # a worker sees that it was cancelled
    with pytest.raises(Problem, match="Cancel it first"):
        jobs.forget(first)


def test_a_look_is_kept_while_another_process_writes(root: Path, monkeypatch: pytest.MonkeyPatch):
    """What is read before it is written must not be overtaken in between: SQLite then gives up at once."""
    library = Library(root)
    identity = library.shots.add(blank())
    look = Look(parts=(Light(id="p-light", exposure=1.0),))
    read = LookRow.get_or_none

    def overtaken(*asked: object) -> LookRow | None:
        held = read(*asked)
        other = sqlite3.connect(root / "velvet-seam.sqlite", timeout=0.05)
        with contextlib.suppress(sqlite3.OperationalError):  # it has to wait
            other.execute("UPDATE shot SET name = 'Two' WHERE id = ?", (identity,))
            other.commit()
        other.close()
        return held

    monkeypatch.setattr(LookRow, "get_or_none", overtaken)
    library.looks.keep("Night", look)
    assert [one.name for one in library.looks.all()] == ["Night"]
