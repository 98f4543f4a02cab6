"""What comes in over the wire is hostile until checked; what goes out says what happened."""

from __future__ import annotations

import io
import json
import time
import zipfile
from pathlib import Path
from urllib.parse import quote

import pytest
from fastapi.testclient import TestClient
from PIL import Image
from starlette.websockets import WebSocketDisconnect

from tests.core.test_sound import broken_sound
from velvet_seam.cli import main
from velvet_seam.core.shot.edits import read_edit
from velvet_seam.store.tables import Unwritable, database
from velvet_seam.web.live import HEAD

PAGE = {"accept": "text/html"}


@pytest.fixture
def shot(client: TestClient) -> str:
    """The id of a blank shot."""
    answer = client.post("/shots", data={"canvas": "free", "width": "64", "height": "96"},
                         follow_redirects=False)  # fmt: skip
    return answer.headers["location"].rsplit("/", 1)[1]


def png(colour: tuple[int, ...] = (200, 40, 40)) -> bytes:
    data = io.BytesIO()
    Image.new("RGB", (64, 96), colour).save(data, "PNG")
    return data.getvalue()


def send(client: TestClient, data: bytes, name: str = "a.png"):
    return client.post("/footage", content=data, headers={"x-name": quote(name)})


def edit(client: TestClient, shot: str, **edit):
    return client.post(f"/shots/{shot}/edits", json={"edit": edit})


def test_pages_run_only_our_own_scripts(client, shot):
    for path in ("/", "/footage", "/renders", f"/shots/{shot}"):
        answer = client.get(path, headers=PAGE)
        assert answer.status_code == 200
        policy = answer.headers["content-security-policy"]
        assert "script-src 'self'" in policy
        assert "unsafe" not in policy
        assert " style=" not in answer.text
        assert " onclick=" not in answer.text
        assert "http://" not in answer.text.replace("http://www.w3.org", "")


@pytest.mark.parametrize(
    "headers",
    [
        {"origin": "http://elsewhere.example"},
        {"sec-fetch-site": "cross-site"},
        {"host": "elsewhere.example"},
        {"origin": "null"},
    ],
)
def test_other_pages_cannot_write(client, shot, headers):
    answer = client.post(f"/shots/{shot}/undo", json={}, headers=headers)
    assert answer.status_code == 403
    assert client.get(f"/shots/{shot}/parts").json()["state"]["revision"] == 0


def test_other_pages_cannot_open_the_live_socket(client, shot):
    with (
        pytest.raises(WebSocketDisconnect),
        client.websocket_connect(
            f"/shots/{shot}/live", headers={"origin": "http://elsewhere.example"}
        ),
    ):
        pass


@pytest.mark.parametrize(
    ("form", "says"),
    [
        ({"canvas": "free", "width": "99999", "height": "100"}, "width"),
        ({"canvas": "free", "width": "-4", "height": "100"}, "width"),
        ({"canvas": "free"}, "how wide"),
        ({"canvas": "1080x1920", "rate": "25.0001"}, "rate"),
        ({"canvas": "1080x1920", "rate": "1/0"}, "rate"),
        ({"canvas": "1080x1920", "name": "n" * 300}, "at most 120"),
        ({"canvas": "moon"}, "Choose one"),
    ],
)
def test_a_shot_that_cannot_be_started(client, form, says):
    before = client.get("/").text.count("data-shot=")
    answer = client.post("/shots", data=form)
    assert answer.status_code == 422
    assert says in answer.json()["problem"]
    assert client.get("/").text.count("data-shot=") == before


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "empty"),
        (b"just words " * 99, "no picture and no sound"),
        (png()[:60], "damaged"),
    ],
)
def test_files_that_cannot_be_used(client, data, says):
    answer = send(client, data, "../../odd “name” 🦊.mp4")
    assert answer.status_code == 422
    assert answer.json()["problem"].startswith("odd “name” 🦊.mp4 was not taken in.")
    assert says in answer.json()["problem"]


def test_nothing_of_a_refused_file_stays(client):
    root = Path(client.app.state.context.library.folder.root)
    send(client, b"just words")
    assert list((root / "incoming").iterdir()) == []


def test_odd_names_are_shown_as_text(client):
    name = '<script>alert(1) "x" 🦊' + "y" * 300 + ".png"
    answer = send(client, png(), name)
    assert answer.status_code == 200
    page = client.get("/footage").text
    assert "<script>alert" not in page
    assert "&lt;script&gt;alert(1)" in page


def test_a_picture_cannot_become_a_sound(client, shot):
    footage = send(client, png()).json()["id"]
    track = {"id": "t-x", "name": "x", "footage": footage, "span": {"first": 0, "last": 9}}
    answer = edit(client, shot, do="add-sound", sound=track)
    assert answer.status_code == 422
    assert "no sound" in answer.json()["problem"]
    layer = {"id": "l-x", "name": "x", "source": {"kind": "footage", "footage": "f-none"},
             "span": {"first": 0, "last": 9}, "place": {"x": 0, "y": 0}}  # fmt: skip
    assert "no longer" in edit(client, shot, do="add-layer", layer=layer).json()["problem"]


def test_numbers_out_of_range_change_nothing(client, shot):
    client.post(f"/shots/{shot}/layers", json={"colour": "#336699"})
    state = client.get(f"/shots/{shot}/parts").json()["state"]
    layer = state["shot"]["layers"][0]["id"]
    for value in (-1, 101, 1e400, "many", None, True, [], {"keys": []}):
        body = json.dumps({"edit": {"do": "set-values", "target": layer,
                                    "values": {"seam.opacity": value}}})  # fmt: skip
        answer = client.post(f"/shots/{shot}/edits", content=body,
                             headers={"content-type": "application/json"})  # fmt: skip
        if value is True:
            continue  # JSON's true is 1 to the document, and 1 % is in range
        assert answer.status_code == 422, value
        assert answer.json()["problem"].startswith("Nothing was changed")
    for body in (b"{", b"[]", b'{"edit": 3}', b"\xff\xfe"):
        answer = client.post(f"/shots/{shot}/edits", content=body)
        assert answer.status_code == 422
        assert "problem" in answer.json()


def test_what_is_not_there_is_said_on_a_page(client):
    answer = client.get("/shots/s-none", headers=PAGE)
    assert answer.status_code == 404
    assert "no longer here" in answer.text
    assert client.get("/nowhere").json() == {"problem": "There is nothing at this address."}
    for path in ("/footage/..%2f..%2fetc%2fpasswd/poster.jpg", "/static/../app.py"):
        assert client.get(path).status_code == 404


def test_two_tabs_lose_neither_edit(client, shot):
    """Each names what it changes; the second is applied to what the first has left."""
    edit(client, shot, do="set-values", values={"length": 77})
    edit(client, shot, do="set-values", values={"canvas.background": "#abcdef"})
    state = client.get(f"/shots/{shot}/parts").json()["state"]["shot"]
    assert (state["length"], state["canvas"]["background"]) == (77, "#abcdef")


def ask(socket, number: int = 1, **wish) -> bytes:
    socket.send_text(json.dumps({"number": number, "frame": 0, **wish}))
    return socket.receive()


def test_the_live_socket_shows_trials_without_keeping_them(client, shot):
    client.post(f"/shots/{shot}/layers", json={"colour": "#ff0000"})
    state = client.get(f"/shots/{shot}/parts").json()["state"]
    layer, revision = state["shot"]["layers"][0]["id"], state["revision"]

    def colour(answer) -> tuple[int, ...]:
        where = HEAD.unpack_from(answer["bytes"])[
            -1
        ]  # bytes of what says where the chosen layer lies
        picture = io.BytesIO(answer["bytes"][HEAD.size + where :])
        return Image.open(picture).convert("RGB").getpixel((32, 48))

    with client.websocket_connect(f"ws://localhost/shots/{shot}/live") as socket:
        red = colour(ask(socket))
        trial = {"do": "set-values", "target": layer, "values": {"seam.opacity": 50}}
        tried = ask(socket, trial=trial)
        assert abs(colour(tried)[0] - red[0] / 2) < 6
        assert int.from_bytes(tried["bytes"][8:12], "little") == revision
        assert tried["bytes"][12] == 1
        bad = ask(socket, 7, trial={"do": "set-values", "target": layer,
                                    "values": {"seam.opacity": 400}})  # fmt: skip
        assert json.loads(bad["text"]) == {
            "number": 7,
            "problem": "Nothing was changed: opacity: it lies between 0 and 100 %.",
        }
        for text in ("{", "[]", '{"number": -1, "frame": 0}', '{"number": 1, "frame": 1e12}'):
            socket.send_text(text)
            assert "problem" in json.loads(socket.receive()["text"])
        assert colour(ask(socket)) == red
    assert client.get(f"/shots/{shot}/parts").json()["state"]["revision"] == revision


@pytest.mark.parametrize(("sent", "said"), [
    ({"kind": "set-values"}, "it does not say what it is: 'do' is missing."),
    ({"do": "fly"}, "its 'do' is 'fly', and there is no such thing."),
    ({"do": "set-values", "target": 7, "values": {}}, "it should be a valid string."),
])  # fmt: skip
def test_an_edit_that_is_none_is_refused_in_words(client, shot, sent: dict, said: str):
    before = client.get(f"/shots/{shot}/parts").json()["state"]["revision"]
    answer = client.post(f"/shots/{shot}/edits", json={"edit": sent})
    assert answer.status_code == 422
    assert answer.json()["problem"].startswith("Nothing was changed: ")
    assert answer.json()["problem"].endswith(said)
    assert client.get(f"/shots/{shot}/parts").json()["state"]["revision"] == before


def test_a_key_on_what_is_no_screen_says_so(client, shot):
    footage = send(client, png((128, 128, 128)), "grey.png").json()["id"]
    state = client.post(f"/shots/{shot}/layers", json={"footage": footage}).json()["state"]
    layer = state["shot"]["layers"][-1]["id"]
    answer = client.post(f"/shots/{shot}/keys", json={"layer": layer})
    assert answer.status_code == 200  # the key is there, so that an area can be dragged
    assert answer.json()["found"] is False
    assert "grey, black or white" in answer.json()["said"]
    assert answer.json()["state"]["shot"]["layers"][-1]["seam"]["matte"][0]["kind"] == "screen-key"


def test_an_empty_shot_is_not_rendered(client, shot):
    answer = client.post(f"/shots/{shot}/renders")
    assert answer.json()["problem"] == "There is nothing to render yet: the shot has no layer."


def test_footage_is_made_ready_in_the_background(client, coded):
    footage = send(client, coded.read_bytes(), "coded.mp4").json()["id"]
    poster = client.get(f"/footage/{footage}/poster.jpg")
    assert poster.headers["content-type"] == "image/jpeg"
    for _ in range(6000):
        if client.get(f"/footage/{footage}/strip.jpg").status_code == 200:
            break
        time.sleep(0.1)
    strip = Image.open(io.BytesIO(client.get(f"/footage/{footage}/strip.jpg").content))
    assert strip.size == (16 * 360, 240)


def test_a_shot_saved_as_files_renders_from_a_shell(client, shot, tmp_path):
    footage = send(client, png((10, 200, 30)), "green “card”.png").json()["id"]
    client.post(f"/shots/{shot}/layers", json={"footage": footage})
    answer = client.get(f"/shots/{shot}/files.zip")
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        archive.extractall(tmp_path)
    still = tmp_path / "still.png"
    assert main(["render", str(tmp_path / "shot.json"), "-o", str(still), "--frame", "0"]) == 0
    assert Image.open(still).getpixel((32, 48)) == (10, 200, 30)
    folder = client.app.state.context.library.folder.root / "incoming"
    assert list(folder.iterdir()) == []


def test_a_sound_that_cannot_be_read_is_told_of_on_its_card(client, tmp_path):
    data = broken_sound(tmp_path / "clip.mkv", set(range(99))).read_bytes()
    identity = send(client, data, "broken.mkv").json()["id"]
    library = client.app.state.context.library
    end = time.monotonic() + 60
    while not library.footage.get(identity).ready and time.monotonic() < end:
        time.sleep(0.05)
    card = client.get("/footage/cards").text.split(f'id="clip-{identity}"')[1].split("</li>")[0]
    assert "its sound cannot be read: it is used without" in card
    assert "<span>sound</span>" not in card


def test_footage_in_use_is_kept_and_said(client, shot):
    footage = send(client, png((1, 2, 3)), "kept.png").json()["id"]
    client.post(f"/shots/{shot}/layers", json={"footage": footage})
    answer = client.delete(f"/footage/{footage}")
    assert answer.status_code == 422
    assert "is used in" in answer.json()["problem"]
    assert client.get(f"/footage/{footage}/poster.jpg").status_code == 200


def test_a_full_disk_while_saving_is_said_and_the_shot_is_as_it_was(client, shot, monkeypatch):
    shots = client.app.state.context.library.shots
    pages = database.execute_sql("PRAGMA page_count").fetchone()[0]
    database.execute_sql(f"PRAGMA max_page_count = {pages}")  # of this thread's connection
    try:
        for n in range(2000):  # until what is free in the file is used up, too
            name = f"{n} " + "x" * 100
            shots.edit(shot, read_edit({"do": "set-values", "values": {"name": name}}))
        raise AssertionError("it was never full")
    except Unwritable as full:
        said = full
    finally:
        database.execute_sql("PRAGMA max_page_count = 1073741823")
    assert shots.get(shot).shot.name == f"{n - 1} " + "x" * 100

    def refuse(*_):
        raise said

    with monkeypatch.context() as patched:
        patched.setattr(type(shots), "edit", refuse)
        answer = edit(client, shot, do="set-values", values={"length": 78})
    assert answer.status_code == 507
    assert "the disk is full" in answer.json()["problem"]
    assert edit(client, shot, do="set-values", values={"length": 78}).status_code == 200


def test_a_full_disk_while_bringing_in_is_said_and_leaves_nothing(client, monkeypatch):
    folder = client.app.state.context.library.folder
    full = folder.root / "incoming" / "full"
    full.symlink_to("/dev/full")
    monkeypatch.setattr(type(folder), "incoming", lambda _: full)
    count = len(client.app.state.context.library.footage.all())
    answer = send(client, png() + b"\0" * 300_000, "mine.png")
    assert answer.status_code == 507
    assert answer.json()["problem"] == (
        "mine.png could not be kept: No space left on device. Nothing else was touched."
    )
    assert not full.is_symlink()
    assert len(client.app.state.context.library.footage.all()) == count


def test_what_a_failed_render_has_finished_survives_a_late_cancel(client, shot):
    library = client.app.state.context.library
    for state, kept in (("failed", True), ("paused", False)):
        job = library.jobs.add(
            "render", shot, "A", document=library.shots.get(shot).shot.model_dump_json()
        )
        if state == "failed":
            library.jobs.fail(job, "It stopped.")
        else:
            library.jobs.pause(job)
        library.folder.ranges(job).mkdir()
        client.post(f"/renders/{job}/cancel")
        assert library.folder.ranges(job).exists() == kept
