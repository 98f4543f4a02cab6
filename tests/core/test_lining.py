"""A layer put where a line-up says, and seen against another one."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_goldens import HEIGHT, WIDTH, Drawn, layer, shot
from velvet_seam.core.engine.comparing import against
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.lining import held_still, lined_up
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.picture.pinned import tangent
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.warps import Model, moved_along
from velvet_seam.core.shot.edits import SetValues, apply
from velvet_seam.core.shot.in_time import lag, moved_by
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.at import At

UNIT = np.array([[1, 0, -60], [0, 1, -40], [0, 0, 60.0]]) / 60


def change_of(model: Model, seed: int) -> np.ndarray:
    count = {"shift": 2, "turn": 3, "stretch": 4, "plane": 8}[model]
    step = np.random.default_rng(seed).normal(0, 0.06, count)
    made = np.linalg.inv(UNIT) @ moved_along(model, step) @ UNIT
    return np.asarray(made / made[2, 2])


def lying(of: Shot) -> Lying:
    return Lying(of, lambda identity: Drawn(identity.removeprefix("f-")))


@given(
    st.sampled_from(("shift", "turn", "stretch", "plane")), st.integers(0, 9999), st.booleans(), st.booleans(),
    st.booleans(), st.booleans(), st.booleans(),
)  # fmt: skip
@settings(max_examples=80)
def test_a_layer_is_moved_on_the_canvas_by_just_that_change(
    model: Model, seed: int, flipped: bool, keyed: bool, pulled: bool, filmed: bool, stirred: bool
):
    rng = np.random.default_rng(seed)
    place: dict[str, Any] = {
        "x": float(rng.uniform(30, 90)), "y": float(rng.uniform(20, 60)), "scale": float(rng.uniform(40, 180)),
        "rotation": float(rng.uniform(-60, 60)), "flip_x": flipped,
    }  # fmt: skip
    if keyed and model != "plane":
        place["x"] = {
            "keys": [{"frame": 0, "value": 20.0, "ease": "hold"}, {"frame": 11, "value": 90.0}]
        }
        place["y"] = {
            "keys": [{"frame": 3, "value": 20.0, "ease": "smooth"}, {"frame": 8, "value": 60.0}]
        }
        place["rotation"] = {"keys": [{"frame": 0, "value": 0.0}, {"frame": 11, "value": 30.0}]}
    if pulled:
        place["pins"] = {"top_left_x": 9, "bottom_right_y": -7}
    astray = {
        "stir": {"shake": 30.0, "turn": 9.0, "jitter": 6.0},
        "leave": {"way": "grow", "frames": 11},
    }
    layers = [layer("a", "garden", place=place, **astray if stirred else {})]
    if filmed:
        layers.append({
            **layer("camera", "wall"), "source": {"kind": "camera"},
            "place": {"x": 55, "y": 44, "scale": 120, "rotation": 8},
        })  # fmt: skip
    of = shot(*layers)
    change = change_of(model, seed)
    values = lined_up(lying(of), of.layer("l-a"), 4, change, model)
    after = apply(of, SetValues(target="l-a", values=values))
    corners = np.array([(0, 0, 1), (WIDTH, 0, 1), (WIDTH, HEIGHT, 1), (0, HEIGHT, 1.0)])

    def on_canvas(one: Shot) -> np.ndarray:
        lies, thing = lying(one), one.layer("l-a")
        camera = lies.camera(thing, 4)
        matrix = lies.matrix(thing, 4) if camera is None else camera @ lies.matrix(thing, 4)
        seen = corners @ matrix.T
        return seen / seen[:, 2:]

    want = on_canvas(of) @ change.T
    assert np.abs(on_canvas(after) - want / want[:, 2:]).max() < 0.01


@given(
    st.integers(0, 9999),
    st.booleans(),
    st.booleans(),
    st.booleans(),
    st.sampled_from([None, "l-b"]),
)
@settings(max_examples=40)
def test_what_is_locked_off_stands_still_and_what_shakes_with_another_moves_as_it_does(
    seed: int, flipped: bool, pulled: bool, keyed: bool, other: str | None
):
    """Where a layer's middle is; all around it, as far as a place can say it."""
    rng = np.random.default_rng(seed)
    pins = {"top_left_x": 9, "bottom_right_y": -7} if pulled else {}
    x: Any = {"keys": [{"frame": 0, "value": 20}, {"frame": 11, "value": 90}]} if keyed else 50.0
    places = [
        {"x": x, "y": 44, "scale": 80, "rotation": 20, "flip_x": flipped, "pins": pins},
        {"x": 70, "y": 30, "scale": 50, "rotation": -35, "pins": pins},
    ]
    of = shot(layer("a", "garden", place=places[0]), layer("b", "garden", place=places[1]))
    about = np.array([[1, 0, -WIDTH / 2], [0, 1, -HEIGHT / 2], [0, 0, 1.0]])
    warps = {
        n: np.linalg.inv(about) @ moved_along("stretch", rng.normal(0, 0.1, 4) * [40, 40, 1, 1]) @ about
        for n in range(2, 9)
    }  # fmt: skip
    lies, one, follows = lying(of), of.layer("l-a"), of.layer("l-b") if other else None
    after = apply(of, SetValues(target="l-a", values=held_still(lies, one, 5, warps, follows)))
    then, at = lies.matrix(one, 5), At(5)
    middle = np.linalg.inv(then) @ [at(one.place.x), at(one.place.y), 1]

    def near(matrix: np.ndarray, point: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Where a point comes to lie, and how what is around it turns and grows."""
        row = tangent(matrix, *(point / point[2])[:2])
        return (row @ (point / point[2]))[:2], row[:2, :2]

    for number, warp in warps.items():
        now = lying(after).matrix(after.layer("l-a"), number)
        if follows is None:
            there = np.linalg.inv(warp) @ middle
            made, want = near(now @ warp, there), near(then, there)
        else:
            seen = lies.matrix(follows, 5)
            made, want = near(now, middle), near(seen @ warp @ np.linalg.inv(seen) @ then, middle)
        assert np.abs(made[0] - want[0]).max() < 0.01
        if not pulled:  # in perspective what is around it is sheared, too, which no place can say
            assert np.abs(made[1] - want[1]).max() < 1e-3


def test_corners_that_move_are_not_pulled():
    pins = {"top_left_x": {"keys": [{"frame": 0, "value": 0}, {"frame": 5, "value": 9}]}}
    of = shot(layer("a", "garden", place={"x": 60, "y": 40, "pins": pins}))
    with pytest.raises(Problem, match="corners of this layer move"):
        lined_up(lying(of), of.layer("l-a"), 0, change_of("plane", 1), "plane")


def pictures(of: Shot, how: str, **more: Any) -> np.ndarray:
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    view: Any = f"compare-{how}"
    return engine.picture(engine.plan(of, 6, view=view, chosen="l-b", **more)).astype(int)


def test_two_layers_are_seen_against_each_other_before_anything_is_cut_out():
    cut = {"masks": [{"kind": "oval", "id": "m-a", "width": 20, "height": 20}]}
    of = shot(
        layer("a", "garden"),
        layer("b", "garden", seam=cut, look={"parts": [{"kind": "negative", "id": "p-a"}]}),
    )
    upper, lower = pictures(of, "upper"), pictures(of, "lower")
    np.testing.assert_array_equal(upper, lower)  # neither mask nor look
    assert not pictures(of, "difference")[..., :3].any()
    assert np.abs(pictures(of, "half") - upper).max() <= 1
    moved = apply(of, SetValues(target="l-b", values={"place.x": WIDTH / 2 + 3}))
    gentle, strong = (pictures(moved, "difference", gain=gain)[..., :3] for gain in (1, 8))
    inside = (slice(4, -4), slice(8, -8))
    assert gentle[inside].max() > 20
    assert (strong[inside] >= gentle[inside]).all()
    edges = pictures(moved, "outlines")
    assert (edges[..., 0] > edges[..., 2] + 40).any()  # this layer's
    assert (edges[..., 2] > edges[..., 0] + 40).any()  # the other's
    assert (pictures(of, "outlines")[..., :3].std(-1) < 40).all()  # where all meet


def test_what_a_layer_is_compared_with():
    of = shot(
        layer("deep", "wall"), layer("a", "garden", span={"first": 0, "last": 3}),
        {**layer("flat", "wall"), "source": {"kind": "colour", "colour": "#123456"}}, layer("b", "card"), layer("top", "paper"),
    )  # fmt: skip
    name = lambda frame, wished=None: against(of, of.layer("l-b"), frame, wished).name  # noqa: E731
    assert name(2) == "a"
    assert name(8) == "deep"  # where the other is not there any more
    assert name(8, "l-top") == "top"
    assert name(8, "l-b") == "deep"  # not itself
    only = shot(layer("b", "card"))
    assert against(only, only.layer("l-b"), 0) is None
    assert pictures(only, "difference")[..., :3].std() == 0


@given(
    st.integers(0, 40),
    st.integers(0, 40),
    st.fractions(-3, 3),
    st.sampled_from(("25", "24000/1001", "60")),
)
@settings(max_examples=80)
def test_moved_in_time_what_happens_in_both_happens_at_once(
    first: int, other: int, offset: Fraction, rate: str
):
    offset = offset.limit_denominator(48_000)
    of = shot(
        layer("a", "card", span={"first": other, "last": other + 200}, time={"source_in": "1/3"}),
        layer("b", "card", span={"first": first, "last": first + 300}, time={"source_in": "2/7"}), rate=rate, length=900,
    )  # fmt: skip
    a, b = of.layer("l-a"), of.layer("l-b")
    by = lag(b, a, offset, of.rate)
    after = of
    for edit in moved_by(b, by, of.rate):
        after = apply(after, edit)
    moved = after.layer("l-b")
    assert moved.span.first >= 0
    event = Fraction(5)  # of a's footage; in b's it is offset later
    at_a = Fraction(a.span.first) / of.rate + event - a.time.source_in
    at_b = Fraction(moved.span.first) / of.rate + event + offset - moved.time.source_in
    assert abs(at_a - at_b) < Fraction(1, 1_000_000)


def test_a_clip_at_another_speed_is_not_put_in_time_and_nothing_is_left_before_the_shot():
    of = shot(layer("a", "card"), layer("b", "card", time={"speed": 50}))
    with pytest.raises(Problem, match="its own speed"):
        lag(of.layer("l-b"), of.layer("l-a"), Fraction(0), of.rate)
    with pytest.raises(Problem, match="wholly before"):
        moved_by(of.layer("l-a"), Fraction(-5), of.rate)
