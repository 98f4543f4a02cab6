"""Takes that make line-up hard, over the wire: a zoom, rolling light, somebody who fills the picture, a cut, black, one
frame. Each ends in what is true or in a sentence, and nothing is lost."""

from __future__ import annotations

import io
from fractions import Fraction

import av
import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient

from bench.register import drawn
from tests.web.test_holding import at, ended
from tests.web.test_nesting import document
from tests.web.test_tracking import new_shot

SIZE, FRAMES = (480, 270), 20
SCENE, BODY = drawn(980), drawn(981)
GROWN = 0.3


def take(kind: str) -> bytes:
    out, rng = io.BytesIO(), np.random.default_rng(3)
    with av.open(out, "w", format="mp4") as made:
        stream = made.add_stream("libx264", Fraction(25), options={"crf": "20"})
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        for n in range(1 if kind == "one" else FRAMES):
            zoom = 1 + GROWN * n / (FRAMES - 1) if kind == "zoom" else 1.0
            lay = np.array([[zoom, 0, -400 * zoom], [0, zoom, -380 * zoom]])
            view = cv2.warpAffine(SCENE, lay, SIZE, flags=cv2.INTER_AREA).astype(float)
            if kind == "rolling":
                view *= 1 + 0.12 * np.sin(2 * np.pi * (np.arange(SIZE[1]) / 90 - 0.31 * n))[:, None, None]  # fmt: skip
            elif kind == "fills":
                over = np.zeros(SIZE[::-1], np.float32)
                cv2.ellipse(over, (210 + 3 * n, 140), (225, 128), 0, 0, 360, 1, -1)
                view += over[..., None] * (BODY[300:570, 200:680] - view)
            elif kind == "cut" and n >= FRAMES // 2:
                view = BODY[300:570, 200:680].astype(float)
            elif kind == "black":
                view *= 0
            view = np.clip(view + rng.normal(0, 1.5, view.shape), 0, 255).astype(np.uint8)
            made.mux(stream.encode(av.VideoFrame.from_ndarray(view, format="bgr24")))
        made.mux(stream.encode())
    return out.getvalue()


def held(client: TestClient, kind: str) -> tuple[dict, dict, str]:
    """How locking a take off ends, the place of its layer then, and its shot."""
    shot, (layer,) = new_shot(client, SIZE, (take(kind), f"{kind}.mp4"))
    assert client.post(f"/shots/{shot}/hold", json={"layer": layer, "frame": 0}).status_code == 200
    told = ended(client, shot)
    return told, document(client, shot)["layers"][0]["place"], shot


def test_a_zoom_during_a_take_is_taken_out(client: TestClient):
    told, place, _ = held(client, "zoom")
    assert told["state"] == "done", told
    for n in (5, FRAMES - 1):
        assert at(place["scale"], n) == pytest.approx(100 / (1 + GROWN * n / (FRAMES - 1)), abs=0.2)


@pytest.mark.parametrize("kind", ["rolling", "fills"])
def test_nothing_moves_where_only_the_light_or_somebody_does(client: TestClient, kind: str):
    told, place, _ = held(client, kind)
    assert told["state"] == "done", told
    for name, rest in (("x", SIZE[0] / 2), ("y", SIZE[1] / 2), ("scale", 100), ("rotation", 0)):
        assert max(abs(at(place[name], n) - rest) for n in range(FRAMES)) < 0.3, name


def test_what_is_cut_or_black_is_refused_in_words(client: TestClient):
    told, place, shot = held(client, "cut")
    assert told["state"] == "failed"
    assert "Only 10 of 20 frames" in told["sentence"]
    assert place["x"] == SIZE[0] / 2
    layer = document(client, shot)["layers"][0]["id"]
    client.post(f"/shots/{shot}/passes", json={"layer": layer})
    assert "No repeated move" in ended(client, shot, "passes")["sentence"]
    told, place, shot = held(client, "black")
    assert "Only 0 of 20 frames" in told["sentence"]
    layer = document(client, shot)["layers"][0]["id"]
    middle = [[SIZE[0] / 2, SIZE[1] / 2]]
    answer = client.post(
        f"/shots/{shot}/track", json={"layer": layer, "frame": 3, "places": middle}
    )
    assert "too little to see" in answer.json()["problem"]


def test_one_frame_is_too_few_for_a_plate(client: TestClient):
    shot, (layer,) = new_shot(client, SIZE, (take("one"), "one.mp4"))
    assert client.post(f"/shots/{shot}/plate", json={"layer": layer}).status_code == 200
    told = ended(client, shot, "plate")
    assert told["state"] == "failed"
    assert "too few frames" in told["sentence"]
