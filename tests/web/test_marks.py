"""Marks on what is found in footage: on the right frames whatever the clip's time, and refusals in words."""

from __future__ import annotations

import shutil
from fractions import Fraction
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from hypothesis import given, settings
from hypothesis import strategies as st

from velvet_seam.core.shot.layer import Layer, Place, Span, TimeMap
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import FootageSource
from velvet_seam.demo import waltz
from velvet_seam.store.tables import database
from velvet_seam.web.app import create_app
from velvet_seam.web.marks import frames_shown


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from([-250.0, -100.0, -30.0, 25.0, 50.0, 100.0, 130.0, 400.0]),
    st.fractions(0, 4, max_denominator=100), st.integers(0, 40), st.integers(2, 60),
)  # fmt: skip
def test_a_moment_is_marked_on_the_frame_that_shows_it(speed, moment, first, length):
    time = TimeMap(source_in=Fraction(2), speed=speed)
    layer = Layer(
        id="l-one", name="One", source=FootageSource(footage="f"), time=time,
        span=Span(first=first, last=first + length - 1), place=Place(x=0, y=0),
    )  # fmt: skip
    shot = Shot(
        name="S", canvas=Canvas(width=64, height=64), rate="25", length=200, layers=(layer,)
    )
    found = frames_shown(shot, layer, [moment])
    shown = [time.at(n, shot.rate) for n in range(length)]
    inside = min(shown) <= moment <= max(shown)
    assert len(found) <= 1
    if inside:
        assert len(found) == 1
    for frame in found:
        away = abs(shown[frame - first] - moment)
        step = abs(Fraction(speed).limit_denominator(10_000)) / 100 / shot.rate
        assert away <= max(step, Fraction(1, 50))


@pytest.fixture(scope="module")
def client(demo_folder: Path, tmp_path_factory: pytest.TempPathFactory):
    studio = tmp_path_factory.mktemp("marks") / "studio"
    shutil.copytree(demo_folder, studio)
    with TestClient(create_app(studio), base_url="http://localhost") as client:
        yield client
    database.close()


@pytest.fixture
def shot(client: TestClient) -> dict:
    """A blank shot with the waltz at twice its speed, a still and a clip; and where it is."""
    shelf = {}
    for name in ("tin-waltz", "moon-still", "paper-sea"):
        found = client.get("/find", params={"q": f"{name} footage"}).json()["found"]
        shelf[name] = found[0]["address"].rpartition("clip-")[2]
    there = client.post("/shots", data={"canvas": "1080x1920"}).url.path
    for footage in shelf.values():
        state = client.post(f"{there}/layers", json={"footage": footage}).json()["state"]
    layers = {layer["name"]: layer["id"] for layer in state["shot"]["layers"]}
    track = state["shot"]["sounds"][0]["id"]
    edit = {"do": "set-values", "target": track, "values": {"time.speed": 200}}
    assert client.post(f"{there}/edits", json={"edit": edit}).status_code == 200
    return {"there": there, "waltz": track, **layers}


def test_beats_lie_where_they_are_heard(client: TestClient, shot: dict):
    body = {"target": shot["waltz"], "found": "beats"}
    answer = client.post(f"{shot['there']}/marks", json=body).json()
    assert "150.0 beats a minute" in answer["said"]
    frames = [mark["frame"] for mark in answer["state"]["shot"]["marks"]]
    truth = [beat * 25 / 2 for beat in waltz.beats()]  # at twice the speed
    assert len(frames) > 20
    assert all(min(abs(frame - beat) for beat in truth) <= 1 for frame in frames)
    again = client.post(f"{shot['there']}/marks", json=body)
    assert again.status_code == 422
    assert "marked already" in again.json()["problem"]
    undone = client.post(f"{shot['there']}/undo", json={}).json()  # all of them are one step
    assert undone["state"]["shot"]["marks"] == []


@pytest.mark.parametrize(
    ("found", "least", "word"), [("onsets", 30, "Onset"), ("peaks", 8, "Peak")]
)
def test_onsets_and_loud_moments_lie_on_notes(client: TestClient, shot: dict, found, least, word):
    answer = client.post(
        f"{shot['there']}/marks", json={"target": shot["waltz"], "found": found}
    ).json()
    marks = answer["state"]["shot"]["marks"]
    assert f"{len(marks)} marks in the shot" in answer["said"]
    assert len(marks) >= least
    assert {mark["name"] for mark in marks} == {word}
    notes = sorted({*waltz.beats(), *((3 * bar + at) * waltz.BEAT
                    for bar, tune in enumerate(waltz._TUNE) for at, _ in tune)})  # fmt: skip
    # at twice the speed; a note is loudest a little after it was struck
    after = 1 if found == "onsets" else 2
    for mark in marks:
        assert min(abs(mark["frame"] - note * 25 / 2) for note in notes) <= after


def test_a_loudest_moment_is_laid_on_a_frame(client: TestClient, shot: dict):
    body = {"target": shot["waltz"], "found": "loudest", "frame": 140}
    answer = client.post(f"{shot['there']}/lay", json=body)
    assert answer.status_code == 200
    moved = answer.json()["state"]["shot"]
    marked = client.post(f"{shot['there']}/marks", json=body | {"found": "loudest"}).json()
    assert moved["sounds"][0]["span"]["first"] > 0
    assert [mark["frame"] for mark in marked["state"]["shot"]["marks"]] == [140]
    early = client.post(f"{shot['there']}/lay", json=body | {"frame": 0})
    assert (
        early.status_code == 422 or early.json()["state"]["shot"]["sounds"][0]["span"]["first"] == 0
    )


@pytest.mark.parametrize(
    ("thing", "found", "why"),
    [
        ("moon-still", "beats", "No beat"), ("moon-still", "brightest", "no clip"),
        ("paper-sea", "loudest", "no sound"), ("paper-sea", "cuts", "No cut"),
        ("nobody", "beats", "no longer in the shot"),
    ],
)  # fmt: skip
def test_what_is_not_there_is_said(client: TestClient, shot: dict, thing, found, why):
    body = {"target": shot.get(thing, "l-nobody"), "found": found}
    for way in ("marks", "lay"):
        answer = client.post(f"{shot['there']}/{way}", json=body | {"frame": 3})
        if way == "marks":
            body_only = {"target": body["target"], "found": found}
            answer = client.post(f"{shot['there']}/marks", json=body_only)
        assert answer.status_code in (404, 422)
        assert why in answer.json()["problem"]
