"""A camera: what lies below it moves as one, what lies far away less; what lies above stands still."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_goldens import HEIGHT, WIDTH, Drawn, layer, shot
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.shot.shot import Shot

MIDDLE = {"x": WIDTH / 2, "y": HEIGHT / 2}


def camera(**place: Any) -> dict[str, Any]:
    return {**layer("camera", "wall", place={**MIDDLE, **place}), "source": {"kind": "camera"}}


def seen(of: Shot, frame: int = 6) -> np.ndarray:
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    return engine.picture(engine.plan(of, frame))[..., :3].astype(int)


def lying(of: Shot, frame: float = 6) -> np.ndarray:
    """Where the middle of the lowest layer and a point beside it are seen on the canvas."""
    lies = Lying(of, lambda identity: Drawn(identity.removeprefix("f-")))
    low = of.layers[0]
    matrix = lies.seen(low, frame)
    by = lies.camera(low, frame)
    return (matrix if by is None else by @ matrix) @ np.array([[60, 70], [40, 40], [1, 1.0]])


GARDEN = layer("garden", "garden", place={"x": 50, "y": 30, "scale": 60})
DISC = layer("disc", "paper", place={"x": 80, "y": 44, "scale": 50})


def test_a_camera_that_stands_in_the_middle_changes_no_bit():
    assert (seen(shot(GARDEN, DISC, camera())) == seen(shot(GARDEN, DISC))).all()


def test_what_lies_below_moves_as_one_and_what_lies_above_stands_still():
    turn = np.radians(20)
    about = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]) * 1.5

    def moved(one: dict[str, Any]) -> dict[str, Any]:
        old = one["place"]
        x, y = about @ (np.array([old["x"], old["y"]]) - (60, 40)) + (70, 35)
        return {**one, "place": {"x": x, "y": y, "scale": old["scale"] * 1.5, "rotation": 20}}

    title = layer("title", "paper", place={"x": 20, "y": 20, "scale": 20})
    by = camera(x=70, y=35, scale=150, rotation=20)
    alike = seen(shot(moved(GARDEN), moved(DISC), title))
    assert np.abs(seen(shot(GARDEN, DISC, by, title)) - alike).max() <= 1


@pytest.mark.parametrize(("depth", "part"), [(100, 0.5), (-50, 2.0), (300, 0.25), (0, 1.0)])
def test_what_lies_deeper_moves_and_grows_less(depth: float, part: float):
    far = {**GARDEN, "place": {**GARDEN["place"], "depth": depth}}
    still, moved = (lying(shot(far, camera(x=60 + x))) for x in (0, 10))
    assert moved[:2, 0] - still[:2, 0] == pytest.approx([10 * part, 0])
    grown = lying(shot(far, camera(scale=200)))
    assert np.diff(grown[0])[0] / np.diff(still[0])[0] == pytest.approx(2**part)


def test_a_camera_acts_in_its_span_while_it_is_seen_and_after_the_one_below_it():
    by = camera(x=75)
    assert (seen(shot(GARDEN, {**by, "hidden": True})) == seen(shot(GARDEN))).all()
    early = {**by, "span": {"first": 0, "last": 5}}
    assert (seen(shot(GARDEN, early)) == seen(shot(GARDEN))).all()
    assert (seen(shot(GARDEN, early), 5) != seen(shot(GARDEN), 5)).any()
    both = shot(GARDEN, camera(x=75), {**camera(scale=200), "id": "l-second"})
    assert lying(both)[:2, 0] == pytest.approx([60 + 2 * (50 + 15 - 60), 40 + 2 * (30 - 40)])


def test_a_camera_moves_by_keys_and_blurs_what_it_moves():
    keys = {"keys": [{"frame": 0, "value": 60}, {"frame": 10, "value": 100}]}
    of = shot(GARDEN, camera(x=keys))
    assert lying(of, 5)[0, 0] == pytest.approx(50 + 20)
    blurred = shot(GARDEN, {**camera(x=keys), "shutter": 360})
    assert (
        np.abs(np.diff(seen(blurred), axis=1)).sum()
        < 0.95 * np.abs(np.diff(seen(of), axis=1)).sum()
    )


def test_a_mask_on_the_canvas_moves_with_what_it_masks():
    mask = {"id": "m", "kind": "box", "x": 0, "y": 0, "width": 40, "height": 30, "fixed": "canvas"}
    masked = layer("a", "garden", seam={"masks": [mask]})
    still = seen(shot(masked))
    moved = seen(shot(masked, camera(x=68, y=44)))
    assert np.abs(still[20:60, 30:90] - moved[24:64, 38:98]).max() <= 1


def test_an_adjustment_below_a_camera_moves_with_it():
    look = {"parts": [{"id": "p", "kind": "negative"}]}
    box = {"id": "m", "kind": "box", "x": -20, "y": 0, "width": 30, "height": 30}
    turned = {
        **layer("turned", "wall"), "source": {"kind": "adjustment"}, "look": look,
        "seam": {"masks": [box]},
    }  # fmt: skip
    still, moved = seen(shot(GARDEN, turned)), seen(shot(GARDEN, turned, camera(x=70, y=45)))
    assert np.abs(still[10:70, 10:90] - moved[15:75, 20:100]).max() <= 1


@settings(max_examples=60, deadline=None)
@given(
    st.floats(-200, 300), st.floats(-200, 300), st.floats(5, 900), st.floats(-180, 180), st.floats(-80, 900),
)  # fmt: skip
def test_the_page_is_told_where_a_layer_is_seen(x, y, scale, turn, depth):
    of = shot({**GARDEN, "place": {**GARDEN["place"], "depth": depth}},
              camera(x=x, y=y, scale=scale, rotation=turn))  # fmt: skip
    told = Lying(of, lambda identity: Drawn(identity.removeprefix("f-"))).stray(of.layers[0], 6)
    assert told.camera is not None
    by = np.array(told.camera).reshape(3, 3)
    assert (by @ [50, 30, 1])[:2] == pytest.approx(lying(of)[:2, 0], abs=1e-6)
