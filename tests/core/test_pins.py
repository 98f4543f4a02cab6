"""Corner pins: where they put a layer, what goes with it, and corners that no plane has."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_goldens import HEIGHT, WIDTH, Drawn, layer, seen, shot
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.picture.pinned import pinned, tangent
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.pins import CORNERS
from velvet_seam.core.shot.shot import Shot

PULLED = {
    "top_left_x": 22,
    "top_left_y": 6,
    "top_right_x": -14,
    "bottom_right_y": -9,
    "bottom_left_x": 4,
}
PLACE = {"x": 70, "y": 44, "scale": 60, "rotation": 20, "flip_x": True}
CROSSED = {"top_left_x": WIDTH, "top_right_x": -WIDTH}


def pinned_shot(pins: dict[str, Any], **more: Any) -> Shot:
    return shot(
        layer("garden", "garden"), layer("top", "card", place={**PLACE, "pins": pins}, **more)
    )


def lying(of: Shot) -> Lying:
    return Lying(of, lambda identity: Drawn(identity.removeprefix("f-")))


def corners_on_canvas(
    of: Shot, frame: int = 6, size: tuple[int, int] = (WIDTH, HEIGHT)
) -> np.ndarray:
    matrix = lying(of).matrix(of.layers[-1], frame)
    own = np.array([[0, 0, 1], [size[0], 0, 1], [size[0], size[1], 1], [0, size[1], 1]], float)
    there = own @ matrix.T
    return there[:, :2] / there[:, 2:]


def test_corners_are_where_they_are_pulled_and_the_layer_lies_between_them():
    of = pinned_shot(PULLED)
    plain = lying(of).plain(of.layers[-1], 6)
    own = [(0, 0), (WIDTH, 0), (WIDTH, HEIGHT), (0, HEIGHT)]
    corners = corners_on_canvas(of)
    for (x, y), name, there in zip(own, CORNERS, corners, strict=True):
        wanted = plain @ [x + PULLED.get(f"{name}_x", 0), y + PULLED.get(f"{name}_y", 0), 1]
        assert there == pytest.approx(wanted[:2], abs=1e-6)
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    grey = engine.picture(engine.plan(of, 6, view="matte", chosen="l-top"))[..., 0]
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    line = np.float32(corners).reshape(-1, 1, 2)
    for j, i in zip(y.ravel(), x.ravel(), strict=True):
        away = cv2.pointPolygonTest(line, (float(i) + 0.5, float(j) + 0.5), measureDist=True)
        if abs(away) > 0.75:
            assert (grey[j, i] > 127) == (away > 0), (i, j)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.floats(-70, 70), min_size=8, max_size=8))
def test_any_corners_give_a_matrix_that_can_be_turned_round_or_none(numbers: list[float]):
    pulled = list(zip(numbers[::2], numbers[1::2], strict=True))
    matrix = pinned(WIDTH, HEIGHT, pulled)
    own = np.array([[0, 0], [WIDTH, 0], [WIDTH, HEIGHT], [0, HEIGHT]], np.float32)
    there = own + np.float32(pulled)
    assert (matrix is not None) == cv2.isContourConvex(there.reshape(-1, 1, 2)) or _narrow(there)
    if matrix is not None:
        reference = cv2.getPerspectiveTransform(own, there)
        assert matrix == pytest.approx(reference, rel=2e-3, abs=2e-3)
        back = np.linalg.inv(matrix)
        assert back @ matrix == pytest.approx(np.eye(3), abs=1e-6)


def _narrow(corners: np.ndarray) -> bool:
    """Whether some corner is all but in a line with its neighbours: then either answer is right."""
    sides = np.roll(corners, -1, 0) - corners
    turns = sides[:, 0] * np.roll(sides, -1, 0)[:, 1] - sides[:, 1] * np.roll(sides, -1, 0)[:, 0]
    return float(np.abs(turns).min()) < 0.01 * WIDTH * HEIGHT


@pytest.mark.parametrize(
    "view", ["joined", "matte", "source", "layer", "dropped", "on-checker", "below"]
)
def test_corners_that_cross_show_nothing_of_the_layer_and_break_nothing(view: str):
    mask = {"kind": "oval", "id": "m-a", "width": 30, "height": 20}
    key = {"kind": "screen-key", "id": "k-a", "colour": "#32a546"}
    of = pinned_shot(CROSSED, seam={"masks": [mask], "matte": [key]}, shutter=180)
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    for video in (False, True):
        picture = engine.picture(engine.plan(of, 6, view=view, chosen="l-top", video=video))
        assert picture.size
    assert np.array_equal(seen(of), seen(shot(layer("garden", "garden"))))
    assert np.isfinite(corners_on_canvas(of)).all()


def test_pins_move_like_any_value():
    keys = {"keys": [{"frame": 0, "value": 0}, {"frame": 10, "value": 40}]}
    of = pinned_shot({"bottom_left_y": keys})
    at_5, plain = corners_on_canvas(of, 5)[3], lying(of).plain(of.layers[-1], 5)
    assert at_5 == pytest.approx((plain @ [0, HEIGHT + 20, 1])[:2], abs=1e-6)
    assert not np.array_equal(seen(of, 2), seen(of, 9))


def test_other_footage_keeps_the_corners_where_they_are_on_the_canvas():
    of = pinned_shot(PULLED)
    before = corners_on_canvas(of)
    edit = {"do": "replace-footage", "target": "l-top", "footage": "f-large", "ratio": 0.5}
    after = apply(of, read_edit(edit))
    large = SimpleNamespace(width=2 * WIDTH, height=2 * HEIGHT)
    matrix = Lying(after, lambda _: large).matrix(after.layers[-1], 6)
    own = np.array(
        [[0, 0, 1], [2 * WIDTH, 0, 1], [2 * WIDTH, 2 * HEIGHT, 1], [0, 2 * HEIGHT, 1]], float
    )
    there = own @ matrix.T
    assert there[:, :2] / there[:, 2:] == pytest.approx(before, abs=1e-3)


def test_a_mask_fixed_to_the_canvas_stays_at_its_point():
    mask = {"kind": "oval", "id": "m-a", "x": 20, "y": -12, "width": 30, "height": 20}
    of = pinned_shot(PULLED, seam={"masks": [mask]})
    top = of.layers[-1]
    lies = lying(of)
    moved = lies.refixed(top.seam.masks[0], top, "canvas", top, 6)
    before = lies.base(top, "layer", 6) @ [20, -12, 1]
    after = lies.base(top, "canvas", 6) @ [moved.x, moved.y, 1]
    assert after[:2] == pytest.approx(before[:2] / before[2], abs=1e-3)


def test_the_tangent_agrees_all_around_its_point():
    matrix = pinned(WIDTH, HEIGHT, [(22, 6), (-14, 0), (0, -9), (4, 0)])
    near = tangent(matrix, 50, 30)
    for x, y in ((50, 30), (50.01, 30), (50, 29.99)):
        wanted = matrix @ [x, y, 1]
        assert (near @ [x, y, 1])[:2] == pytest.approx(wanted[:2] / wanted[2], abs=1e-5)
