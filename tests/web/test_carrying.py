"""A drawn outline carried on over the wire: along what it goes round, forward and backward, as keyframes."""

from __future__ import annotations

import numpy as np
import pytest
from fastapi.testclient import TestClient

from tests.web.test_holding import ended
from tests.web.test_nesting import document
from tests.web.test_requests import edit
from tests.web.test_tracking import CANVAS, SIZE, carried, moved, new_shot
from velvet_seam.core.masks import DrawnMask
from velvet_seam.core.shot.carry import carried_outline, in_source

RING = np.array(
    [
        [145, 125],
        [200, 122],
        [255, 126],
        [257, 170],
        [254, 215],
        [200, 217],
        [146, 214],
        [143, 170.0],
    ]
)
"""Points along the rim of the card in its first frame."""


def ring(n: int) -> np.ndarray:
    made = np.column_stack([RING, np.ones(len(RING))]) @ moved(n).T
    return made[:, :2] / made[:, 2:]


def mask_at(n: int) -> dict:
    """A mask drawn round the card in a frame, with its own turn."""
    middle = ring(n).mean(0)
    turn = np.radians(20)
    back = np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    own = (ring(n) - middle) @ back.T
    return {
        "kind": "drawn", "id": "m-a", "x": float(middle[0] - SIZE[0] / 2), "y": float(middle[1] - SIZE[1] / 2),
        "rotation": 20, "outline": [{"x": float(x), "y": float(y), "out_x": 6, "in_x": -6} for x, y in own],
    }  # fmt: skip


def seen(shot: dict, frame: int) -> np.ndarray:
    mask = DrawnMask.model_validate(shot["layers"][0]["seam"]["masks"][0])
    return in_source(mask, frame, SIZE)


def test_an_outline_is_carried_on_and_back(client: TestClient):
    shot, (layer,) = new_shot(client, CANVAS, (carried(), "card.mp4"))
    edit(client, shot, do="add-mask", layer=layer, mask=mask_at(12))
    assert np.abs(seen(document(client, shot), 12) - ring(12)).max() < 0.01
    for frames in (15, -12):
        body = {"layer": layer, "mask": "m-a", "frame": 12, "frames": frames}
        assert client.post(f"/shots/{shot}/carry", json=body).status_code == 200
        told = ended(client, shot, "carry")
        assert told["state"] == "done", told
        assert f"over {abs(frames)} frames" in told["sentence"]
    now = document(client, shot)
    keys = now["layers"][0]["seam"]["masks"][0]["outline"]["keys"]
    assert [key["frame"] for key in keys] == list(range(28))
    off = [np.hypot(*(seen(now, n) - ring(n)).T) for n in range(28)]
    assert np.median(off) < 1
    assert np.quantile(off, 0.95) < 3
    # handles turn with what they lie on
    a, b = (keys[n]["value"][0] for n in (0, 27))
    turned = np.degrees(np.arctan2(b["out_y"], b["out_x"]) - np.arctan2(a["out_y"], a["out_x"]))
    assert turned == pytest.approx(0.6 * 27, abs=4)
    client.post(f"/shots/{shot}/undo", json={})
    assert len(document(client, shot)["layers"][0]["seam"]["masks"][0]["outline"]["keys"]) == 16


def test_what_is_set_elsewhere_stays(client: TestClient):
    mask = DrawnMask.model_validate(mask_at(0))
    held = carried_outline(mask, 0, {9: (ring(9), np.tile(np.eye(2), (8, 1, 1)))}, SIZE)
    more = mask.model_copy(update={"outline": held})
    now = carried_outline(more, 2, {3: (ring(3), np.tile(np.eye(2), (8, 1, 1)))}, SIZE)
    assert [key.frame for key in now.keys] == [0, 2, 3, 9]
    assert (
        np.abs(in_source(more.model_copy(update={"outline": now}), 9, SIZE) - ring(9)).max() < 0.02
    )


def test_what_cannot_be_carried_on_is_refused(client: TestClient):
    shot, (layer,) = new_shot(client, CANVAS, (carried(), "card.mp4"))
    edit(client, shot, do="add-mask", layer=layer, mask={"kind": "box", "id": "m-b"})
    edit(client, shot, do="add-mask", layer=layer, mask={**mask_at(0), "fixed": "canvas"})
    for mask, sentence, status in (
        ("m-b", "Only a drawn outline", 422), ("m-a", "Fix the mask", 422), ("m-no", "no longer there", 404),
    ):  # fmt: skip
        answer = client.post(
            f"/shots/{shot}/carry", json={"layer": layer, "mask": mask, "frame": 0}
        )
        assert answer.status_code == status
        assert sentence in answer.json()["problem"]
    edit(client, shot, do="set-values", target=layer, values={"seam.masks.m-a.fixed": "layer"})
    last = client.post(
        f"/shots/{shot}/carry", json={"layer": layer, "mask": "m-a", "frame": 39, "frames": 5}
    )
    assert "no frame there" in last.json()["problem"]
