"""A shaky take is locked off, its shake followed by another layer, over the wire: against the shake that was put in."""

from __future__ import annotations

import io
import json
import re
import time
from fractions import Fraction

import av
import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient

from bench.register import drawn, lit
from tests.web.test_nesting import document
from tests.web.test_requests import edit, png, send
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.register.warps import apart
from velvet_seam.store.library import Library

SIZE, FRAMES = (360, 640), 30
SCENE, BODY = drawn(940), drawn(941)


def shake(frame: int) -> np.ndarray:
    """From pixels of the first frame to those of another: up to 8 pixels and a degree, by a seed."""
    if frame == 0:
        return np.eye(3)
    rng = np.random.default_rng([5, frame])
    turn, grow = np.radians(rng.uniform(-1, 1)), np.exp(rng.uniform(-0.008, 0.008))
    c, s = np.cos(turn) * grow, np.sin(turn) * grow
    middle = np.array([[1, 0, SIZE[0] / 2], [0, 1, SIZE[1] / 2], [0, 0, 1.0]])
    out = middle @ np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]]) @ np.linalg.inv(middle)
    out[:2, 2] += rng.uniform(-8, 8, 2)
    return np.asarray(out)


def shaky(still: bool = False) -> bytes:
    """A clip of a scene from a hand, with somebody walking through it."""
    out, rng = io.BytesIO(), np.random.default_rng(1)
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    lay = np.array([[1, 0, -300.0], [0, 1, -280.0], [0, 0, 1.0]])
    with av.open(out, "w", format="mp4") as made:
        stream = made.add_stream("libx264", Fraction(25), options={"crf": "20"})
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        for frame in range(FRAMES):
            matrix = np.linalg.inv(half) @ (np.eye(3) if still else shake(frame)) @ lay @ half
            view = cv2.warpPerspective(
                SCENE.astype(np.float32), matrix, SIZE, flags=cv2.INTER_CUBIC
            )
            x = 10 + 9 * frame
            view[260:520, x : x + 100] = cv2.resize(BODY, (100, 260))[
                :, : max(0, min(100, SIZE[0] - x))
            ]
            picture = (
                lit(np.clip(view, 0, 255), rng)
                if frame % 7 == 3
                else np.clip(view, 0, 255).astype(np.uint8)
            )
            for packet in stream.encode(av.VideoFrame.from_ndarray(picture, format="bgr24")):
                made.mux(packet)
        made.mux(stream.encode())
    return out.getvalue()


def ended(client: TestClient, shot: str, what: str = "hold") -> dict:
    for _ in range(6000):
        told = client.get(f"/shots/{shot}/working/{what}").json()
        if told["state"] not in ("waiting", "working"):
            return told
        time.sleep(0.1)
    raise AssertionError("it never ended")


def at(value: object, frame: int) -> float:
    return (
        next(key["value"] for key in value["keys"] if key["frame"] == frame)
        if isinstance(value, dict)
        else value
    )


def placed(layer: dict, frame: int, size: tuple[int, int]) -> np.ndarray:
    """From source pixels to the canvas."""
    place = layer["place"]
    turn, grow = np.radians(at(place["rotation"], frame)), at(place["scale"], frame) / 100
    c, s = np.cos(turn) * grow, np.sin(turn) * grow
    out = np.array([[c, -s, at(place["x"], frame)], [s, c, at(place["y"], frame)], [0, 0, 1.0]])
    return out @ np.array([[1, 0, -size[0] / 2], [0, 1, -size[1] / 2], [0, 0, 1.0]])


@pytest.fixture(scope="module")
def take(client: TestClient) -> tuple[str, str, str]:
    """A shot with the shaky take, turned and enlarged, and a card above it."""
    answer = client.post(
        "/shots", data={"canvas": "free", "width": "720", "height": "1280"}, follow_redirects=False
    )
    shot = answer.headers["location"].rsplit("/", 1)[1]
    clip = send(client, shaky(), "hand.mp4").json()["id"]
    card = send(client, png((200, 40, 40)), "card.png").json()["id"]
    for footage in (clip, card):
        client.post(f"/shots/{shot}/layers", json={"footage": footage})
    low, high = (layer["id"] for layer in document(client, shot)["layers"])
    edit(
        client,
        shot,
        do="set-values",
        target=low,
        values={"place.scale": 210, "place.rotation": 12, "place.x": 350},
    )
    return shot, low, high


def test_a_shaky_take_stands_as_from_a_tripod(client: TestClient, take: tuple[str, str, str]):
    shot, low, _ = take
    before = document(client, shot)["layers"][0]
    rest = placed(before, 0, SIZE)
    assert client.post(f"/shots/{shot}/hold", json={"layer": low, "frame": 0}).status_code == 200
    assert ended(client, shot)["state"] == "done"
    layer = document(client, shot)["layers"][0]
    left, was = [], []
    for frame in range(1, FRAMES):
        # where the first frame's pixels are seen now, against where they were seen in it
        now = placed(layer, frame, SIZE) @ shake(frame) @ np.linalg.inv(rest)
        was.append(apart(rest @ shake(frame) @ np.linalg.inv(rest), np.eye(3), (720, 1280)))
        left.append(apart(now, np.eye(3), (720, 1280)))
    assert np.median(was) > 8
    assert np.median(left) < 0.2, left  # canvas pixels, of which a pixel of the clip is 2.1
    assert max(left) < 0.6
    assert client.post(f"/shots/{shot}/undo", json={}).status_code == 200
    assert document(client, shot)["layers"][0]["place"] == before["place"]


def test_a_layer_shakes_as_another_one_does(client: TestClient, take: tuple[str, str, str]):
    shot, _, high = take
    layers = document(client, shot)["layers"]
    size = (8, 8)
    rest, card = placed(layers[0], 4, SIZE), placed(layers[1], 4, size)
    client.post(f"/shots/{shot}/hold", json={"layer": high, "frame": 4, "follow": True})
    assert ended(client, shot)["state"] == "done"
    layer = document(client, shot)["layers"][1]
    off = []
    for frame in (0, 9, 17, 29):
        moved = rest @ shake(frame) @ np.linalg.inv(shake(4)) @ np.linalg.inv(rest)
        want, now = moved @ card @ [4, 4, 1], placed(layer, frame, size) @ [4, 4, 1]
        off.append(float(np.hypot(*(want - now)[:2])))
    assert max(off) < 0.6, off
    assert placed(layer, 4, size) == pytest.approx(card, abs=0.05)
    client.post(f"/shots/{shot}/undo", json={})


def test_what_cannot_be_held_is_refused_and_one_is_stopped(
    client: TestClient, take: tuple[str, str, str]
):
    shot, low, high = take
    still = client.post(f"/shots/{shot}/hold", json={"layer": high, "frame": 0})
    assert still.status_code == 422
    assert "no clip" in still.json()["problem"]
    jobs = client.app.state.context.library.jobs
    job = jobs.add("hold", shot, "x", delivery="{}")
    jobs.pause(job)
    again = client.post(f"/shots/{shot}/hold", json={"layer": low, "frame": 0})
    assert "already" in again.json()["problem"]
    assert client.delete(f"/shots/{shot}/working/hold").status_code == 204
    assert client.get(f"/shots/{shot}/working/hold").json()["state"] == "cancelled"


def test_a_clean_plate_is_made_of_a_take_and_given_to_a_difference_key(client: TestClient):
    """Somebody walks through a take from a tripod: the plate is the scene without him."""
    answer = client.post(
        "/shots", data={"canvas": "free", "width": "360", "height": "640"}, follow_redirects=False
    )
    shot = answer.headers["location"].rsplit("/", 1)[1]
    clip = send(client, shaky(still=True), "tripod.mp4").json()["id"]
    client.post(f"/shots/{shot}/layers", json={"footage": clip})
    layer = document(client, shot)["layers"][0]["id"]
    client.post(f"/shots/{shot}/mattes", json={"layer": layer, "kind": "difference-key"})
    key = document(client, shot)["layers"][0]["seam"]["matte"][0]
    assert key["plate"]["kind"] == "median"
    assert (
        client.post(f"/shots/{shot}/plate", json={"layer": layer, "part": key["id"]}).status_code
        == 200
    )
    told = ended(client, shot, "plate")
    assert told["state"] == "done"
    assert "tripod, clean plate.png is in your footage" in told["sentence"]
    assert "camera" not in told["sentence"]
    plate = document(client, shot)["layers"][0]["seam"]["matte"][0]["plate"]
    assert plate["kind"] == "footage"
    item = client.app.state.context.library.footage.get(plate["footage"])
    made = cv2.imread(str(item.path)).astype(int)
    assert (np.abs(made - scene_at(None)).max(-1) > 30).mean() < 0.02
    # where it is unsure is shown: where he stood at the end of the take
    panel = client.get(f"/shots/{shot}/parts", params={"chosen": f"lineup:{layer}"}).text
    assert f"/footage/{item.id}/unsure.jpg" in panel
    data = client.get(f"/footage/{item.id}/unsure.jpg").content
    shown = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR).astype(int)
    red = shown[..., 2] - shown[..., 1] > 40
    said = float(re.findall(r"On ([0-9.]+) %", told["sentence"])[0]) / 100
    assert 0 < said < 0.2
    assert red.mean() == pytest.approx(said, rel=0.2)
    assert np.nonzero(red)[0].mean() == pytest.approx(390 * 480 / 640, abs=40)  # as high as he is
    still = send(client, png((9, 9, 9)), "s.png").json()["id"]
    client.post(f"/shots/{shot}/layers", json={"footage": still})
    other = document(client, shot)["layers"][1]["id"]
    refused = client.post(f"/shots/{shot}/plate", json={"layer": other})
    assert refused.status_code == 422
    assert "no clip" in refused.json()["problem"]


def scene_at(frame: int | None) -> np.ndarray:
    """What the camera would see at a frame if nobody were there; with None, from a tripod."""
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    lay = np.array([[1, 0, -300.0], [0, 1, -280.0], [0, 0, 1.0]])
    matrix = np.linalg.inv(half) @ (np.eye(3) if frame is None else shake(frame)) @ lay @ half
    return cv2.warpPerspective(SCENE, matrix, SIZE, flags=cv2.INTER_CUBIC).astype(int)


def seen(library: Library, shot: str, frame: int) -> np.ndarray:
    engine = Engine(library.materials(preview=False))
    picture = engine.picture(engine.plan(library.shots.get(shot).shot, frame))
    return picture[..., [2, 1, 0]].astype(int)


def in_hand(client: TestClient) -> tuple[str, str]:
    """A shot as large as the shaky take, which is its only layer, once it is known how its camera moves."""
    answer = client.post(
        "/shots", data={"canvas": "free", "width": "360", "height": "640"}, follow_redirects=False
    )
    shot = answer.headers["location"].rsplit("/", 1)[1]
    clip = send(client, shaky(), "hand.mp4").json()["id"]
    library = client.app.state.context.library
    for _ in range(3000):  # what was found of its camera comes with its proxy
        if library.footage.first_look(clip):
            break
        time.sleep(0.1)
    client.post(f"/shots/{shot}/layers", json={"footage": clip})
    return shot, document(client, shot)["layers"][0]["id"]


def test_a_plate_of_a_take_from_a_hand_is_made_where_the_playhead_is(client: TestClient):
    """Every frame is laid there first; nobody is left in it, and it says to which frame it belongs."""
    shot, layer = in_hand(client)
    library = client.app.state.context.library

    def plate(**asked: object) -> tuple[dict, np.ndarray]:
        answered = client.post(f"/shots/{shot}/plate", json={"layer": layer, **asked})
        assert answered.status_code == 200
        told = ended(client, shot, "plate")
        made = json.loads(library.jobs.all("plate")[0].delivery)["plate"]
        return told, cv2.imread(str(library.footage.get(made).path)).astype(int)

    told, made = plate(frame=12)
    far = int(re.findall(r"The camera goes (\d+) px in this clip", told["sentence"])[0])
    assert 4 < far < 60
    words = f"The camera goes {far} px in this clip: the plate is where frame 12 is. Lock the layer off there"
    assert words in told["sentence"]
    panel = client.get(f"/shots/{shot}/parts", params={"chosen": f"lineup:{layer}"}).text
    assert words in panel
    off, beside = (np.abs(made - scene_at(n)).max(-1) > 30 for n in (12, None))
    assert off.mean() < 0.03
    assert beside.mean() > 3 * off.mean()  # it is not where some other frame is
    # moved by five frames, it is said anew; trimmed away, no frame is named
    first = {"do": "set-values", "target": layer}
    edit(client, shot, **first, values={"span.first": 5, "span.last": 34})
    panel = client.get(f"/shots/{shot}/parts", params={"chosen": f"lineup:{layer}"}).text
    assert "the plate is where frame 17 is" in panel
    edit(client, shot, **first, values={"span.first": 0, "span.last": 8})
    panel = client.get(f"/shots/{shot}/parts", params={"chosen": f"lineup:{layer}"}).text
    assert "no one plate fits all of its frames" in panel
    edit(client, shot, **first, values={"span.last": 29})
    # filled from a frame in which he is elsewhere than where it is unsure: it stays where it was
    told, filled = plate(frame=14, frames=[14])
    assert "where frame 12 is" in told["sentence"]
    assert (np.abs(filled - scene_at(12)).max(-1) > 30).mean() < 0.03
    # locked off there, the other frames show what the plate does, but for him and the border
    loose = [seen(library, shot, n) for n in (2, 22)]
    client.post(f"/shots/{shot}/hold", json={"layer": layer, "frame": 12})
    assert ended(client, shot)["state"] == "done"
    for frame, before in zip((2, 22), loose, strict=True):
        there = np.zeros(made.shape[:2], bool)
        there[15:-15, 15:-15] = True
        there[245:535, max(0, 9 * frame - 15) : 9 * frame + 135] = False
        off, loosely = (
            (np.abs(one - made).max(-1) > 30)[there].mean()
            for one in (seen(library, shot, frame), before)
        )
        assert off < 0.03
        assert loosely > 3 * off
    # laid below, it lies still where the take did then: alone it is the plate at every frame
    assert client.post(f"/shots/{shot}/plate-below", json={"layer": layer}).status_code == 200
    below, take = document(client, shot)["layers"]
    assert (below["name"], take["id"]) == ("hand, clean plate", layer)
    edit(client, shot, do="set-values", target=layer, values={"hidden": True})
    for frame in (2, 22):
        assert np.abs(seen(library, shot, frame) - filled).mean() < 1.5
    # another take in its place has no plate yet
    other = send(client, shaky(), "hand.mp4").json()["id"]
    client.post(f"/shots/{shot}/replace", json={"target": layer, "footage": other})
    refused = client.post(f"/shots/{shot}/plate-below", json={"layer": layer})
    assert "no plate of" in refused.text
    assert len(document(client, shot)["layers"]) == 2


def test_a_plate_lies_where_its_take_is_led_to(client: TestClient):
    """A take held still against its own track: the plate is where the take is at its frame, and follows nothing."""
    shot, layer = in_hand(client)
    path = [[180 + 3 * n, 320 - 2 * n] for n in range(FRAMES)]
    track = {"id": "t-led", "name": "Led", "first": 0, "path": path}
    edit(client, shot, do="set-track", layer=layer, track=track)
    follow = {"layer": None, "tracks": ["t-led"], "how": "shift", "frame": 0, "still": True}
    edit(client, shot, do="follow-track", layer=layer, follow=follow)
    client.post(f"/shots/{shot}/plate", json={"layer": layer, "frame": 10})
    assert ended(client, shot, "plate")["state"] == "done"
    assert client.post(f"/shots/{shot}/plate-below", json={"layer": layer}).status_code == 200
    below, take = document(client, shot)["layers"]
    assert below["follow"]["tracks"] == []
    assert below["place"]["x"] == pytest.approx(take["place"]["x"] - 30, abs=0.1)
    assert below["place"]["y"] == pytest.approx(take["place"]["y"] + 20, abs=0.1)
