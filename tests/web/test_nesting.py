"""Shots in shots over the wire: grouped, entered, taken apart, never in themselves; saved as files and opened again."""

from __future__ import annotations

import io
import json
import re
import time
import zipfile
import zlib
from itertools import pairwise

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from tests.web.test_requests import edit, png, send
from velvet_seam.cli import main


@pytest.fixture
def shot(client: TestClient) -> str:
    return blank(client)


def document(client: TestClient, shot: str) -> dict:
    answer = client.get(f"/shots/{shot}/parts?chosen=shot:")
    return answer.json()["state"]["shot"]


def with_layers(client: TestClient, shot: str, *colours: tuple[int, int, int]) -> list[str]:
    for n, colour in enumerate(colours):
        footage = send(client, png(colour), f"card {n}.png").json()["id"]
        client.post(f"/shots/{shot}/layers", json={"footage": footage})
    return [layer["id"] for layer in document(client, shot)["layers"]]


def picture(client: TestClient, shot: str, **more: str | int) -> np.ndarray:
    asked = "&".join(f"{name}={value}" for name, value in {"side": 96, **more}.items())
    data = client.get(f"/shots/{shot}/picture.jpg?{asked}").content
    return np.asarray(Image.open(io.BytesIO(data))).astype(int)


def blank(client: TestClient) -> str:
    answer = client.post("/shots", data={"canvas": "free", "width": "64", "height": "96"},
                         follow_redirects=False)  # fmt: skip
    return answer.headers["location"].rsplit("/", 1)[1]


def test_layers_become_a_shot_and_lie_in_this_one_again(client, shot):
    low, high = with_layers(client, shot, (200, 40, 40), (20, 60, 180))
    edit(
        client,
        shot,
        do="set-values",
        target=high,
        values={"place.scale": 40, "seam.blend": "screen"},
    )
    edit(client, shot, do="move-in-time", target=high, by=20)
    before = picture(client, shot, frame=30)
    made = client.post(f"/shots/{shot}/group", json={"layers": [low, high]}).json()
    (group,) = document(client, shot)["layers"]
    assert made["chosen"] == f"layer:{group['id']}"
    assert group["source"]["kind"] == "nested"
    inner = group["source"]["footage"]
    assert [one["span"]["first"] for one in document(client, inner)["layers"]] == [0, 20]
    assert np.abs(picture(client, shot, frame=30) - before).max() <= 3
    page = client.get(f"/shots/{inner}?from={shot}&layer={group['id']}&at=30").text
    assert 'data-frame="30"' in page
    assert f'href="/shots/{shot}?into={group["id"]}"' in page
    edit(client, inner, do="set-values", target=high, values={"place.scale": 90})
    changed = picture(client, shot, frame=30)
    assert np.abs(changed - before).max() > 60  # seen in the outer shot at once
    client.post(f"/shots/{shot}/take-apart", json={"layer": group["id"]})
    layers = document(client, shot)["layers"]
    assert [one["name"] for one in layers] == ["card 0", "card 1"]
    assert np.abs(picture(client, shot, frame=30) - changed).max() <= 3
    for _ in range(2):
        client.post(f"/shots/{shot}/undo", json={})
    assert [one["id"] for one in document(client, shot)["layers"]] == [low, high]


def test_going_in_and_out_keeps_the_moment(client, shot):
    (low,) = with_layers(client, shot, (200, 40, 40))
    group = client.post(f"/shots/{shot}/group", json={"layers": [low]}).json()["chosen"][6:]
    inner = document(client, shot)["layers"][0]["source"]["footage"]
    edit(client, shot, do="change-speed", target=group, speed=50)
    edit(client, shot, do="move-in-time", target=group, by=10)
    page = client.get(f"/shots/{inner}?from={shot}&layer={group}&at=30").text
    assert 'data-frame="10"' in page
    page = client.get(f"/shots/{shot}?into={group}&at=10").text
    frame = int(re.search(r'data-frame="(\d+)"', page)[1])  # type: ignore[index]
    assert frame in (30, 31)
    assert f'data-chosen="layer:{group}"' in page
    assert client.get(f"/shots/{shot}?into=gone&from=nowhere&layer=x&at=-5").status_code == 200


def test_a_shot_does_not_come_to_lie_in_itself(client):
    shots = [blank(client) for _ in range(4)]
    for one in shots:
        with_layers(client, one, (10, 20, 30))
    for inner, outer in pairwise(shots):
        assert client.post(f"/shots/{outer}/layers", json={"footage": inner}).status_code == 200
    before = document(client, shots[0])
    answer = client.post(f"/shots/{shots[0]}/layers", json={"footage": shots[3]})
    assert answer.status_code == 422
    assert "would lie in itself" in answer.json()["problem"]
    assert client.post(f"/shots/{shots[0]}/layers", json={"footage": shots[0]}).status_code == 422
    assert document(client, shots[0]) == before
    offered = client.get(f"/shots/{shots[1]}/shelf").text
    assert shots[0] in offered
    assert not any(one in offered for one in shots[1:])


def test_a_shot_that_is_shown_elsewhere_is_kept_and_one_that_is_gone_is_said(client, shot):
    inner = blank(client)
    with_layers(client, inner, (10, 220, 30))
    edit(client, inner, do="set-values", values={"name": "Little moon"})
    client.post(f"/shots/{shot}/layers", json={"footage": inner})
    edit(client, shot, do="set-values", values={"name": "The roof"})
    answer = client.delete(f"/shots/{inner}")
    assert answer.status_code == 422
    assert "Little moon is shown in The roof" in answer.json()["problem"]
    edit(client, inner, do="set-values", values={"name": "Full moon"})
    assert (
        "Full moon"
        in client.get(
            f"/shots/{shot}/parts?chosen=layer:{document(client, shot)['layers'][0]['id']}"
        ).text
    )
    layer = document(client, shot)["layers"][0]["id"]
    edit(client, shot, do="remove-layer", layer=layer)
    assert client.delete(f"/shots/{inner}").status_code == 204
    client.post(f"/shots/{shot}/undo", json={})
    page = client.get(f"/shots/{shot}", headers={"accept": "text/html"})
    assert page.status_code == 200
    assert (
        "cannot be shown"
        in client.get(f"/shots/{shot}/parts?chosen=layer:{layer}").json()["parts"]["panel"]
    )
    assert picture(client, shot).std() > 5  # hatched


def test_what_belongs_together_is_grouped_together(client, shot):
    low, high = with_layers(client, shot, (200, 40, 40), (20, 60, 180))
    edit(
        client,
        shot,
        do="add-matte",
        layer=high,
        matte={"kind": "layer-matte", "id": "k-a", "layer": low},
    )
    answer = client.post(f"/shots/{shot}/group", json={"layers": [high]})
    assert answer.status_code == 422
    assert "takes its matte from card 0" in answer.json()["problem"]
    assert client.post(f"/shots/{shot}/group", json={"layers": ["gone"]}).status_code == 422
    group = client.post(f"/shots/{shot}/group", json={"layers": [low, high]}).json()["chosen"][6:]
    edit(client, shot, do="set-values", target=group, values={"seam.opacity": 50})
    answer = client.post(f"/shots/{shot}/take-apart", json={"layer": group})
    assert "changed as one picture" in answer.json()["problem"]


def arrive(client: TestClient, data: bytes, name: str = "saved.zip"):
    about = {"name": name, "size": len(data), "modified": zlib.crc32(data)}
    identity = client.post("/footage/arrivals", json=about).json()["id"]
    client.put(f"/footage/arrivals/{identity}?at=0", content=data)
    return client.post(f"/footage/arrivals/{identity}/open", json={})


def test_shots_in_shots_are_saved_as_files_rendered_from_a_shell_and_opened_again(
    client, shot, tmp_path
):
    low, high = with_layers(client, shot, (200, 40, 40), (20, 60, 180))
    edit(client, shot, do="set-values", target=high, values={"place.scale": 40})
    client.post(f"/shots/{shot}/group", json={"layers": [low, high]})
    wanted = picture(client, shot)
    data = client.get(f"/shots/{shot}/files.zip").content
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        archive.extractall(tmp_path)
    still = tmp_path / "still.png"
    assert main(["render", str(tmp_path / "shot.json"), "-o", str(still), "--frame", "0"]) == 0
    small = np.asarray(Image.open(still).convert("RGB")).astype(int)
    assert np.abs(small - wanted).mean() < 3
    opened = arrive(client, data).json()["id"]
    assert opened != shot
    assert np.abs(picture(client, opened) - wanted).max() <= 2
    assert (
        document(client, opened)["layers"][0]["source"]
        != document(client, shot)["layers"][0]["source"]
    )
    folder = client.app.state.context.library.folder.root / "incoming"
    assert list(folder.iterdir()) == []


def zipped(**files: bytes | str) -> bytes:
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name.replace("__", "/").replace("_json", ".json"), data)
    return held.getvalue()


EMPTY = {
    "schema_version": 4,
    "name": "x",
    "canvas": {"width": 64, "height": 64},
    "rate": "25",
    "length": 5,
}
IN_ITSELF = {
    **EMPTY,
    "layers": [{"id": "l-a", "name": "a", "source": {"kind": "nested", "footage": "s-a"},
                "span": {"first": 0, "last": 4}, "place": {"x": 0, "y": 0}}],
}  # fmt: skip
FORMAT = {"format": "velvet-seam-shot", "footage": {}}
FAR = {"f-a": {"name": "a", "file": "../../a.png"}}


@pytest.mark.parametrize(
    ("data", "why"),
    [
        (b"", "empty|archive"), (b"PK\x03\x04 broken", "archive"), (zipped(other="x"), "no shot.json"),
        (zipped(shot_json="[1, 2"), "JSON"), (zipped(shot_json=json.dumps({"format": "else"})), "not a shot"),
        (zipped(shot_json=json.dumps({**FORMAT, "shot": EMPTY, "footage": FAR})), "in or below"),
        (zipped(shot_json=json.dumps({**FORMAT, "shot": IN_ITSELF})), "does not hold"),
        (zipped(shot_json=json.dumps({**FORMAT, "shot": IN_ITSELF, "shots": {"s-a": IN_ITSELF}})), "lie in itself"),
        (zipped(shot_json=b" " * (65 << 20)), "too large"),
        (zipped(shot_json=json.dumps({**FORMAT, "shot": EMPTY, "footage": {"f": {"name": "a", "file": "a"}}})), "missing"),
    ],
)  # fmt: skip
def test_what_is_no_archive_of_a_shot_ends_in_a_sentence(client, data, why):
    before = client.get("/").text.count("data-shot=")
    answer = arrive(client, data)
    assert answer.status_code == 422
    assert re.search(why, answer.json()["problem"])
    assert client.get("/").text.count("data-shot=") == before


def baked(client: TestClient, shot: str) -> str:
    for _ in range(6000):
        state = client.get(f"/shots/{shot}/working/bake").json()["state"]
        if state not in ("waiting", "working"):
            return state
        time.sleep(0.1)
    raise AssertionError("it never ended")


def test_one_at_a_time_is_baked_and_what_failed_is_in_nobodys_way(client, shot):
    (low,) = with_layers(client, shot, (200, 40, 40))
    jobs = client.app.state.context.library.jobs
    other = jobs.add("bake", shot, "other", delivery='{"shot": "gone", "layer": "gone"}')
    jobs.pause(other)  # it is there, and not begun
    answer = client.post(f"/shots/{shot}/bake", json={"layer": low})
    assert answer.status_code == 422
    assert document(client, shot)["layers"][0]["source"]["kind"] == "footage"  # nor grouped
    jobs.fail(other, "no room")
    assert client.post(f"/shots/{shot}/bake", json={"layer": low}).status_code == 200
    assert baked(client, shot) == "done"


def test_a_layer_is_baked_shown_from_its_file_and_unbaked(client, shot):
    _, high = with_layers(client, shot, (200, 40, 40), (20, 60, 180))
    edit(client, shot, do="set-values", values={"length": 20})
    edit(
        client, shot, do="set-values", target=high, values={"place.scale": 40, "place.rotation": 20}
    )
    before = picture(client, shot, frame=5)
    chosen = client.post(f"/shots/{shot}/bake", json={"layer": high}).json()["chosen"][6:]
    assert baked(client, shot) == "done"
    layer = next(one for one in document(client, shot)["layers"] if one["id"] == chosen)
    assert layer["source"]["kind"] == "baked"
    assert (
        np.abs(picture(client, shot, frame=5) - before).max() <= 12
    )  # it has been through a proxy
    assert client.delete(f"/shots/{layer['source']['of']}").status_code == 422
    assert edit(client, shot, do="unbake", layer=chosen).status_code == 200
    layer = next(one for one in document(client, shot)["layers"] if one["id"] == chosen)
    assert layer["source"]["kind"] == "nested"
    assert np.abs(picture(client, shot, frame=5) - before).max() <= 3
    assert client.delete(f"/shots/{shot}/working/bake").status_code == 204
