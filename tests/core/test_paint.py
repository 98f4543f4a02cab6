"""Paint: strokes cover what the brush went over, in their order, and write themselves."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.test_generated import only, picture
from tests.core.test_goldens import HEIGHT, WIDTH
from velvet_seam.core.picture.strokes import stroked
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.sources.paint import PaintSource, Stroke


def paint(*strokes: dict[str, Any], **more: Any) -> np.ndarray:
    return picture(only({"kind": "paint", "strokes": list(strokes), **more}), 8, "matte")[
        ..., 0
    ].astype(int)


@given(
    st.lists(st.tuples(st.floats(-20, 120), st.floats(-20, 90)), min_size=1, max_size=6),
    st.floats(0.5, 30),
    st.floats(0, 1),
)
@settings(max_examples=60, deadline=None)
def test_coverage_follows_from_the_distance_to_the_line(points, radius, hardness):
    made = stroked(np.array(points, np.float64), (100, 70), radius, hardness)
    y, x = np.mgrid[:70, :100] + 0.5
    far = np.full((70, 100), np.inf)
    pieces = list(pairwise(points)) or [(points[0], points[0])]
    for (ax, ay), (bx, by) in pieces:
        dx, dy = bx - ax, by - ay
        t = np.clip(((x - ax) * dx + (y - ay) * dy) / max(dx * dx + dy * dy, 1e-6), 0, 1)
        far = np.minimum(far, np.hypot(x - ax - t * dx, y - ay - t * dy))
    soft = max(1.0, radius * (1 - hardness) + 0.5)
    t = np.clip((max(radius, 0.5) + 0.5 - far) / soft, 0, 1)
    want = 255 * t * t * (3 - 2 * t)
    whole = np.zeros((70, 100))
    if made is not None:
        left, top, plane = made
        whole[top : top + plane.shape[0], left : left + plane.shape[1]] = plane
    assert np.abs(whole - want).max() <= 2


def test_a_later_stroke_lies_over_an_earlier_one_and_an_eraser_takes_it_away():
    line = [[-50, 0], [50, 0]]
    red, blue = (
        {"points": line, "width": 20, "colour": "#ff0000"},
        {"points": [[0, -30], [0, 30]], "width": 12, "colour": "#0000ff"},
    )
    made = picture(only({"kind": "paint", "strokes": [red, blue]}), 0)
    assert tuple(made[HEIGHT // 2, WIDTH // 2]) == (0, 0, 255)
    assert tuple(made[HEIGHT // 2, WIDTH // 2 - 30]) == (255, 0, 0)
    gone = paint(red, {**blue, "erase": True})
    assert gone[HEIGHT // 2, WIDTH // 2] == 0
    assert gone[HEIGHT // 2, WIDTH // 2 - 30] == 255


def test_it_writes_itself_from_stroke_to_stroke():
    strokes = [{"points": [[-40, y], [40, y]], "width": 6, "hardness": 100} for y in (-20, 20)]
    whole, last = paint(*strokes), -1
    for written in (0, 25, 50, 75, 100):
        plane = paint(*strokes, written=written)
        assert plane.sum() > last
        assert (plane <= whole).all()
        assert abs(plane.sum() / max(whole.sum(), 1) - written / 100) < 0.05
        last = plane.sum()
    half = paint(*strokes, written=50)
    assert half[: HEIGHT // 2].sum() > 0 == half[HEIGHT // 2 :].sum()


def test_it_trembles_at_its_rate_and_the_same_way_each_time():
    source = {
        "kind": "paint",
        "strokes": [{"points": [[-40, 0], [0, 20], [40, 0]], "width": 5}],
        "jitter": 6,
        "rate": 5,
    }
    frames = [picture(only(source), n) for n in range(12)]
    for n in range(12):
        np.testing.assert_array_equal(frames[n], frames[n // 5 * 5])
    assert (frames[0] != frames[5]).any()
    assert (frames[5] != frames[10]).any()


def test_bad_strokes_are_refused_and_many_points_are_drawn():
    for bad in (
        {"points": []},
        {"points": [[0, 1e9]]},
        {"points": [[0, 0]], "width": 0},
        {"points": [[0, 0]] * 100_000},
    ):
        with pytest.raises(ValidationError):
            Stroke.model_validate(bad)
    angles = np.linspace(0, 60, 4000)
    spiral = [[float(a * np.cos(a)), float(a * np.sin(a))] for a in angles]
    assert paint({"points": spiral, "width": 3}).sum() > 0
    shot = only({"kind": "paint"})
    after = apply(
        shot,
        read_edit({"do": "add-stroke", "layer": "l-a", "stroke": {"points": [[0, 0], [9, 9]]}}),
    )
    source = after.layers[0].source
    assert isinstance(source, PaintSource)
    assert len(source.strokes) == 1
    full = source.model_copy(update={"strokes": source.strokes * 400})
    with pytest.raises(ValueError, match="at most 400"):
        apply(after.model_copy(update={"layers": (after.layers[0].model_copy(update={"source": full}),)}),
              read_edit({"do": "add-stroke", "layer": "l-a", "stroke": {"points": [[0, 0]]}}))  # fmt: skip
