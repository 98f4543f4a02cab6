"""Files on their way in go on where they broke off; files that went missing are found again."""

from __future__ import annotations

import io
import json
import threading
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from PIL import Image

from tests.web.test_requests import PAGE, edit, png, send
from velvet_seam.store.tables import database
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
        for _ in range(100):
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
