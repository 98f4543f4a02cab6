"""Keyframes and eases: against numeric references, and what edits of them keep."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velvet_seam.core.picture.outline import flattened
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.shot import Shot, load
from velvet_seam.core.timing.animated import Keyframe, Keyframes, integral, value_at
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.ease import CURVES, area, eased

curves = st.tuples(st.floats(0, 1), st.floats(-1, 2), st.floats(0, 1), st.floats(-1, 2))
eases = st.one_of(st.sampled_from(["hold", "linear", "smooth", "slow-start", "slow-end"]), curves)


def points_of(curve, count=200_001):
    s = np.linspace(0, 1, count)
    x1, y1, x2, y2 = curve
    return (
        3 * (1 - s) ** 2 * s * x1 + 3 * (1 - s) * s**2 * x2 + s**3,
        3 * (1 - s) ** 2 * s * y1 + 3 * (1 - s) * s**2 * y2 + s**3,
    )


@settings(max_examples=60, deadline=None)
@given(curves, st.floats(0, 1))
def test_a_drawn_curve_is_the_one_of_its_points(curve, t):
    x, y = points_of(curve)
    at = np.searchsorted(x, t)
    low, high = max(at - 2, 0), min(at + 2, len(x) - 1)
    around = y[low : high + 1]
    assert around.min() - 1e-9 <= eased(curve, t) <= around.max() + 1e-9


@settings(max_examples=40, deadline=None)
@given(eases, st.fractions(0, 1, max_denominator=50))
def test_the_area_is_that_of_small_strips(ease, t):
    middles = (np.arange(4000) + 0.5) / 4000 * float(t)
    strips = sum(eased(ease, float(m)) for m in middles) * float(t) / 4000
    assert float(area(ease, t)) == pytest.approx(strips, abs=2e-5)


@pytest.mark.parametrize("name", CURVES)
def test_named_eases_are_their_curves_and_never_overshoot(name):
    values = [eased(name, k / 64) for k in range(65)]
    drawn = [eased(CURVES[name], k / 64) for k in range(65)]
    assert values == pytest.approx(drawn, abs=1e-12)
    assert values == sorted(values)
    assert (values[0], values[-1]) == (0, 1)


keyframes = st.lists(
    st.tuples(st.integers(-40, 80), st.floats(-300, 300), eases),
    min_size=1, max_size=6, unique_by=lambda k: k[0],
).map(lambda ks: Keyframes(keys=[Keyframe(frame=f, value=v, ease=e) for f, v, e in ks]))  # fmt: skip


@settings(max_examples=30, deadline=None)
@given(keyframes, st.integers(-60, 120))
def test_the_integral_is_that_of_small_strips(value, frame):
    n = 64 * max(1, abs(frame))
    strips = sum(value_at(value, (k + 0.5) / n * frame) for k in range(n)) * frame / n
    assert float(integral(value, frame)) == pytest.approx(strips, abs=0.05 * (1 + abs(frame)))


@settings(max_examples=30, deadline=None)
@given(keyframes, st.integers(-60, 120), st.integers(-60, 120))
def test_integrals_add_up_exactly(value, a, b):
    steps = integral(value, b) - integral(value, a)
    shifted = Keyframes(
        keys=[Keyframe(frame=k.frame - a, value=k.value, ease=k.ease) for k in value.keys]
    )
    drawn = any(not isinstance(k.ease, str) for k in value.keys)
    apart = abs(integral(shifted, b - a) - steps)
    assert apart < Fraction(1, 10**6) if drawn else apart == 0


@pytest.fixture
def shot() -> Shot:
    outline = [{"x": x, "y": y} for x, y in ((-50, -50), (50, -50), (50, 50), (-50, 50))]
    mask = {"kind": "drawn", "id": "m-one", "outline": outline}
    layer = {
        "id": "l-one", "name": "One", "source": {"kind": "colour", "colour": "#ffffff"},
        "span": {"first": 10, "last": 60}, "place": {"x": 32, "y": 32}, "seam": {"masks": [mask]},
    }  # fmt: skip
    return Shot.model_validate(
        {"name": "S", "canvas": {"width": 64, "height": 64}, "rate": "25", "length": 100,
         "layers": [layer]}
    )  # fmt: skip


def do(shot: Shot, name: str, **fields) -> Shot:
    edit = read_edit({"do": name, **fields})
    assert "One" in edit.words(shot)
    after = apply(shot, edit)
    assert load(after.model_dump_json()) == after
    return after


def frames(shot: Shot, path: str) -> list[int]:
    return [key.frame for key in value(shot, path).keys]


def value(shot: Shot, path: str):
    found = shot.layers[0]
    for step in path.split("."):
        found = found[0] if isinstance(found, tuple) else getattr(found, step)
    return found


def test_a_number_gets_keyframes_and_loses_them(shot):
    keyed = do(shot, "key-here", target="l-one", paths=["place.x"], frame=0)
    keyed = do(keyed, "set-values", target="l-one", values={"place.x": 52}, at=20)
    assert value_at(keyed.layers[0].place.x, 10) == 42
    nudged = do(keyed, "set-values", target="l-one", values={"place.x": 60}, at=10)
    assert frames(nudged, "place.x") == [0, 10, 20]
    whole = do(keyed, "set-values", target="l-one", values={"place.x": 50}, at=10, along=True)
    assert [key.value for key in whole.layers[0].place.x.keys] == [40, 60]
    still = do(keyed, "set-values", target="l-one", values={"place.x": 7})
    assert still.layers[0].place.x == 7
    less = do(keyed, "key-here", target="l-one", paths=["place.x"], frame=0, on=False)
    bare = do(less, "remove-keys", target="l-one", keys={"place.x": [20]})
    assert bare.layers[0].place.x == 52


def test_keyframes_are_moved_copied_stretched_and_eased(shot):
    for frame, x in ((0, 0), (10, 100), (20, 0)):
        shot = do(shot, "key-here", target="l-one", paths=["place.x", "place.y"], frame=frame)
        shot = do(shot, "set-values", target="l-one", values={"place.x": x}, at=frame)
    later = do(shot, "move-keys", target="l-one", keys={"place.x": [10, 20]}, by=10)
    assert frames(later, "place.x") == [0, 20, 30]
    onto = do(shot, "move-keys", target="l-one", keys={"place.x": [0]}, by=10)
    assert [(k.frame, k.value) for k in onto.layers[0].place.x.keys] == [(10, 0), (20, 0)]
    copied = do(shot, "move-keys", target="l-one", keys={"place.x": [0, 10]}, by=30, copied=True)
    assert frames(copied, "place.x") == [0, 10, 20, 30, 40]
    both = {"place.x": [0, 10, 20], "place.y": [0, 10, 20]}
    longer = do(shot, "move-keys", target="l-one", keys=both, about=10, stretch=2)
    assert frames(longer, "place.y") == [-10, 10, 30]
    higher = do(shot, "move-keys", target="l-one", keys={"place.x": [10]}, rise=-40)
    assert value_at(higher.layers[0].place.x, 10) == 60
    held = do(shot, "ease-keys", target="l-one", keys={"place.x": [0]}, ease="hold")
    assert value_at(held.layers[0].place.x, 9) == 0
    bent = do(shot, "ease-keys", target="l-one", keys={"place.x": [0]}, ease=[0.2, 1.6, 0.4, 1])
    assert value_at(bent.layers[0].place.x, 4) > 100  # overshoots, as it was asked to
    keys = {"keys": [{"frame": 0, "value": 1}, {"frame": 5, "value": 2}]}
    pasted = do(shot, "paste-keys", target="l-one", at=40, keys={"place.rotation": keys})
    assert frames(pasted, "place.rotation") == [40, 45]


@pytest.mark.parametrize(
    ("edit", "why"),
    [
        ({"do": "move-keys", "keys": {"place.x": [3]}, "by": 1}, "no keyframes"),
        ({"do": "move-keys", "keys": {"seam.masks.m-one.outline": [3]}}, "no keyframes"),
        ({"do": "key-here", "paths": ["name"], "frame": 0}, "only numbers"),
        ({"do": "key-here", "paths": ["place.z"], "frame": 0}, "no value called"),
        ({"do": "add-point", "layer": "l-one", "mask": "m-one", "after": 9}, "no longer there"),
        ({"do": "set-values", "values": {"place.scale": 0}, "at": 3}, "between 1 and 3200"),
        ({"do": "set-values", "values": {"time.speed": 10_000}}, "between -1000 and 1000"),
        ({"do": "paste-keys", "at": 0, "keys": {"seam.masks.m-one.outline": {"keys": [
            {"frame": 0, "value": 1}]}}}, "another kind"),
    ],
)  # fmt: skip
def test_what_cannot_be_keyed_is_said(shot, edit, why):
    edit = edit if "layer" in edit else {"target": "l-one", **edit}
    with pytest.raises(Problem, match=why):
        apply(shot, read_edit(edit))


def test_pressed_together_keyframes_are_refused(shot):
    for frame in (0, 1):
        shot = do(shot, "key-here", target="l-one", paths=["place.x"], frame=frame)
    with pytest.raises(Problem, match="one frame"):
        do(shot, "move-keys", target="l-one", keys={"place.x": [0, 1]}, stretch=0.1)


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 3), st.floats(0.05, 0.95), st.booleans(), st.integers(0, 12))
def test_a_point_added_later_leaves_every_keyframe_its_line(after, part, curved, frame):
    rng = np.random.default_rng(4)

    def points(seed: float) -> list[dict[str, float]]:
        corners = ((-50, -50), (50, -50), (50, 50), (-50, 50))
        bend = ("in_x", "in_y", "out_x", "out_y")
        return [
            {
                "x": x + seed,
                "y": y,
                **({n: float(rng.normal(0, 12)) for n in bend} if curved else {}),
            }
            for x, y in corners
        ]

    keys = [{"frame": f, "value": points(f)} for f in (0, 6, 12)]
    mask = {"kind": "drawn", "id": "m-one", "outline": {"keys": keys}}
    layer = {
        "id": "l-one", "name": "One", "source": {"kind": "colour", "colour": "#ffffff"},
        "span": {"first": 0, "last": 60}, "place": {"x": 32, "y": 32}, "seam": {"masks": [mask]},
    }  # fmt: skip
    shot = Shot.model_validate(
        {"name": "S", "canvas": {"width": 64, "height": 64}, "rate": "25", "length": 100,
         "layers": [layer]}
    )  # fmt: skip
    more = do(shot, "add-point", layer="l-one", mask="m-one", after=after, part=part)
    assert frames(more, "seam.masks.0.outline") == [0, 6, 12]
    old, new = (flattened(one.layers[0].seam.masks[0].points(At(frame))) for one in (shot, more))
    # every place of the new line lies on the old one
    a, b = old[:, :2], np.roll(old[:, :2], -1, 0)
    for place in new[:, :2]:
        along = np.clip(((place - a) * (b - a)).sum(1) / ((b - a) ** 2).sum(1).clip(1e-9), 0, 1)
        assert np.hypot(*(place - a - along[:, None] * (b - a)).T).min() < 0.12
    fewer = do(more, "remove-point", layer="l-one", mask="m-one", point=after + 1)
    assert len(fewer.layers[0].seam.masks[0].outline.keys[1].value) == 4


def test_trimming_and_splitting_keep_keyframes_where_they_are_in_time(shot):
    path = "seam.masks.m-one.outline"
    for frame in (0, 20, 40):
        shot = do(shot, "key-here", target="l-one", paths=[path, "place.x"], frame=frame)
    later = do(shot, "trim", target="l-one", edge="first", to=25)
    assert frames(later, "place.x") == frames(later, "seam.masks.0.outline") == [-15, 5, 25]
    halves = do(shot, "split", target="l-one", at=30, new_id="l-two")
    assert [key.frame for key in halves.layers[1].place.x.keys] == [-20, 0, 20]


@settings(max_examples=40, deadline=None)
@given(st.sampled_from(["24", "30000/1001", "50", "60", "12"]), st.integers(0, 80))
def test_at_another_rate_everything_stays_where_it_is_in_time(rate, frame):
    layer = {
        "id": "l-one", "name": "One", "source": {"kind": "colour", "colour": "#ffffff"},
        "span": {"first": 10, "last": 84}, "place": {"x": 32, "y": 32},
        "arrive": {"way": "fade", "frames": 25}, "echo": {"count": 1, "step": 2},
        "leave": {"frames": {"keys": [{"frame": 0, "value": 5}, {"frame": 40, "value": 20}]}},
    }  # fmt: skip
    shot = Shot.model_validate(
        {"name": "One", "canvas": {"width": 64, "height": 64}, "rate": "25", "length": 100,
         "layers": [layer], "marks": [{"id": "n-a", "frame": frame}]}
    )  # fmt: skip
    for at in (0, frame):
        shot = apply(
            shot,
            read_edit({"do": "key-here", "target": "l-one", "paths": ["place.x"], "frame": at}),
        )
    after = apply(shot, read_edit({"do": "change-rate", "rate": rate}))
    new, one = after.layers[0], shot.layers[0]
    half = Fraction(1, 2) / after.rate

    def near(a: int, b: int) -> bool:
        return abs(a / after.rate - b / shot.rate) <= half

    assert near(new.span.first, one.span.first)
    assert near(new.span.last + 1, one.span.last + 1)
    assert near(after.length, shot.length)
    assert near(after.marks[0].frame, frame)
    assert near(new.arrive.frames, 25)
    leaves, left = new.leave.frames.keys, one.leave.frames.keys
    for key, before in zip(
        leaves, left, strict=True
    ):  # when it changes, and how long it lasts then
        assert near(key.frame, before.frame)
        assert near(key.value, before.value)
    assert near(new.place.x.keys[-1].frame, frame)
    assert new.echo.step >= 1
    back = apply(after, read_edit({"do": "change-rate", "rate": "25"}))
    if after.rate >= 25:
        assert back.layers[0].place.x == one.place.x
