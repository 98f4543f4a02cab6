"""Background work, done for real: a render, a render that is cancelled, looking into files."""

from __future__ import annotations

import io
import shutil
import socket
import zipfile
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from tests.clips import coded_clip, read_code
from tests.core.test_sound import broken_sound
from velvet_seam.cli import main
from velvet_seam.core.engine.delivery import Delivery
from velvet_seam.core.engine.render import render
from velvet_seam.core.formats.shot_file import shot_file_text
from velvet_seam.core.media.clip import ClipReader
from velvet_seam.core.media.probe import probe
from velvet_seam.core.problem import Cancelled, Problem
from velvet_seam.core.shot.layer import Layer, Place, SoundTrack, Span
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sound.decode import decode_sound
from velvet_seam.core.sources import FootageSource
from velvet_seam.demo.draw import FOLDER
from velvet_seam.store import derived
from velvet_seam.store.library import Library
from velvet_seam.store.tables import database
from velvet_seam.work.jobs import JOBS
from velvet_seam.work.jobs.prepare import prepare
from velvet_seam.work.look import look
from velvet_seam.work.run import run_job


def coded_shot(footage: str, sound: str | None = None) -> Shot:
    layer = Layer(id="l-a", name="A", source=FootageSource(footage=footage),
                  span=Span(first=3, last=20), place=Place(x=96, y=64))  # fmt: skip
    track = SoundTrack(id="t-a", name="T", footage=sound or "f", span=Span(first=0, last=24))
    return Shot(name="Coded", canvas=Canvas(width=192, height=128), rate="25", length=25,
                layers=(layer,), sounds=(track,) if sound else ())  # fmt: skip


@pytest.fixture
def library(tmp_path: Path):
    library = Library(tmp_path / "studio")
    yield library
    database.close()


def bring_in(library: Library, path: Path) -> str:
    copy = library.folder.incoming()
    shutil.copyfile(path, copy)
    item = library.footage.add(copy, path.name, look(copy, library.folder.root / "poster.jpg"))
    prepare(library, item)
    return item.id


def test_a_render_shows_every_frame_at_its_time_with_its_sound(library, coded):
    clip, waltz = bring_in(library, coded), bring_in(library, FOLDER / "tin-waltz.wav")
    shot = coded_shot(clip, waltz)
    job = library.jobs.add("render", "s", shot.name, document=shot.model_dump_json(), total=25)
    run_job(library, library.jobs.take("render"))
    row = library.jobs.get(job)
    assert (row.state, row.done, row.total) == ("done", 25, 25)
    path = library.folder.render(row.file)
    assert row.bytes == path.stat().st_size
    written = probe(path)
    assert (written.frames, written.rate, written.has_sound) == (25, 25, True)
    reader = ClipReader(path, written)
    assert [read_code(reader.read(n)) for n in range(3, 21)] == list(range(18))
    assert reader.read(2).max(initial=0, where=[True] * 3 + [False]) < 20
    heard, wanted = decode_sound(path)[:48000, 0], decode_sound(FOLDER / "tin-waltz.wav")[:48000, 0]
    shift = np.correlate(heard[4800:40000], wanted[4800 + 64 : 40000 - 64], "valid").argmax() - 64
    assert shift == 0


def test_a_clip_whose_sound_is_damaged_is_used_without_it(library, tmp_path):
    """It is made ready as any other, says so, and a render of it has no sound."""
    clip = bring_in(library, broken_sound(tmp_path / "clip.mkv", set(range(99))))
    item = library.footage.get(clip)
    assert [item.ready, item.probe.has_sound, item.probe.unheard] == [True, False, True]
    assert library.folder.proxy(clip).exists()
    assert library.footage.first_look(clip) is not None
    assert library.sound_of(clip) is None
    shot = coded_shot(clip)
    library.jobs.add("render", "s", shot.name, document=shot.model_dump_json(), total=25)
    row = library.jobs.take("render")
    run_job(library, row)
    done = library.jobs.get(row.id)
    assert done.state == "done", done.sentence
    assert not probe(library.folder.render(done.file)).has_sound


def test_rendering_twice_gives_the_same_file(library, coded):
    shot = coded_shot(bring_in(library, coded))
    files = []
    for _ in range(2):
        library.jobs.add("render", "s", shot.name, document=shot.model_dump_json(), total=25)
        row = library.jobs.take("render")
        run_job(library, row)
        files.append(library.folder.render(library.jobs.get(row.id).file).read_bytes())
    assert files[0] == files[1]


def deliver(library: Library, shot: Shot, delivery: Delivery, path: Path, stop_at: int = -1) -> int:
    """Render in this process; answers how many frames were made. ``stop_at`` breaks it off after so
    many frames: when all are made, while they are put together."""
    made, count = 0, len(delivery.frames(shot))

    def each(done: int, picture: object) -> None:
        nonlocal made
        made += picture is not None
        if done == stop_at and (picture is None) == (stop_at == count):
            raise Cancelled

    ranges, materials = path.with_suffix(".ranges"), library.materials(preview=False)
    try:
        render(shot, path, materials, library.sounds, delivery, ranges=ranges, each=each)
    except Cancelled:
        assert not path.exists()
    return made


@pytest.mark.parametrize("delivery", [
    Delivery(), Delivery(kind="master", scale=50), Delivery(kind="stills"),
    Delivery(quality="small", rate=Fraction(30)),
], ids=lambda d: f"{d.kind}-{d.quality}")  # fmt: skip
def test_taken_up_anywhere_a_render_gives_the_same_file(library, coded, tmp_path, delivery):
    shot = coded_shot(bring_in(library, coded), bring_in(library, FOLDER / "tin-waltz.wav"))
    shot = shot.model_copy(update={"length": 90})
    count = len(delivery.frames(shot))
    assert deliver(library, shot, delivery, tmp_path / f"whole{delivery.form.suffix}") == count
    path, size = tmp_path / f"pieces{delivery.form.suffix}", round(2 * delivery.rate_of(shot))
    assert deliver(library, shot, delivery, path, stop_at=size + 7) == size + 7
    assert deliver(library, shot, delivery, path, stop_at=count) == count - size
    assert deliver(library, shot, delivery, path) == 0
    assert path.read_bytes() == (tmp_path / f"whole{delivery.form.suffix}").read_bytes()
    # ended before anybody has noted that the file is there, it is put together again, nothing more
    assert deliver(library, shot, delivery, path) == 0
    path.unlink()  # ranges of another shot are not taken for those of this one
    deliver(library, shot, delivery, path, stop_at=size + 7)
    other = shot.model_copy(update={"name": "Other"})
    assert deliver(library, other, delivery, path) == count


def test_deliveries_are_what_they_say(library, coded, tmp_path):
    shot = coded_shot(bring_in(library, coded), bring_in(library, FOLDER / "tin-waltz.wav"))
    sizes = {}
    for delivery in (Delivery(quality="small"), Delivery(quality="best"), Delivery(kind="master"),
                     Delivery(scale=50, rate=Fraction(50))):  # fmt: skip
        path = tmp_path / f"a{delivery.form.suffix}"
        deliver(library, shot, delivery, path)
        found = probe(path)
        assert (found.width, found.height) == delivery.size(shot)
        assert found.rate == delivery.rate_of(shot)
        reader, frames = ClipReader(path, found), delivery.frames(shot)
        assert found.frames == len(frames)
        shown = [n for n, frame in enumerate(frames) if 3 <= frame < 21]
        assert [read_code(reader.read(n)) for n in shown] == [frames[n] - 3 for n in shown]
        assert len(decode_sound(path)) == pytest.approx(48000, abs=2100)
        sizes[delivery.quality] = path.stat().st_size
    assert sizes["small"] < sizes["best"]
    path = tmp_path / "a.zip"
    deliver(library, shot, Delivery(kind="stills"), path)
    with zipfile.ZipFile(path) as stills:
        assert stills.namelist() == [f"{n:06}.png" for n in range(25)]
        picture = np.asarray(Image.open(io.BytesIO(stills.read("000010.png"))))
        assert read_code(picture) == 7


def test_a_full_disk_ends_a_render_in_words_and_what_is_finished_is_kept(library, coded):
    """Writing to /dev/full fails just as on a full disk."""
    shot = coded_shot(bring_in(library, coded)).model_copy(update={"length": 75})
    job = library.jobs.add("render", "s", shot.name, document=shot.model_dump_json(), total=75)
    unfinished = library.folder.render(f"{job}.mp4.part")
    unfinished.symlink_to("/dev/full")
    run_job(library, library.jobs.take("render"))
    row = library.jobs.get(job)
    assert row.state == "failed"
    assert "No space left on device" in row.sentence
    assert len(list(library.folder.ranges(job).glob("*.mp4"))) == 2
    assert not unfinished.is_symlink()
    library.jobs.go_on(job)
    run_job(library, library.jobs.take("render"))
    assert library.jobs.get(job).state == "done"
    assert probe(library.folder.render(f"{job}.mp4")).frames == 75


def test_a_full_disk_ends_the_making_of_a_proxy_in_words(library, coded):
    copy = library.folder.incoming()
    shutil.copyfile(coded, copy)
    item = library.footage.add(copy, "coded", look(copy, library.folder.root / "poster.jpg"))
    proxy = library.folder.proxy(item.id)
    proxy.with_name(proxy.name + ".part").symlink_to("/dev/full")
    job = library.jobs.add("prepare", item.id, item.name, total=item.probe.frames)
    run_job(library, library.jobs.take("prepare"))
    assert library.jobs.get(job).state == "failed"
    assert "No space left on device" in library.jobs.get(job).sentence
    library.jobs.go_on(job)
    run_job(library, library.jobs.take("prepare"))
    assert library.footage.get(item.id).ready


def test_a_cancelled_render_leaves_no_file(library, coded, monkeypatch):
    shot = coded_shot(bring_in(library, coded))
    job = library.jobs.add("render", "s", shot.name, document=shot.model_dump_json(), total=25)
    row = library.jobs.take("render")
    library.jobs.cancel(job)
    run_job(library, row)
    assert library.jobs.get(job).state == "cancelled"
    assert list((library.folder.root / "renders").iterdir()) == []


def test_a_render_whose_footage_is_gone_fails_with_a_sentence(library):
    shot = coded_shot("f-gone")
    job = library.jobs.add("render", "s", shot.name, document=shot.model_dump_json(), total=25)
    run_job(library, library.jobs.take("render"))
    assert library.jobs.get(job).state == "failed"
    assert "no longer" in library.jobs.get(job).sentence


def test_looking_into_a_file_that_is_none(tmp_path: Path):
    (tmp_path / "odd").write_bytes(b"not media" * 100)
    with pytest.raises(Problem, match="no picture and no sound"):
        look(tmp_path / "odd", tmp_path / "poster.jpg")
    assert not (tmp_path / "poster.jpg").exists()


def test_from_a_shell(tmp_path: Path, capsys: pytest.CaptureFixture[str]):
    coded_clip(tmp_path / "clip.mp4", 25)
    shot = coded_shot("f-a")
    text = shot_file_text(shot, {"f-a": ("clip", "clip.mp4")})
    (tmp_path / "shot.json").write_text(text)
    file, out = str(tmp_path / "shot.json"), tmp_path / "out.mp4"
    assert main(["render", file, "-o", str(out)]) == 0
    assert probe(out).frames == 25
    still = tmp_path / "still.png"
    assert main(["render", file, "-o", str(still), "--frame", "10"]) == 0
    found = probe(still)
    assert (found.width, found.height) == (192, 128)
    assert main(["probe", str(out)]) == 0
    assert "25" in capsys.readouterr().out
    for wrong, says in (
        (["render", file, "-o", str(still)], "--frame"),
        (["render", file, "-o", str(still), "--frame", "25"], "no frame 25"),
        (["render", file, "-o", str(tmp_path / "x.avi")], ".mp4"),
        (["render", str(tmp_path / "none.json"), "-o", str(out)], "cannot be opened"),
        (["render", str(out), "-o", str(out)], "not a shot"),
        (["probe", str(tmp_path / "none")], "no file"),
    ):
        assert main(wrong) == 2
        assert says in capsys.readouterr().err


def test_what_is_derived_can_be_thrown_away_and_is_made_again(library, coded, monkeypatch):
    """The whole folder at once; and what another version of a method has made."""
    item = library.footage.get(bring_in(library, coded))
    folder = library.folder.derived
    before = {path.name: path.read_bytes() for path in folder.root.iterdir()}
    assert {kind.ending for kind in derived.needed(item.probe)} <= {
        name.removeprefix(item.id) for name in before
    }

    def made_again() -> dict[str, bytes]:
        library.clear_up()
        assert not library.footage.get(item.id).ready
        run_job(library, library.jobs.take("prepare"))
        assert library.footage.get(item.id).ready
        library.clear_up()
        assert library.jobs.take("prepare") is None
        return {path.name: path.read_bytes() for path in folder.root.iterdir()}

    shutil.rmtree(folder.root)
    folder.root.mkdir()
    assert made_again() == before
    newer = replace(derived.STRIP, version=2)
    monkeypatch.setattr(derived, "STRIP", newer)
    monkeypatch.setattr(
        derived, "KINDS", tuple(newer if k.name == newer.name else k for k in derived.KINDS)
    )
    again = made_again()
    assert again[f"{item.id}.strip-2.jpg"] == before[f"{item.id}.strip.jpg"]
    assert f"{item.id}.strip.jpg" not in again
    folder.forget(item.id)
    assert list(folder.root.iterdir()) == []


def test_every_kind_of_work_is_complete(library):
    """Its file is there, with what the queue asks of it; what is cancelled leaves nothing of itself."""
    for kind in JOBS:
        doing = kind.load()
        assert doing.do.__module__ == f"velvet_seam.work.jobs.{kind.module}"
        job = library.jobs.add(kind.name, "t-none", "some work")
        doing.given_up(library, library.jobs.get(job))
        assert library.jobs.take(kind.name).id == job


def test_a_port_that_is_taken_is_said_before_anything_is_made_ready(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
):
    with socket.create_server(("127.0.0.1", 0)) as other:
        port = other.getsockname()[1]
        assert main(["serve", "--folder", str(tmp_path / "studio"), "--port", str(port)]) == 2
    assert f"Port {port} is taken" in capsys.readouterr().err
    assert not (tmp_path / "studio").exists()
