"""Files on their way in go on where they broke off; files that went missing are found again."""

from __future__ import annotations

import asyncio
import io
import json
import threading
import time
import zlib
from pathlib import Path

import httpx
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from tests.clips import coded_clip
from tests.web.test_requests import PAGE, edit, png, send
from velvet_seam.core.media import probe as probing
from velvet_seam.core.problem import Problem
from velvet_seam.store.library import Library
from velvet_seam.store.tables import FootageRow, JobRow, Unwritable, database
from velvet_seam.web.app import create_app


@pytest.fixture
def root(tmp_path: Path):
    yield tmp_path / "studio"
    database.close()


def announce(client: TestClient, data: bytes, name: str = "a.png") -> dict:
    body = {"name": name, "size": len(data), "modified": 1_700_000_000_000}
    return client.post("/footage/arrivals", json=body).json()


def put(client: TestClient, identity: str, data: bytes, at: int):
    return client.put(f"/footage/arrivals/{identity}", params={"at": at}, content=data)


def test_a_file_goes_on_where_it_broke_off_also_after_a_restart(root: Path):
    data = png((10, 200, 90))
    with TestClient(create_app(root), base_url="http://localhost") as client:
        begun = announce(client, data)
        assert begun["have"] == 0
        assert put(client, begun["id"], data[:40], 0).json() == {"have": 40}
        early = client.post(f"/footage/arrivals/{begun['id']}/finish")
        assert (early.status_code, "40 of" in early.json()["problem"]) == (422, True)
    database.close()
    with TestClient(create_app(root), base_url="http://localhost") as client:
        again = announce(client, data)
        assert again == {"id": begun["id"], "have": 40}
        wrong = put(client, again["id"], data, 0)
        assert (wrong.status_code, "up to byte 40" in wrong.json()["problem"]) == (422, True)
        too_long = put(client, again["id"], data, 40)
        assert "longer than was said" in too_long.json()["problem"]
        have = announce(client, data)["have"]
        put(client, again["id"], data[have:], have)
        item = client.post(f"/footage/arrivals/{again['id']}/finish").json()
        assert (item["name"], item["kind"]) == ("a.png", "still")
        kept = client.app.state.context.library.footage.get(item["id"]).path
        assert kept.read_bytes() == data
        assert list((root / "incoming").iterdir()) == []


def test_an_arrival_is_no_way_to_other_files(root: Path):
    with TestClient(create_app(root), base_url="http://localhost") as client:
        for identity in ("a" + "0" * 24, "..%2f..%2fvelvet-seam", "x" * 300):
            assert put(client, identity, b"x", 0).status_code == 404
        huge = {"name": "h", "size": 9 << 30, "modified": 0}
        assert "8 GB" in client.post("/footage/arrivals", json=huge).json()["problem"]
        begun = announce(client, b"x" * 99)
        assert client.delete(f"/footage/arrivals/{begun['id']}").status_code == 204
        assert list((root / "incoming").iterdir()) == []


def start(client: TestClient) -> str:
    form = {"canvas": "free", "width": "64", "height": "96"}
    answer = client.post("/shots", data=form, follow_redirects=False)
    return answer.headers["location"].rsplit("/", 1)[1]


def seen(client: TestClient, shot: str) -> tuple[int, ...]:
    data = client.get(f"/shots/{shot}/picture.jpg", params={"side": 64}).content
    return Image.open(io.BytesIO(data)).convert("RGB").getpixel((32, 48))


def test_missing_footage_is_named_and_found_again(root: Path):
    data = png((10, 200, 90))
    with TestClient(create_app(root), base_url="http://localhost") as client:
        shot = start(client)
        footage = send(client, data, "leaf.png").json()["id"]
        client.post(f"/shots/{shot}/layers", json={"footage": footage})
        file = client.app.state.context.library.footage.get(footage).path
        file.unlink()
    database.close()
    with TestClient(create_app(root), base_url="http://localhost") as client:
        page = client.get(f"/shots/{shot}", headers=PAGE)
        assert page.status_code == 200
        assert "leaf.png is missing" in page.text
        assert "Find it again" in client.get("/footage", headers=PAGE).text
        assert seen(client, shot)[1] < 150  # a hatched field stands for it
        answer = client.post(f"/footage/{footage}/file", content=png()[:-30])
        assert answer.status_code == 422
        other = io.BytesIO()
        Image.new("RGB", (60, 96)).save(other, "PNG")
        answer = client.post(f"/footage/{footage}/file", content=other.getvalue())
        assert "60 × 96" in answer.json()["problem"]
        assert "64 × 96" in answer.json()["problem"]
        assert client.post(f"/footage/{footage}/file", content=data).status_code == 200
        assert seen(client, shot)[1] > 190
        again = client.post(f"/footage/{footage}/file", content=data)
        assert "is not missing" in again.json()["problem"]


def test_undo_may_bring_back_a_layer_whose_footage_was_removed(root: Path):
    with TestClient(create_app(root), base_url="http://localhost") as client:
        shot = start(client)
        footage = send(client, png(), "leaf.png").json()["id"]
        layers = client.post(f"/shots/{shot}/layers", json={"footage": footage}).json()
        layer = layers["state"]["shot"]["layers"][0]["id"]
        edit(client, shot, do="remove-layer", layer=layer)
        assert client.delete(f"/footage/{footage}").status_code == 200
        state = client.post(f"/shots/{shot}/undo", json={}).json()["state"]
        assert state["footage"][footage]["missing"]
        assert client.get(f"/shots/{shot}", headers=PAGE).status_code == 200
        job = client.post(f"/shots/{shot}/renders").json()["id"]
        for _ in range(3000):
            row = client.app.state.context.library.jobs.get(job)
            if row.state == "failed":
                break
            threading.Event().wait(0.1)
        assert "leaf.png is missing" in row.sentence


def test_another_clip_takes_the_place_of_one(root: Path):
    with TestClient(create_app(root), base_url="http://localhost") as client:
        shot = start(client)
        small = send(client, png((250, 0, 0)), "small.png").json()["id"]
        large = io.BytesIO()
        Image.new("RGB", (128, 192), (0, 0, 250)).save(large, "PNG")
        large_id = send(client, large.getvalue(), "large.png").json()["id"]
        state = client.post(f"/shots/{shot}/layers", json={"footage": small}).json()["state"]
        layer = state["shot"]["layers"][0]
        mask = {"kind": "box", "id": "m-a", "x": 8, "y": -4, "width": 20, "height": 30}
        edit(client, shot, do="add-mask", layer=layer["id"], mask=mask)
        body = {"target": layer["id"], "footage": large_id}
        state = client.post(f"/shots/{shot}/replace", json=body).json()["state"]
        new = state["shot"]["layers"][0]
        assert new["source"]["footage"] == large_id
        assert new["place"]["scale"] == layer["place"]["scale"] / 2
        assert [new["seam"]["masks"][0][k] for k in ("x", "y", "width", "height")] == [
            16, -8, 40, 60,
        ]  # fmt: skip
        assert state["undo"] == "another source for small"
        answer = client.post(f"/shots/{shot}/replace", json={**body, "footage": "f-none"})
        assert answer.status_code == 404


def test_a_file_that_is_replaced_while_it_is_sent_keeps_its_length(root: Path):
    """A response that says one length and sends another breaks the connection."""
    with TestClient(create_app(root), base_url="http://localhost") as client:
        shot = start(client)
        client.post(f"/shots/{shot}/layers", json={"colour": "#336699"})
        jobs = client.app.state.context.library.jobs
        document = json.dumps(client.get(f"/shots/{shot}/parts").json()["state"]["shot"])
        job = jobs.add("render", shot, "x", document=document)
        jobs.pause(job)
        path = client.app.state.context.library.folder.work_picture(job)
        stop = threading.Event()

        def keep_writing() -> None:
            n = 0
            while not stop.is_set():
                n = (n + 7919) % 60_000
                part = path.with_suffix(".part")
                part.write_bytes(b"x" * n)
                part.replace(path)

        writer = threading.Thread(target=keep_writing)
        writer.start()
        try:
            while not path.exists():
                pass
            for _ in range(300):
                answer = client.get(f"/renders/{job}/work.jpg")
                assert len(answer.content) == int(answer.headers["content-length"])
        finally:
            stop.set()
            writer.join()


def test_of_two_writers_the_later_one_has_the_file(root: Path):
    """A stalled first PUT that goes on beside the resumed one writes nothing more: the file is what was sent."""
    data = bytes(range(256)) * 6000
    with TestClient(create_app(root), base_url="http://localhost") as client:
        begun = announce(client, data, "a.bin")
        answers = []

        library = client.app.state.context.library
        path = library.arrivals.path(begun["id"])

        async def both() -> None:
            """Within the one application: a body that stalls, and another that goes on from where it is."""
            transport = httpx.ASGITransport(client.app)
            async with httpx.AsyncClient(transport=transport, base_url="http://localhost") as http:
                address = f"/footage/arrivals/{begun['id']}"

                async def slow():
                    yield data[:300_000]
                    await going.wait()
                    for n in range(300_000, len(data), 50_000):
                        yield b"\xee" * len(data[n : n + 50_000])

                going = asyncio.Event()
                old = asyncio.create_task(http.put(f"{address}?at=0", content=slow()))
                while path.stat().st_size < 300_000:
                    await asyncio.sleep(0.01)

                async def rest():
                    for n in range(300_000, len(data), 200_000):
                        yield data[n : n + 200_000]
                        going.set()
                        await asyncio.sleep(0.02)

                new = await http.put(f"{address}?at=300000", content=rest())
                answers.extend([await old, new])

        client.portal.call(both)
        assert [answer.status_code for answer in answers] == [422, 200]
        assert "being sent a second time" in answers[0].json()["problem"]
        assert path.read_bytes() == data
        finish = f"/footage/arrivals/{begun['id']}/finish"
        wrong = client.post(finish, json={"crc": 1})
        assert "arrived other than it was sent" in wrong.json()["problem"]
        assert list((root / "incoming").iterdir()) == []
        # what is longer than was said is not kept waiting for ever
        again = announce(client, data, "a.bin")
        library.arrivals.path(again["id"]).write_bytes(data + b"more")
        assert client.post(finish).status_code == 422
        assert client.post(finish).status_code == 404
        whole = png()
        sent = announce(client, whole)
        put(client, sent["id"], whole, 0)
        done = client.post(
            f"/footage/arrivals/{sent['id']}/finish", json={"crc": zlib.crc32(whole)}
        )
        assert done.status_code == 200


def test_between_the_row_and_the_job_nothing_can_end(root: Path, monkeypatch):
    """A queue that cannot be written leaves no footage; what an older program left unready is queued again."""
    with TestClient(create_app(root), base_url="http://localhost") as client:
        library = client.app.state.context.library
        with monkeypatch.context() as patched:

            def refuse(*_: object, **__: object) -> None:
                raise Unwritable("database or disk is full")

            patched.setattr(type(library.jobs), "add", refuse)
            answer = send(client, png(), "mine.png")
            assert answer.status_code == 507
            assert "the disk is full" in answer.json()["problem"]
        assert library.footage.all() == []
        assert library.folder.originals() == []
        assert list((root / "incoming").iterdir()) == []
        kept = send(client, png(), "mine.png").json()["id"]
    database.close()
    folder = Library(root).folder
    JobRow.delete().execute()
    FootageRow.update(ready=False).execute()
    (root / "incoming" / "u0123456789abcde").write_bytes(b"of a killed program")
    (root / "footage" / "f0123.mp4").write_bytes(b"without a row")
    (folder.ranges("j-done")).mkdir()
    database.close()
    with TestClient(create_app(root), base_url="http://localhost") as client:
        library = client.app.state.context.library
        assert list((root / "incoming").iterdir()) == []
        assert [path.name for path in library.folder.originals()] == [f"{kept}.png"]
        assert library.folder.all_ranges() == []
        for _ in range(3000):
            if library.footage.get(kept).ready:
                break
            time.sleep(0.1)
        assert library.footage.get(kept).ready


def test_names_hold_nothing_that_is_not_seen(root: Path):
    with TestClient(create_app(root), base_url="http://localhost") as client:
        given = "fox\u202egpj.\u200b\u2066exe\ufeff\u00ad.png"
        assert send(client, png(), given).json()["name"] == "foxgpj.exe.png"


@pytest.mark.parametrize("size", [(32, 32), (4000, 24), (16_000, 100), (100, 16_000), (3, 1)])
def test_tiny_and_narrow_stills_are_taken_in_and_laid(root: Path, size):
    data = io.BytesIO()
    Image.new("RGB", size, (200, 40, 40)).save(data, "PNG")
    with TestClient(create_app(root), base_url="http://localhost") as client:
        there = client.post("/shots", data={"canvas": "1080x1920"}, follow_redirects=False)
        path = there.headers["location"]
        sent = send(client, data.getvalue(), "narrow.png")
        assert sent.status_code == 200
        answer = client.post(f"{path}/layers", json={"footage": sent.json()["id"]})
        assert answer.status_code == 200
        scale = answer.json()["state"]["shot"]["layers"][0]["place"]["scale"]
        assert scale == pytest.approx(
            min(100 * min(1080 / size[0], 1920 / size[1]), 3200), rel=1e-3
        )
        assert client.get(f"/footage/{sent.json()['id']}/poster.jpg").status_code == 200
        assert client.get(f"{path}/picture.jpg").status_code == 200


def test_an_animated_picture_of_too_much_work_is_refused_with_a_sentence(tmp_path, monkeypatch):
    """Three thousand pictures at 4096 squared are a file of some kilobytes; here, with a lower limit."""
    assert probing.MAX_FLIPBOOK_WORK < 3000 * 4096**2
    monkeypatch.setattr(probing, "MAX_FLIPBOOK_WORK", 64 * 48 * 30)
    pages = [Image.new("RGB", (64, 48), (n * 8, 40, 90)) for n in range(31)]
    for kind in ("GIF", "WEBP"):
        for count in (30, 31):
            path = tmp_path / f"{count}.{kind.lower()}"
            pages[0].save(path, kind, save_all=True, append_images=pages[1:count], duration=40)
            if count == 30:
                assert probing.probe(path).frames == 30
                continue
            with pytest.raises(Problem, match="31 frames of 64 × 48 pixels"):
                probing.probe(path)


def test_short_work_goes_before_long_but_not_for_ever(root: Path):
    library = Library(root)
    jobs = library.jobs
    long = jobs.add("prepare", "long", "long", cost=1.0)
    short = jobs.add("prepare", "short", "short", cost=0.0)
    assert jobs.take("prepare").id == short
    time.sleep(1.1)
    jobs.add("prepare", "late", "late", cost=0.0)
    assert jobs.take("prepare").id == long


def test_a_playlist_opens_no_other_file(root: Path, tmp_path: Path):
    """Lists that name other files and addresses are no media, whatever they are called."""
    secret = tmp_path / "secret.mp4"
    coded_clip(secret, 5)
    lists = {
        "a.m3u8": f"#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXTINF:9,\nfile://{secret}\n#EXT-X-ENDLIST\n",
        "a.txt": f"ffconcat version 1.0\nfile '{secret}'\n",
        "a.sdp": "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 9 RTP/AVP 96\n",
        "a.mpd": f'<?xml version="1.0"?><MPD><Period><AdaptationSet><Representation><BaseURL>file://{secret}'
        "</BaseURL></Representation></AdaptationSet></Period></MPD>",
    }
    with TestClient(create_app(root), base_url="http://localhost") as client:
        for name, text in lists.items():
            answer = send(client, text.encode(), name)
            assert answer.status_code == 422, name
            assert "holds no picture and no sound" in answer.json()["problem"]
