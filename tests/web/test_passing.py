"""Passes over the wire: found in a take, made layers of that show the same at every frame; none where there are none."""

from __future__ import annotations

import io
from fractions import Fraction

import av
import numpy as np
from fastapi.testclient import TestClient

from bench.passes import take
from bench.register import drawn
from tests.web.test_holding import ended, placed
from tests.web.test_nesting import document
from tests.web.test_requests import png
from tests.web.test_tracking import new_shot
from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.shot.shot import load

TAKE = take("drawn", *(drawn(n)[:700, :900, 1] for n in (5, 55, 95)), seed=6, count=3, deep=False, wide=True)  # fmt: skip
SIZE = (480, 270)


def written(frames: list[np.ndarray]) -> bytes:
    out = io.BytesIO()
    with av.open(out, "w", format="mp4") as made:
        stream = made.add_stream("libx264", Fraction(25), options={"crf": "20"})
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        for one in frames:
            frame = av.VideoFrame.from_ndarray(one, format="gray").reformat(format="yuv420p")
            for packet in stream.encode(frame):
                made.mux(packet)
        made.mux(stream.encode())
    return out.getvalue()


def test_a_layer_of_each_pass_shows_the_same_at_every_frame(client: TestClient):
    shot, (layer,) = new_shot(client, (960, 540), (written(TAKE.frames), "rail.mp4"))
    assert client.post(f"/shots/{shot}/passes", json={"layer": layer}).status_code == 200
    told = ended(client, shot, "passes")
    assert told["sentence"] == "3 passes in rail."
    known = client.get(f"/shots/{shot}/passes/{layer}").json()["passes"]
    assert [one["name"] for one in known] == ["Pass 1", "Pass 2", "Pass 3"]
    for one, (first, last) in zip(known, TAKE.legs, strict=True):
        assert abs(one["first"] - first) < 6
        assert abs(one["last"] - last) < 6
    assert (
        client.post(f"/shots/{shot}/passes", json={"layer": layer, "make": [0, 1, 2]}).status_code
        == 200
    )
    assert ended(client, shot, "passes")["state"] == "done"
    layers = document(client, shot)["layers"]
    assert [one["name"] for one in layers[1:]] == ["Pass 1", "Pass 2", "Pass 3"]
    assert layers[0]["hidden"]
    held = load(client.app.state.context.library.shots.get(shot).shot.model_dump_json())
    clip = client.app.state.context.library.footage.get(held.layers[0].source.shows).probe
    off, in_place = [], []
    way = TAKE.way
    for k, (own, one) in enumerate(zip(held.layers[1:], layers[1:], strict=True)):
        for n in range(4, own.span.length - 4, 3):
            number = frame_shown(clip, own.time, n, held.rate)
            reference = frame_shown(clip, held.layers[1].time, n, held.rate)
            here, there = TAKE.camera[reference], TAKE.camera[number]
            pace = max(abs(TAKE.camera[min(number + 1, len(TAKE.camera) - 1)] - there), 1e-3)
            off.append(abs(here - there) / pace)
            # a place of the scene as both put it on the canvas
            point = np.array([240 - here * way, 135, 1])
            same = np.array([240 - there * way, 135, 1])
            ref = (
                placed(layers[1], n, SIZE)
                if k == 0
                else placed({"place": {**layers[1]["place"]}}, n, SIZE)
            )
            gap = (placed(one, n, SIZE) @ same - ref @ point)[:2]
            in_place.append(float(abs(gap[0])))
    assert np.median(off) < 0.6  # the nearest frame
    assert np.median(in_place) < 0.3  # canvas pixels, of which a pixel of the clip is two
    assert np.quantile(in_place, 0.95) < 1.5
    client.post(f"/shots/{shot}/undo", json={})
    assert len(document(client, shot)["layers"]) == 1


def test_what_has_no_passes_is_said(client: TestClient):
    still = [TAKE.frames[0]] * 20
    shot, (layer, card) = new_shot(
        client, (960, 540), (written(still), "still.mp4"), (png(), "card.png")
    )
    client.post(f"/shots/{shot}/passes", json={"layer": layer})
    told = ended(client, shot, "passes")
    assert told["state"] == "failed"
    assert "No repeated move" in told["sentence"]
    assert client.get(f"/shots/{shot}/passes/{layer}").json() == {"passes": []}
    refused = client.post(f"/shots/{shot}/passes", json={"layer": card})
    assert "is no clip" in refused.json()["problem"]
    unknown = client.post(f"/shots/{shot}/passes", json={"layer": layer, "make": [0, 1]})
    assert "find them again" in unknown.json()["problem"]
