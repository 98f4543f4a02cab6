"""Curves that move: between two keyframes each point goes where it is next, and no edit forgets them."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.test_goldens import layer, seen, shot
from velvet_seam.core.looks.curve_points import (
    MOST_POINTS,
    STRAIGHT,
    CurveKey,
    CurveKeys,
    Points,
    curve_at,
    drawn,
)
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import (
    ChangeRate,
    KeyHere,
    MoveKeys,
    PasteKeys,
    RemoveKeys,
    SetValues,
    apply,
)
from velvet_seam.core.shot.shot import Shot, load

AT = "look.parts.p-a.master"
DARK, BRIGHT = ((0.0, 0.0), (0.5, 0.2), (1.0, 1.0)), ((0.0, 0.0), (0.5, 0.8), (1.0, 1.0))


@st.composite
def curves(draw: st.DrawFn) -> Points:
    xs = draw(st.lists(st.integers(0, 500), min_size=2, max_size=MOST_POINTS, unique=True))
    levels = st.floats(0, 1)
    return tuple((x / 500, draw(levels)) for x in sorted(xs))


@given(curves(), curves(), st.floats(0, 10))
def test_between_two_curves_lies_a_curve(one: Points, other: Points, frame: float):
    keys = (CurveKey(frame=0, value=one), CurveKey(frame=10, value=other))
    between = curve_at(CurveKeys(keys=keys), frame)
    assert 2 <= len(between) <= MOST_POINTS
    assert all(b[0] - a[0] > 0 for a, b in pairwise(between))
    assert all(0 <= x <= 1 and 0 <= y <= 1 for x, y in between)
    if frame in (0, 10):
        assert between == (one, other)[frame == 10]
    if len({*(p[0] for p in one), *(p[0] for p in other)}) <= MOST_POINTS and len(one) != len(
        other
    ):
        # where either has a point, it is the mean of both
        levels = np.array([x for x, _ in between])
        part = frame / 10
        want = (1 - part) * drawn(one, levels) + part * drawn(other, levels)
        if 0 < frame < 10:
            np.testing.assert_allclose([y for _, y in between], want, atol=1e-9)


def graded(**part: object) -> Shot:
    look = {"parts": [{"kind": "curves", "id": "p-a", **part}]}
    return shot({**layer("garden", "garden"), "look": look})


def test_a_curve_that_moves_is_the_curves_it_moves_between():
    keys = [{"frame": 0, "value": DARK, "ease": "linear"}, {"frame": 10, "value": BRIGHT}]
    of = graded(master={"keys": keys})
    np.testing.assert_array_equal(seen(of, 0), seen(graded(master=DARK), 0))
    np.testing.assert_array_equal(seen(of, 11), seen(graded(master=BRIGHT), 11))
    middle = seen(graded(master=((0.0, 0.0), (0.5, 0.5), (1.0, 1.0))), 5)
    assert np.abs(seen(of, 5).astype(int) - middle).max() <= 1
    assert load(of.model_dump_json()) == of


def test_it_is_keyed_changed_moved_copied_and_let_go():
    of = apply(graded(), KeyHere(target="l-garden", paths=(AT,), frame=2))
    of = apply(of, SetValues(target="l-garden", values={AT: DARK}, at=8))
    curve = of.layer("l-garden").look.parts[0].master
    assert [key.frame for key in curve.keys] == [2, 8]
    assert curve.keys[0].value == STRAIGHT
    of = apply(of, MoveKeys(target="l-garden", keys={AT: (8,)}, by=2))
    of = apply(
        of, PasteKeys(target="l-garden", at=1, keys={AT: {"keys": [{"frame": 4, "value": BRIGHT}]}})
    )
    curve = of.layer("l-garden").look.parts[0].master
    assert [key.frame for key in curve.keys] == [2, 5, 10]
    faster = apply(of, ChangeRate(rate="50"))
    assert [key.frame for key in faster.layer("l-garden").look.parts[0].master.keys] == [4, 10, 20]
    of = apply(of, RemoveKeys(target="l-garden", keys={AT: (2, 5, 10)}))
    assert of.layer("l-garden").look.parts[0].master == DARK
    with pytest.raises(Problem, match="another kind"):
        apply(
            of, PasteKeys(target="l-garden", at=0, keys={AT: {"keys": [{"frame": 0, "value": 3}]}})
        )


@pytest.mark.parametrize(
    "keys",
    [[], [{"frame": 3, "value": DARK}, {"frame": 3, "value": DARK}], [{"frame": 0, "value": [[0, 0]]}],
     [{"frame": 0, "value": [[0.5, 0], [0.2, 1]]}], [{"frame": 0, "value": [[0, 0], [1, 7]]}]],
)  # fmt: skip
def test_what_is_no_curve_over_time_is_refused(keys: list[dict[str, object]]):
    with pytest.raises(ValidationError):
        graded(master={"keys": keys})
