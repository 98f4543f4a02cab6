"""Frames with windows: they fill the canvas but for gaps and margins, and layers put into them cover them."""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_goldens import HEIGHT, WIDTH, Drawn, layer, shot
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import AddMask, SetValues, apply
from velvet_seam.core.shot.windows import (
    corners_seen,
    drawn_windows,
    into,
    put,
    window_of,
    windows_of,
)
from velvet_seam.core.sources.openings import Opening, corners_of, openings, slanted

DRAWN = ("box", "oval", "star", "drawn")
LAYOUTS = ("columns", "rows", "grid", "large and small")


@given(
    st.sampled_from(LAYOUTS),
    st.integers(1, 16),
    st.integers(64, 2000),
    st.integers(64, 2000),
    st.floats(0, 3),
    st.floats(0, 3),
)
@settings(max_examples=150, deadline=None)
def test_windows_lie_inside_do_not_overlap_and_leave_only_gaps(
    layout, count, width, height, gap, margin
):
    found = openings(layout, count, (width, height), gap, margin)
    assert len(found) == count
    if min(min(one.width, one.height) for one in found) <= 1:
        return  # so many do not fit: none is narrower than a pixel
    area = 0.0
    for n, one in enumerate(found):
        assert one.left >= margin - 1e-6
        assert one.top >= margin - 1e-6
        assert one.left + one.width <= width - margin + 1e-6
        assert one.top + one.height <= height - margin + 1e-6
        area += one.width * one.height
        for other in found[:n]:
            apart_x = max(one.left, other.left) - min(
                one.left + one.width, other.left + other.width
            )
            apart_y = max(one.top, other.top) - min(one.top + one.height, other.top + other.height)
            assert max(apart_x, apart_y) >= gap - 1e-6
    inner = (width - 2 * margin) * (height - 2 * margin)
    assert area >= inner - gap * (width + height) * count - 1e-3


@given(st.floats(5, 900), st.floats(5, 900), st.integers(8, 4000), st.integers(8, 4000))
@settings(max_examples=100, deadline=None)
def test_what_is_put_into_a_window_is_seen_through_it(wide, high, width, height):
    window = Opening(40.0, 30.0, wide, high)
    scale = max(wide / width, high / height)
    if not 0.011 < scale < 31:
        return
    one = apply(
        shot(layer("a", "garden")),
        SetValues(target="l-a", values=into(window, (width, height), bleed=0)),
    ).layers[0]
    seen = window_of(one, (width, height), 0)
    for name in ("left", "top", "width", "height"):
        assert getattr(seen, name) == pytest.approx(
            getattr(window, name), abs=0.02 + 1e-4 * max(wide, high)
        )


def test_a_frame_shows_each_layer_in_its_window_and_nothing_else():
    frame = {
        **layer("frame", "wall"),
        "source": {"kind": "windows", "count": 2, "gap": 8, "margin": 6, "colour": "#ff00ff"},
    }
    pulled = {"x": 60, "y": 40, "rotation": 9, "pins": {"top_left_x": 40, "bottom_right_y": -30}}
    of = shot(layer("one", "garden", place=pulled), layer("two", "paper"), frame)
    for n, name in enumerate(("l-one", "l-two")):
        source = of.layers[2].source
        found = source.openings(0, (WIDTH, HEIGHT))  # type: ignore[attr-defined]
        for edit in put(of.layer(name), corners_of(found[n]), (WIDTH, HEIGHT)):
            of = apply(of, edit)
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    made = engine.picture(engine.plan(of, 6))[..., :3].astype(int)
    assert (made[:, :5] == (255, 0, 255)).all()
    assert (made[:, WIDTH // 2 - 3 : WIDTH // 2 + 3] == (255, 0, 255)).all()
    one = window_of(of.layers[0], (WIDTH, HEIGHT), 0)
    two = window_of(of.layers[1], (WIDTH, HEIGHT), 0)
    assert one.left + one.width < two.left
    inside = made[10:-10, 12:50]
    assert np.abs(inside - (255, 0, 255)).sum(-1).min() > 20


@given(
    st.sampled_from(["columns", "rows"]), st.integers(2, 6), st.integers(200, 2000), st.integers(200, 2000),
    st.floats(-60, 60), st.floats(0, 20), st.floats(0, 30),
)  # fmt: skip
@settings(max_examples=100, deadline=None)
def test_bars_that_lean_keep_their_width_and_the_margin(
    layout, count, width, height, slant, gap, margin
):
    found = openings(layout, count, (width, height), gap, margin)
    leaning = slanted(layout, found, (width, height), slant, margin)
    assert len(leaning) == count
    side, end = (0, width) if layout == "columns" else (1, height)
    for one in leaning:
        for corner in one:
            assert margin - 1e-6 <= corner[side] <= end - margin + 1e-6
    for one, other in pairwise(leaning):
        # bars lie between the right side of one and the left of the next, or below it and above it
        ends = (
            ((one[1], other[0]), (one[2], other[3]))
            if layout == "columns"
            else ((one[3], other[0]), (one[2], other[1]))
        )
        for a, b in ends:
            apart = b[side] - a[side]
            assert (
                apart == pytest.approx(gap, abs=1e-6)
                or a[side] in (margin, end - margin)
                or b[side] in (margin, end - margin)
            )


def test_layers_in_slanted_windows_are_seen_there_only_and_change_places():
    frame = {
        **layer("frame", "wall"),
        "source": {
            "kind": "windows",
            "count": 2,
            "gap": 8,
            "margin": 0,
            "slant": 25,
            "colour": "#ff00ff",
        },
    }
    of = shot(
        layer("one", "garden"),
        {**layer("two", "paper"), "source": {"kind": "colour", "colour": "#00c020"}},
        frame,
    )
    corners = of.layers[2].source.corners(0, (WIDTH, HEIGHT))  # type: ignore[attr-defined]
    size = (WIDTH, HEIGHT)
    for name, where in zip(("l-one", "l-two"), corners, strict=True):
        for edit in put(of.layer(name), where, size):
            of = apply(of, edit)
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))

    def seen(of) -> tuple[np.ndarray, np.ndarray]:
        made = engine.picture(engine.plan(of, 6))[..., :3].astype(int)
        return (made == (0, 0xC0, 0x20)).all(-1), (made == (255, 0, 255)).all(-1)

    def inside(where) -> np.ndarray:
        mask = np.zeros((HEIGHT, WIDTH), np.uint8)
        cv2.fillPoly(mask, [np.rint(np.array(where) * 16 - 8).astype(np.int32)], 1, shift=4)
        return mask.astype(bool)

    green, bars = seen(of)
    assert (green != inside(corners[1])).mean() < 0.03
    assert 0.04 < bars.mean() < 0.12
    told = np.array(corners_seen(of.layer("l-two"), size, 6))
    assert told == pytest.approx(np.array(corners[1]), abs=0.01)
    for name, where in zip(("l-one", "l-two"), corners[::-1], strict=True):
        for edit in put(of.layer(name), where, size, bleed=0):
            of = apply(of, edit)
    assert len(of.layer("l-two").seam.masks) == 1
    assert (seen(of)[0] != inside(corners[0])).mean() < 0.05
    # an upright window takes the mask away again
    for edit in put(of.layer("l-two"), corners_of(Opening(10, 10, 40, 30)), size):
        of = apply(of, edit)
    assert of.layer("l-two").seam.masks == ()


def test_a_turned_layer_has_no_upright_window():
    place = {"x": 60, "y": 40, "rotation": 12}
    with pytest.raises(Problem, match="turned"):
        window_of(shot(layer("a", "garden", place=place)).layers[0], (WIDTH, HEIGHT), 0)


MASKS = {
    "box": {"width": 44, "height": 30, "round": 6, "rotation": 20},
    "oval": {"width": 50, "height": 34, "rotation": -35},
    "star": {"radius": 26, "points": 5, "inner": 50},
    "drawn": {
        "outline": [
            {"x": -24, "y": -10, "in_x": -6, "in_y": 9, "out_x": 6, "out_y": -9},
            {"x": 22, "y": -14}, {"x": 18, "y": 16, "out_x": -12, "out_y": 8},
        ]
    },
}  # fmt: skip


@pytest.mark.parametrize("fixed", ["layer", "canvas"])
@pytest.mark.parametrize("kind", DRAWN)
def test_a_layer_put_into_a_drawn_window_fills_it_and_nothing_else(kind: str, fixed: str):
    """The frame covers all but the window; the layer, put into it, covers that and a rim under the frame."""
    frame = {
        **layer("frame", "paper"), "source": {"kind": "windows", "layout": "drawn", "colour": "#ff0000"},
    }  # fmt: skip
    of = shot(layer("garden", "garden"), frame)
    mask = {"id": "m-w", "kind": kind, "x": 6, "y": -3, "fixed": fixed, **MASKS[kind]}
    of = apply(of, AddMask.model_validate({"layer": "l-frame", "mask": mask}))
    assert (
        of.layer("l-frame").seam.masks[0].use == "garbage"
    )  # drawn on such a frame, it is a window
    lies = Lying(of, lambda one: Drawn("garden"))
    (window,) = windows_of(
        of.layer("l-frame"), 6, (WIDTH, HEIGHT), lambda to: lies.base(of.layer("l-frame"), to, 6)
    )
    for edit in put(of.layer("l-garden"), window, (WIDTH, HEIGHT)):
        of = apply(of, edit)
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    open_ = 255 - engine.picture(engine.plan(of, 6, view="matte", chosen="l-frame"))[..., 0].astype(
        int
    )
    filled = engine.picture(engine.plan(of, 6, view="matte", chosen="l-garden"))[..., 0].astype(int)
    assert 600 < open_.sum() / 255 < 1600
    assert (filled[open_ == 255] >= 250).all()
    near = cv2.dilate((open_ > 8).astype(np.uint8), np.ones((5, 5), np.uint8))
    assert not filled[near == 0].any()
    again = corners_seen(of.layer("l-garden"), (WIDTH, HEIGHT), 6)
    np.testing.assert_allclose(again, window, atol=1.01)


def test_a_frame_whose_windows_are_drawn_has_none_before_and_passes_over_what_is_no_window():
    frame = layer("frame", "paper") | {"source": {"kind": "windows", "layout": "drawn"}}
    of = shot(frame)
    for mask in (
        {"id": "m-a", "kind": "straight"}, {"id": "m-b", "kind": "oval", "on": False},
        {"id": "m-c", "kind": "oval", "use": "keep"}, {"id": "m-d", "kind": "box", "invert": True},
    ):  # fmt: skip
        of = apply(of, AddMask.model_validate({"layer": "l-frame", "mask": mask}))
    assert drawn_windows(of.layer("l-frame")) == []
    with pytest.raises(Problem, match="no frame"):
        windows_of(shot(layer("g", "garden")).layers[0], 0, (WIDTH, HEIGHT), lambda to: np.eye(3))
