"""Takes put in register and in time over the wire and from a shell: two recordings of one scene, with their sound."""

from __future__ import annotations

import io
import json
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient

from bench.in_time import heard, speech
from bench.register import drawn
from tests.web.test_holding import ended
from tests.web.test_nesting import document
from tests.web.test_requests import edit, send
from velvet_seam.cli import main

SIZE = (640, 360)
SCENE = drawn(950)
SHIFT = (5.3, -2.4)
LATER = 0.7343
"""Seconds by which the second recorder was started earlier."""


def recording(
    shift: tuple[float, float], begins: float, rate: int, seed: int, seconds: float = 4.0
) -> bytes:
    """A take of a scene in which something jumps about, and what is said meanwhile, from a moment on."""
    out, rng = io.BytesIO(), np.random.default_rng(seed)
    said = speech(np.random.default_rng(77), 48_000 * 8)
    sound = heard(said[round(begins * 48_000) :][: round(seconds * 48_000)], rng, 20)
    move = np.array([[1, 0, shift[0] - 200], [0, 1, shift[1] - 300], [0, 0, 1.0]])
    ground = cv2.warpPerspective(SCENE, move, SIZE, flags=cv2.INTER_CUBIC)
    with av.open(out, "w", format="mp4") as made:
        film = made.add_stream("libx264", Fraction(rate), options={"crf": "20"})
        film.width, film.height, film.pix_fmt = *SIZE, "yuv420p"
        voice = made.add_stream("aac", 48_000)
        voice.layout = "mono"
        for n in range(round(seconds * rate)):
            picture, beat = ground.copy(), int((begins + n / rate) * 2.5)
            jump = np.random.default_rng([6, beat])
            inside = (begins + n / rate) * 2.5 - beat
            x = int(jump.uniform(40, 500) + 70 * jump.random() * min(1.0, 3 * inside))
            picture[120:220, x : x + 80] = (200, 60, 40)
            frame = av.VideoFrame.from_ndarray(picture, format="bgr24")
            made.mux(film.encode(frame))
        made.mux(film.encode())
        for at in range(0, len(sound) - 1024, 1024):
            piece = av.AudioFrame.from_ndarray(
                sound[None, at : at + 1024], format="fltp", layout="mono"
            )
            piece.sample_rate, piece.pts = 48_000, at
            made.mux(voice.encode(piece))
        made.mux(voice.encode())
    return out.getvalue()


@pytest.fixture(scope="module")
def takes(client: TestClient) -> tuple[str, str, str]:
    """A wide shot of 60 frames a second: two takes, the upper one off in place and in time."""
    form = {"canvas": "free", "width": "1920", "height": "1080", "rate": "60"}
    answer = client.post("/shots", data=form, follow_redirects=False)
    shot = answer.headers["location"].rsplit("/", 1)[1]
    for name, take in (("a.mp4", ((0.0, 0.0), 1.5, 25, 1)), ("b.mp4", (SHIFT, 1.5 - LATER, 30, 2))):
        footage = send(client, recording(*take), name).json()["id"]
        client.post(f"/shots/{shot}/layers", json={"footage": footage})
    low, high = (layer["id"] for layer in document(client, shot)["layers"])
    return shot, low, high


def test_takes_are_put_in_time_by_what_is_heard_in_both(
    client: TestClient, takes: tuple[str, str, str]
):
    """To a fifth of a millisecond, of which AAC's own delay takes a part: whole frames by the bar, the rest by the clip."""
    shot, _, high = takes
    told = client.get(f"/shots/{shot}/in-time/{high}?by=sound").json()
    assert told["sure"]
    assert told["later"] == pytest.approx(-LATER * 60, abs=0.05)
    assert (
        client.post(f"/shots/{shot}/in-time", json={"layer": high, "by": "sound"}).status_code
        == 200
    )
    layer = document(client, shot)["layers"][1]
    assert layer["span"]["first"] == 0  # what lies before the shot is trimmed off
    assert float(Fraction(layer["time"]["source_in"])) == pytest.approx(LATER, abs=0.001)
    again = client.get(f"/shots/{shot}/in-time/{high}?by=sound").json()
    assert abs(again["later"]) < 0.01
    client.post(f"/shots/{shot}/undo", json={})
    edit(client, shot, do="set-values", target=high, values={"time.speed": 50})
    refused = client.get(f"/shots/{shot}/in-time/{high}?by=sound")
    assert refused.status_code == 422
    assert "its own speed" in refused.json()["problem"]
    client.post(f"/shots/{shot}/undo", json={})


def test_takes_of_two_rates_are_put_in_time_by_what_moves(
    client: TestClient, takes: tuple[str, str, str]
):
    shot, _, high = takes
    told = client.get(f"/shots/{shot}/in-time/{high}?by=picture").json()
    assert not told["why"], told
    offered = [told["later"], *([told["other"]] if "other" in told else [])]
    assert min(abs(one + LATER * 60) for one in offered) < 2.5  # a frame of 25 is 2.4 of 60


def test_takes_are_put_in_register_on_a_wide_canvas(
    client: TestClient, takes: tuple[str, str, str]
):
    shot, _, high = takes
    before = document(client, shot)["layers"][1]["place"]
    told = client.get(f"/shots/{shot}/line-up/{high}?model=shift").json()
    scale = before["scale"] / 100
    assert told["off"] == pytest.approx(scale * np.hypot(*SHIFT), abs=0.25)
    answer = client.post(f"/shots/{shot}/line-up", json={"layer": high, "model": "shift"})
    assert answer.status_code == 200
    after = document(client, shot)["layers"][1]["place"]
    moved = np.array([after["x"] - before["x"], after["y"] - before["y"]])
    assert moved == pytest.approx(-scale * np.array(SHIFT), abs=0.2)
    assert answer.json()["lined"]["after"]["off"] < 0.1 * scale  # a tenth of a pixel of the clip
    client.post(f"/shots/{shot}/undo", json={})


def test_light_over_time_is_measured_in_the_background(
    client: TestClient, takes: tuple[str, str, str]
):
    shot, low, high = takes
    edit(client, shot, do="set-values", target=low, values={"place.x": 960})
    edit(client, shot, do="trim", target=high, edge="last", to=35)
    client.post(f"/shots/{shot}/line-up", json={"layer": high, "model": "shift"})
    assert client.post(f"/shots/{shot}/drift", json={"layer": high}).status_code == 200
    told = ended(client, shot, "drift")
    assert told["state"] == "done", told
    (part,) = document(client, shot)["layers"][1]["look"]["parts"]
    values = [key["value"] for key in part["slope_green"]["keys"]]
    assert len(values) > 25
    assert np.abs(np.array(values) - 1).max() < 0.03  # nothing drifts here


def test_two_files_are_compared_from_a_shell(tmp_path: Path, capsys: pytest.CaptureFixture[str]):
    paths = [tmp_path / name for name in ("a.mp4", "b.mp4")]
    paths[0].write_bytes(recording((0.0, 0.0), 1.5, 25, 1))
    paths[1].write_bytes(recording(SHIFT, 1.5 - LATER, 30, 2))
    given = [str(one) for one in paths]
    assert main(["lineup", *given, "--model", "shift", "--time", "sound"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["place"]["shift"] == pytest.approx(SHIFT, abs=0.1)
    assert told["place"]["residual"] < 0.2
    assert told["time"]["offset"] == pytest.approx(LATER, abs=0.001)
    assert main(["lineup", given[0], str(tmp_path / "none.mp4")]) == 2
    assert "no file" in capsys.readouterr().err
    assert main(["lineup", *given, "--frame", "9999"]) == 2
    assert "has frames 0 to 99" in capsys.readouterr().err
