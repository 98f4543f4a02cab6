"""Several takes and a recorder put in time with one, over the wire: chains, strangers, and what must stay."""

from __future__ import annotations

import io
import wave
from fractions import Fraction

import numpy as np
import pytest
from fastapi.testclient import TestClient

from bench.in_time import heard, speech
from tests.web.test_holding import ended
from tests.web.test_lineup import recording
from tests.web.test_nesting import document
from tests.web.test_requests import edit, png, send
from tests.web.test_tracking import new_shot
from velvet_seam.core.register.in_time import InTime
from velvet_seam.core.register.several import tied


def recorder(begins: float, seconds: float, seed: int) -> bytes:
    """What is said, from a moment on, on a recorder of its own; ``seed`` 77 is what the takes hear."""
    said = speech(np.random.default_rng(seed), 48_000 * 8)[round(begins * 48_000) :]
    sound = heard(said[: round(seconds * 48_000)], np.random.default_rng(3), 20)
    out = io.BytesIO()
    with wave.open(out, "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(48_000)
        file.writeframes((np.clip(sound, -1, 1) * 32_000).astype("<i2").tobytes())
    return out.getvalue()


def begins(thing: dict) -> float:
    """When the source of a thing begins, in seconds of a shot of 25 frames a second."""
    return thing["span"]["first"] / 25 - float(Fraction(thing["time"]["source_in"]))


def test_all_takes_and_a_recorder_are_put_in_time_with_one(client: TestClient):
    takes = [(0.2, 25, 2.5), (1.1, 30, 3.0), (3.2, 25, 3.0), (1.6, 25, 2.0)]
    files = [
        (recording((0.0, 0.0), at, rate, n, seconds), f"take-{n}.mp4")
        for n, (at, rate, seconds) in enumerate(takes)
    ]
    shot, layers = new_shot(client, (640, 360), *files, (png(), "card.png"))
    for at, name, seed in ((0.5, "recorder.wav", 77), (0.0, "stranger.wav", 5)):
        sound = send(client, recorder(at, 5.0, seed), name).json()["id"]
        assert client.post(f"/shots/{shot}/layers", json={"footage": sound}).status_code == 200
    edit(client, shot, do="set-values", target=layers[3], values={"locked": True})
    before = document(client, shot)
    assert (
        client.post(f"/shots/{shot}/together", json={"layer": layers[0], "by": "sound"}).status_code
        == 200
    )
    told = ended(client, shot, "in-time")
    assert told["state"] == "done", told
    after = document(client, shot)
    assert "stranger (" in told["sentence"]
    assert "take-3 (locked)" in told["sentence"]
    first, second, third, fourth, card = after["layers"]
    assert begins(first) == begins(before["layers"][0])
    assert begins(second) - begins(first) == pytest.approx(1.1 - 0.2, abs=0.002)
    # the third was never on at once with the first: what beside both ran ties them
    assert begins(third) - begins(first) == pytest.approx(3.2 - 0.2, abs=0.004)
    assert (fourth, card) == tuple(before["layers"][3:])
    mic, stranger = after["sounds"]
    assert begins(mic) - begins(first) == pytest.approx(0.5 - 0.2, abs=0.002)
    assert stranger == before["sounds"][1]
    client.post(f"/shots/{shot}/together", json={"layer": layers[0], "by": "sound"})
    assert "already" in ended(client, shot, "in-time")["sentence"]
    assert document(client, shot) == after
    client.post(f"/shots/{shot}/undo", json={})
    assert document(client, shot)["layers"] == before["layers"]  # one step

    def refused(layer: str, **more: str) -> str:
        answer = client.post(f"/shots/{shot}/together", json={"layer": layer, **more})
        assert answer.status_code == 422, answer.text
        return answer.json()["problem"]

    assert "is no clip" in refused(layers[4])
    edit(client, shot, do="set-values", target=layers[0], values={"time.speed": 50})
    assert "its own speed" in refused(layers[0])
    alone, (only,) = new_shot(client, (640, 360), files[0])
    answer = client.post(f"/shots/{alone}/together", json={"layer": only})
    assert "no other take" in answer.json()["problem"]


def test_what_is_not_sure_ties_nothing_else():
    """An unsure one is told of as it was against the first, and no other hangs on it."""

    def compare(a: int, b: int) -> InTime:
        if (a, b) == (0, 1):
            return InTime(1.0, False, 2.0, 0.5)
        return InTime(0.0, False, None, 0.0, "common")

    found = tied(3, compare)
    assert not found[1].found.sure
    assert found[2].found.why == "common"
    assert {one.through for one in found.values()} == {0}
