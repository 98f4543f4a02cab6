"""Tracks over the wire: a thing that moves is followed, corrected, and others follow it; what cannot be is refused."""

from __future__ import annotations

import io
import itertools
from fractions import Fraction

import av
import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient

from bench.register import drawn
from tests.web.test_holding import ended
from tests.web.test_nesting import document
from tests.web.test_requests import edit, png, send

SIZE, FRAMES = (480, 360), 40
CANVAS = (960, 720)
SCENE = drawn(960)
CARD = cv2.resize(drawn(961), (490, 490), interpolation=cv2.INTER_AREA)
HALF = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
HOME = np.array([[140, 120], [260, 120], [260, 220], [140, 220.0]])


def moved(n: int) -> np.ndarray:
    """From where the card lies first to where it lies in a frame."""
    turn = np.radians(0.6 * n)
    c, s = (1 + 0.004 * n) * np.cos(turn), (1 + 0.004 * n) * np.sin(turn)
    there, back = np.eye(3), np.eye(3)
    there[:2, 2], back[:2, 2] = HOME.mean(0) + [2.1 * n, 20 * np.sin(n / 9)], -HOME.mean(0)
    return there @ np.array([[c, -s, 0], [s, c, 0], [1e-5 * n, 0, 1]]) @ back


def corners(n: int) -> np.ndarray:
    made = np.column_stack([HOME, np.ones(4)]) @ moved(n).T
    return made[:, :2] / made[:, 2:]


def carried(hidden: range = range(0)) -> bytes:
    """A card carried over a scene, through H.264; for some frames something stands before it."""
    out = io.BytesIO()
    lay = np.array([[1, 0, 60], [0, 1, 50], [0, 0, 1.0]])
    with av.open(out, "w", format="mp4") as made:
        stream = made.add_stream("libx264", Fraction(25), options={"crf": "20"})
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        for n in range(FRAMES):
            view = SCENE[200 + n : 560 + n, 100 : 100 + SIZE[0]].copy()
            matrix = np.linalg.inv(HALF) @ moved(n) @ lay @ HALF
            card = cv2.warpPerspective(CARD, matrix, SIZE, flags=cv2.INTER_CUBIC)
            mask = np.zeros(SIZE[::-1], np.uint8)
            cv2.fillConvexPoly(
                mask, np.round(corners(n) * 16).astype(np.int32), 255, cv2.LINE_AA, 4
            )
            view = (view * (1 - mask[..., None] / 255.0) + card * (mask[..., None] / 255.0)).astype(
                np.uint8
            )
            if n in hidden:
                view[:, 40:] = SCENE[600 : 600 + SIZE[1], 500 : 500 + SIZE[0] - 40]
            for packet in stream.encode(av.VideoFrame.from_ndarray(view, format="bgr24")):
                made.mux(packet)
        made.mux(stream.encode())
    return out.getvalue()


def new_shot(
    client: TestClient, canvas: tuple[int, int], *files: tuple[bytes, str]
) -> tuple[str, list[str]]:
    """A shot of layers that show files, and the layers' names."""
    form = {"canvas": "free", "width": str(canvas[0]), "height": str(canvas[1])}
    answer = client.post("/shots", data=form, follow_redirects=False)
    shot = answer.headers["location"].rsplit("/", 1)[1]
    for data, name in files:
        footage = send(client, data, name).json()["id"]
        client.post(f"/shots/{shot}/layers", json={"footage": footage})
    return shot, [one["id"] for one in document(client, shot)["layers"]]


def to_canvas(layer: dict, points: np.ndarray) -> np.ndarray:
    place = layer["place"]
    turn, scale = np.radians(place["rotation"]), place["scale"] / 100
    c, s = scale * np.cos(turn), scale * np.sin(turn)
    return (points - np.array(SIZE) / 2) @ np.array([[c, s], [-s, c]]) + [place["x"], place["y"]]


@pytest.fixture(scope="module")
def shot(client: TestClient) -> tuple[str, str, str]:
    shot, (low, high) = new_shot(
        client, CANVAS, (carried(), "card.mp4"), (png((230, 20, 230)), "star.png")
    )
    edit(
        client, shot, do="set-values", target=low, values={"place.rotation": 10, "place.scale": 170}
    )
    return shot, low, high


@pytest.fixture(scope="module")
def plane(client: TestClient, shot: tuple[str, str, str]) -> tuple[str, dict]:
    """The card, followed as a plane from frame 12; the track's id, and how the work ended."""
    identity, low, _ = shot
    layer = document(client, identity)["layers"][0]
    body = {"layer": low, "frame": 12, "kind": "plane", "places": to_canvas(layer, corners(12)).tolist()}  # fmt: skip
    answer = client.post(f"/shots/{identity}/track", json=body)
    assert answer.status_code == 200
    return answer.json()["track"], ended(client, identity, "track")


def test_a_plane_is_followed_both_ways_and_kept(
    client: TestClient, shot: tuple[str, str, str], plane: tuple[str, dict]
):
    identity, _, _ = shot
    _, told = plane
    assert told["sentence"] == "Plane is followed over 40 frames."
    track = next(
        one for one in document(client, identity)["layers"][0]["tracks"] if one["id"] == plane[0]
    )
    assert (track["first"], len(track["path"]), track["by_hand"]) == (0, FRAMES, [12])
    off = [
        np.abs(np.array(track["path"][n]).reshape(4, 2) - corners(n)).max() for n in range(FRAMES)
    ]
    assert np.median(off) < 0.25
    assert max(off) < 0.8


def test_a_star_stuck_to_it_goes_where_it_goes(
    client: TestClient, shot: tuple[str, str, str], plane: tuple[str, dict]
):
    identity, low, high = shot
    track, _ = plane
    follow = {"layer": low, "tracks": [track], "how": "plane", "frame": 12}
    edit(client, identity, do="follow-track", layer=high, follow=follow)
    edit(client, identity, do="set-values", target=high, values={"place.scale": 80})
    layer = document(client, identity)["layers"][0]
    start = to_canvas(layer, corners(12))
    edit(
        client,
        identity,
        do="set-values",
        target=high,
        values={"place.x": float(start[:, 0].mean()), "place.y": float(start[:, 1].mean())},
    )
    for n in (0, 20, 39):
        data = client.get(f"/shots/{identity}/picture.jpg", params={"frame": n, "key": "x"})
        picture = cv2.imdecode(np.frombuffer(data.content, np.uint8), cv2.IMREAD_COLOR).astype(int)
        red = (picture[..., 2] > 190) & (picture[..., 1] < 70) & (picture[..., 0] > 190)
        y, x = np.nonzero(red)
        k = picture.shape[1] / 960
        by = cv2.getPerspectiveTransform(
            start.astype(np.float32), to_canvas(layer, corners(n)).astype(np.float32)
        )
        want = by @ [start[:, 0].mean(), start[:, 1].mean(), 1]
        assert (
            np.hypot(
                (x.mean() + 0.5) / k - want[0] / want[2], (y.mean() + 0.5) / k - want[1] / want[2]
            )
            < 3
        )


def seen(client: TestClient, identity: str, frame: int) -> np.ndarray:
    data = client.get(
        f"/shots/{identity}/picture.jpg", params={"frame": frame, "side": 540}
    ).content
    return cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR).astype(int)


def test_a_star_is_put_onto_the_plane_and_its_way_made_keyframes(
    client: TestClient, shot: tuple[str, str, str], plane: tuple[str, dict]
):
    identity, low, high = shot
    before = document(client, identity)
    layer = before["layers"][0]
    track, _ = plane
    body = {"layer": high, "of": low, "track": track, "frame": 12}
    assert client.post(f"/shots/{identity}/onto", json=body).status_code == 200
    for n in (0, 12, 39):
        picture = seen(client, identity, n)
        red = (picture[..., 2] > 160) & (picture[..., 1] < 110) & (picture[..., 0] > 160)
        want = np.zeros(red.shape, np.uint8)
        k = red.shape[1] / 960
        cv2.fillConvexPoly(want, np.round(to_canvas(layer, corners(n)) * k).astype(np.int32), 1)
        assert (red & (want > 0)).sum() / (red | (want > 0)).sum() > 0.95
    for how in ("plane", "turn", "stretch"):
        follow = {"layer": low, "tracks": [track], "how": how, "frame": 12}
        edit(client, identity, do="follow-track", layer=high, follow=follow)
        live = [seen(client, identity, n) for n in (0, 5, 12, 39)]
        assert client.post(f"/shots/{identity}/keyed", json={"layer": high}).status_code == 200
        star = document(client, identity)["layers"][1]
        assert star["follow"]["tracks"] == []
        moved = star["place"]["pins"]["top_left_x"] if how == "plane" else star["place"]["rotation"]
        assert len(moved["keys"]) > 5
        for n, one in zip((0, 5, 12, 39), live, strict=True):
            off = np.abs(seen(client, identity, n) - one).max(2)
            assert (off > 60).mean() < 0.0005, (how, n)  # but for a rim of a hundredth of a pixel
        client.post(f"/shots/{identity}/undo", json={})

    def refused(route: str, **told: object) -> str:
        answer = client.post(f"/shots/{identity}/{route}", json=told)
        assert answer.status_code in (404, 422)
        return answer.json()["problem"]

    assert "no longer there" in refused("onto", layer=high, of=low, track="t-no", frame=3)
    assert "follows nothing" in refused("keyed", layer=low)
    edit(client, identity, do="set-values", target=high, values={"place.pins.top_left_x": {"keys": [{"frame": 0, "value": 3}]}})  # fmt: skip
    assert "corners of this layer move" in refused("onto", **body)
    while document(client, identity) != before:
        client.post(f"/shots/{identity}/undo", json={})


def test_a_correction_changes_its_neighbourhood_alone(
    client: TestClient, shot: tuple[str, str, str]
):
    identity, low, _ = shot
    layer = document(client, identity)["layers"][0]
    place = to_canvas(layer, corners(12).mean(0)[None])
    client.post(
        f"/shots/{identity}/track",
        json={"layer": low, "frame": 12, "places": place.tolist(), "name": "Middle"},
    )
    assert ended(client, identity, "track")["state"] == "done"
    before = document(client, identity)["layers"][0]["tracks"][-1]
    # another thing of the card, from frame 30 on
    other = to_canvas(layer, (corners(30).mean(0) + [12, 4])[None])
    client.post(
        f"/shots/{identity}/track",
        json={"layer": low, "frame": 30, "places": other.tolist(), "track": before["id"]},
    )
    assert ended(client, identity, "track")["state"] == "done"
    after = document(client, identity)["layers"][0]["tracks"][-1]
    assert (after["name"], after["by_hand"]) == ("Middle", [12, 30])
    assert after["path"][:13] == before["path"][:13]
    assert np.abs(np.array(after["path"][30]) - (corners(30).mean(0) + [12, 4])).max() < 0.1
    went = [
        np.hypot(*(np.array(a) - b)) for a, b in zip(after["path"], before["path"], strict=True)
    ]
    assert went[13] < 3 < 9 < went[29]
    assert all(
        b - a < 2.5 for a, b in itertools.pairwise(went[12:31])
    )  # it goes over, and never jumps


def test_what_is_hidden_is_said_to_be_lost(client: TestClient):
    identity, (low,) = new_shot(client, CANVAS, (carried(range(15, 24)), "hidden.mp4"))
    layer = document(client, identity)["layers"][0]
    places = to_canvas(layer, corners(3)).tolist()
    client.post(
        f"/shots/{identity}/track",
        json={"layer": low, "frame": 3, "kind": "plane", "places": places},
    )
    told = ended(client, identity, "track")
    track = document(client, identity)["layers"][0]["tracks"][0]
    lost = [n for n, one in enumerate(track["path"]) if one is None]
    assert set(range(16, 24)) <= set(lost) <= set(range(14, 28))
    assert f"lost on {len(lost)} of 40 frames" in told["sentence"]
    found = [n for n in range(28, FRAMES) if track["path"][n] is not None]
    assert found
    assert track["again"]
    assert all(
        np.abs(np.array(track["path"][n]).reshape(4, 2) - corners(n)).max() < 1 for n in found
    )


def test_what_cannot_be_followed_is_refused_with_the_reason(
    client: TestClient, shot: tuple[str, str, str]
):
    identity, low, high = shot
    sky, (bare,) = new_shot(client, CANVAS, (smooth(), "sky.mp4"))

    def refused(where: str, **body: object) -> str:
        answer = client.post(f"/shots/{where}/track", json=body)
        assert answer.status_code == 422, answer.text
        return answer.json()["problem"]

    middle = [[480, 360]]
    assert "too little to see" in refused(sky, layer=bare, frame=0, places=middle)
    assert "is no clip" in refused(identity, layer=high, frame=0, places=middle)
    assert "one place" in refused(identity, layer=low, frame=0, places=[*middle, [1, 1]])
    assert "beyond the picture" in refused(identity, layer=low, frame=0, places=[[90_000, 9]])
    small = [[100, 100], [104, 100], [104, 104], [100, 104]]
    assert "too small" in refused(identity, layer=low, frame=0, kind="plane", places=small)
    gone = client.post(
        f"/shots/{identity}/track",
        json={"layer": low, "frame": 0, "places": middle, "track": "t-no"},
    )
    assert gone.status_code == 404
    jobs = client.app.state.context.library.jobs
    jobs.pause(jobs.add("track", identity, "x", delivery="{}"))
    assert "already" in refused(identity, layer=low, frame=0, places=middle)
    assert client.delete(f"/shots/{identity}/working/track").status_code == 204
    assert client.post(f"/shots/{sky}/group", json={"layers": [bare]}).status_code == 200
    (group,) = (one["id"] for one in document(client, sky)["layers"])
    assert "bake it first" in refused(sky, layer=group, frame=0, places=middle)
    for what in ("hold", "plate", "passes"):
        answer = client.post(f"/shots/{sky}/{what}", json={"layer": group})
        assert answer.status_code == 422, what
        assert "bake it first" in answer.json()["problem"]


def smooth() -> bytes:
    out = io.BytesIO()
    ramp = np.tile(np.linspace(90, 170, SIZE[0]), (SIZE[1], 1))
    rng = np.random.default_rng(4)
    with av.open(out, "w", format="mp4") as made:
        stream = made.add_stream("libx264", Fraction(25), options={"crf": "23"})
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        for _ in range(6):
            view = np.clip(ramp + rng.normal(0, 2, ramp.shape), 0, 255).astype(np.uint8)
            for packet in stream.encode(
                av.VideoFrame.from_ndarray(np.dstack([view] * 3), format="bgr24")
            ):
                made.mux(packet)
        made.mux(stream.encode())
    return out.getvalue()


def test_what_followed_a_track_that_goes_is_named(client: TestClient):
    identity, (low, high) = new_shot(client, CANVAS, (carried(), "card.mp4"), (png(), "star.png"))
    track = {"id": "t-a", "name": "Card", "first": 0, "path": [[9, 9], [12, 9]]}
    edit(client, identity, do="set-track", layer=low, track=track)
    edit(client, identity, do="follow-track", layer=high, follow={"layer": low, "tracks": ["t-a"]})
    for change in (
        {"do": "remove-track", "layer": low, "track": "t-a"},
        {"do": "remove-layer", "layer": low},
    ):
        answer = client.post(f"/shots/{identity}/edits", json={"edit": change}).json()
        assert answer["said"].startswith("star followed a track that is gone now")
        client.post(f"/shots/{identity}/undo", json={})
    quiet = client.post(
        f"/shots/{identity}/edits",
        json={"edit": {"do": "set-values", "target": high, "values": {"place.x": 9}}},
    )
    assert "said" not in quiet.json()


def test_a_mask_and_a_look_given_to_another_layer_follow_the_same_track_still(client: TestClient):
    """They followed a track of their own layer; nothing of another shot follows one of this."""
    identity, (low, high) = new_shot(client, CANVAS, (carried(), "card.mp4"), (png(), "star.png"))
    track = {"id": "t-a", "name": "Card", "first": 0, "path": [[9, 9], [12, 9]]}
    edit(client, identity, do="set-track", layer=low, track=track)
    mask = {"kind": "oval", "id": "m-a", "follow": {"tracks": ["t-a"]}}
    edit(client, identity, do="add-mask", layer=low, mask=mask)
    part = {"kind": "negative", "id": "p-a", "masks": [mask | {"id": "m-b"}]}
    edit(client, identity, do="add-look-part", layer=low, part=part)
    client.post(f"/shots/{identity}/copies", json={"layer": low, "part": "m-a", "to": [high]})
    look = document(client, identity)["layers"][0]["look"]
    edit(client, identity, do="wear-look", layers=[high], look=look, new_id="w-a", of=low)
    star = document(client, identity)["layers"][1]
    given = [star["seam"]["masks"][0], star["look"]["parts"][0]["masks"][0]]
    assert [one["follow"]["layer"] for one in given] == [low, low]
    client.post(f"/shots/{identity}/kept-looks", json={"layer": low, "name": "Kept"})
    kept = client.app.state.context.library.looks.all()[0]
    assert kept.look.parts[0].masks[0].follow.none
