"""A roto followed in the background: judged, begun again where it was, and after what is painted meanwhile."""

from __future__ import annotations

import json
from fractions import Fraction
from pathlib import Path

import pytest

from tests.lobes import scene
from velvet_seam.core.media.probe import probe
from velvet_seam.core.media.writer import BAKED, ClipWriter
from velvet_seam.core.shot.edits import read_edit
from velvet_seam.core.shot.shot import Shot
from velvet_seam.store.library import Library
from velvet_seam.store.tables import JobRow
from velvet_seam.web.roto_states import frames_of
from velvet_seam.work.jobs import roto
from velvet_seam.work.run import run_job

FRAMES = 12
KEEP = {"frame": 4, "how": "keep", "width": 8, "points": [[-2, -30], [-2, 20]]}
AROUND = [[-170, -260], [170, -260], [170, 260], [-170, 260], [-170, -260]]


@pytest.fixture
def library(tmp_path: Path) -> Library:
    library = Library(tmp_path)
    path = library.folder.incoming()
    with ClipWriter(path, 360, 540, Fraction(25), BAKED) as writer:
        for n in range(FRAMES):
            writer.add(scene(2 * n)[0])
        writer.finish()
    item = library.take_in(path, "Lobes", probe(path))
    strokes = [KEEP, {**KEEP, "how": "drop", "points": AROUND}]
    layer = {
        "id": "l-a", "name": "Lobes", "source": {"kind": "footage", "footage": item.id},
        "span": {"first": 3, "last": 2 + FRAMES}, "place": {"x": 180, "y": 270},
        "seam": {"matte": [{"kind": "roto", "id": "k-a", "strokes": strokes}]},
    }  # fmt: skip
    library.shots.add(
        Shot.model_validate(
            {
                "name": "s",
                "canvas": {"width": 360, "height": 540},
                "rate": "25",
                "length": 20,
                "layers": [layer],
            }
        )
    )
    return library


def followed(library: Library) -> JobRow:
    """The job, done."""
    shot = library.shots.all()[0].id
    told = {"layer": "l-a", "matte": "k-a"}
    library.jobs.add("roto", shot, "Lobes", total=FRAMES, delivery=json.dumps(told))
    job = library.jobs.take("roto")
    assert job is not None
    run_job(library, job)
    return library.jobs.get(job.id)


def states(library: Library) -> list[str]:
    shot = library.shots.get(library.shots.all()[0].id).shot
    layer = shot.layers[0]
    return list(frames_of(library, shot, layer, layer.seam.matte[0], list(range(FRAMES))).states)


def painted(library: Library, frame: int) -> None:
    stroke = {**KEEP, "frame": frame, "how": "drop", "width": 30, "points": [[-20, -20], [20, 20]]}
    edit = {"do": "add-roto-stroke", "layer": "l-a", "matte": "k-a", "stroke": stroke}
    library.shots.edit(library.shots.all()[0].id, read_edit(edit))


def test_every_frame_is_followed_and_judged(library: Library):
    assert states(library) == ["waiting"] * 4 + ["painted"] + ["waiting"] * 7
    job = followed(library)
    assert (job.state, job.done) == ("done", FRAMES)
    assert job.sentence.startswith("Lobes is followed over 12 frames.")
    assert set(states(library)) <= {"painted", "carried", "look"}
    assert states(library).count("carried") >= 8


def test_a_correction_leaves_what_it_does_not_reach(library: Library):
    followed(library)
    before = states(library)
    painted(library, 9)
    after = states(library)
    assert after[:4] == before[:4]
    assert after[5:9] == ["waiting"] * 4
    assert after[9] == "painted"


def test_begun_again_it_finds_nothing_twice(library: Library, monkeypatch: pytest.MonkeyPatch):
    counts = []
    real = roto.Engine

    class Counted(real):
        def __init__(self, *args: object, **more: object) -> None:
            super().__init__(*args, **more)
            counts.append(self.counts)

    class KilledError(Exception):
        pass

    monkeypatch.setattr(roto, "Engine", Counted)
    monkeypatch.setattr(
        roto.Progress,
        "__call__",
        lambda self, done: (_ for _ in ()).throw(KilledError) if done == 6 else None,
    )
    with pytest.raises(KilledError):
        followed(library)
    first = counts[0]["roto-carried"]
    library.jobs.restart_interrupted()
    monkeypatch.undo()
    monkeypatch.setattr(roto, "Engine", Counted)
    job = library.jobs.take("roto")
    assert job is not None
    run_job(library, job)
    assert first > 3
    assert first + counts[1]["roto-carried"] == FRAMES - 1


def test_what_is_painted_meanwhile_is_followed_too(
    library: Library, monkeypatch: pytest.MonkeyPatch
):
    monkeypatch.setattr(roto, "REST", 0.2)
    said = iter(range(100))

    def say(self: object, done: int) -> None:
        if next(said) == 5:
            painted(library, 9)

    monkeypatch.setattr(roto.Progress, "__call__", say)
    assert followed(library).state == "done"
    assert "waiting" not in states(library)
    assert states(library)[9] == "painted"


def test_a_roto_that_is_gone_ends_it_with_a_sentence(library: Library):
    shot = library.shots.all()[0].id
    library.shots.edit(shot, read_edit({"do": "remove-part", "layer": "l-a", "part": "k-a"}))
    job = followed(library)
    assert job.state == "failed"
    assert "no longer there" in job.sentence
