"""Looks against formulas written down anew in float64, against exact filters, and against the same done by hand."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from tests.core.test_goldens import HEIGHT, WIDTH, Drawn, layer, over, seen, shot
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.looking import Looking
from velvet_seam.core.looks import LOOKS, LookBase, Tone
from velvet_seam.core.looks.balance import balance_matrix
from velvet_seam.core.looks.curve_points import drawn, slopes_of
from velvet_seam.core.looks.curves import Curves
from velvet_seam.core.looks.light import Light
from velvet_seam.core.looks.shelf import SHELF
from velvet_seam.core.looks.table import Mixed, runs, table_of
from velvet_seam.core.picture.colour import to_display, to_linear, to_oklab
from velvet_seam.core.picture.grade import CURVE, Table, graded, graded_planes, nodes_of, packed
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.at import At
from velvet_seam.core.words import kind_of

BY_NAME = {kind_of(kind): kind for kind in LOOKS}
NEUTRAL: dict[str, dict[str, Any]] = {
    "light": {}, "balance": {}, "curves": {}, "decision": {}, "matrix": {}, "saturation": {},
    "tints": {"shadows_by": 0, "highlights_by": 0}, "flicker": {"amount": 0}, "blur": {"radius": 0},
    "line-blur": {"length": 0}, "spin-blur": {"angle": 0}, "zoom-blur": {"amount": 0}, "defocus": {"radius": 0}, "sharpen": {"amount": 0}, "glow": {"amount": 0},
    "vignette": {"amount": 0}, "grain": {"amount": 0}, "channel-split": {"apart": 0}, "blocks": {"size": 1},
    "ripple": {"amount": 0}, "slices": {"amount": 0},
    "lut": {}, "monochrome": {"strength": 0}, "negative": {"strength": 0}, "posterise": {"strength": 0}, "mirror": {"strength": 0},
}  # fmt: skip
"""What makes each part do nothing."""


def noise(seed: int = 1, opaque: bool = True) -> np.ndarray:
    rng = np.random.default_rng(seed)
    picture = rng.integers(0, 256, (64, 96, 4), dtype=np.uint8)
    if opaque:
        picture[..., 3] = 255
    else:
        picture[:20, :, 3], picture[20:30, :, 3] = 0, 255
        picture[..., :3] = picture[..., :3].astype(int) * picture[..., 3:] // 255
    return picture


def part(kind: str, **values: Any) -> LookBase:
    return BY_NAME[kind].model_validate({"kind": kind, "id": "p-a", **values})


def through(picture: np.ndarray, *parts: LookBase, moves: bool = False) -> np.ndarray:
    """A picture through tone parts that are one table."""
    mixed = [Mixed(one.stages(At(0), 0), 1.0) for one in parts if isinstance(one, Tone)]
    for run in runs([one for one in mixed if one.stages]):
        picture = graded(picture, table_of(run, 1.0, moves))
    return picture


# one formula each, in float64, of display values (…, 3)
def by_light(v: np.ndarray, one: Any) -> np.ndarray:
    v = to_display_beyond(to_linear_beyond(v) * 2.0**one.exposure)
    p, s = float(to_display(0.18)), 2 ** (1.5 * one.contrast / 100)

    def bias(u: np.ndarray) -> np.ndarray:
        inside = np.maximum(u, 0)
        return inside / (s + (1 - s) * inside) + np.minimum(u, 0) / s

    v = np.where(v < p, p * bias(v / p), 1 - (1 - p) * bias((1 - v) / (1 - p)))
    lab = to_oklab_beyond(v)
    zones = (("shadows", 0.14, 0, 0.65), ("highlights", 0.14, 0.4, 0.6))
    level = lab[..., 0]
    if not any((one.shadows, one.highlights, one.whites, one.blacks)):
        return v
    for name, most, begin, wide in zones:
        u = np.clip((level - begin) / wide, 0, 1)
        level = level + most * getattr(one, name) / 100 * 16 * u**2 * (1 - u) ** 2
    for name, u in (("blacks", level / 0.35), ("whites", (1 - level) / 0.4)):
        if name == "whites":
            u = (1 - level) / 0.4
        u = np.clip(u, 0, 1)
        level = level + 0.10 * getattr(one, name) / 100 * (1 - u) ** 2 * (1 + 2 * u)
    return from_oklab(np.stack([np.maximum(level, 0), lab[..., 1], lab[..., 2]], -1))


def to_linear_beyond(v: np.ndarray) -> np.ndarray:
    return np.sign(v) * to_linear(np.abs(v))


def to_display_beyond(v: np.ndarray) -> np.ndarray:
    return np.sign(v) * to_display(np.abs(v))


M1 = np.array([[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566],
               [0.0883024619, 0.2817188376, 0.6299787005]])  # fmt: skip
M2 = np.array([[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099],
               [0.0259040371, 0.7827717662, -0.8086757660]])  # fmt: skip


def to_oklab_beyond(v: np.ndarray) -> np.ndarray:
    return np.cbrt(to_linear_beyond(v) @ M1.T) @ M2.T


def from_oklab(lab: np.ndarray) -> np.ndarray:
    return to_display_beyond((lab @ np.linalg.inv(M2).T) ** 3 @ np.linalg.inv(M1).T)


def by_balance(v: np.ndarray, one: Any) -> np.ndarray:
    return to_display_beyond(to_linear_beyond(v) @ balance_matrix(one.temperature, one.tint).T)


def by_curves(v: np.ndarray, one: Any) -> np.ndarray:
    def bent(points: Any, x: np.ndarray) -> np.ndarray:
        first, last = points[:2], points[-2:]
        slopes = [(b[1] - a[1]) / (b[0] - a[0]) for a, b in (first, last)]
        # straight on beyond the ends of the scale
        return drawn(points, x) + np.minimum(x, 0) * slopes[0] + np.maximum(x - 1, 0) * slopes[1]

    v = bent(one.master, v)
    return np.stack(
        [bent(getattr(one, n), v[..., c]) for c, n in enumerate(("red", "green", "blue"))], -1
    )


def by_saturation(v: np.ndarray, one: Any) -> np.ndarray:
    lab = to_oklab_beyond(v)
    grey = to_display(lab[..., :1] ** 3)
    e = np.maximum((v - grey) / np.maximum(1 - grey, 1e-4), (grey - v) / np.maximum(grey, 1e-4))
    room = np.maximum(0, 1 - (np.clip(e, 0, 4) ** 4).sum(-1) ** 0.25) ** 2
    s, vib = one.saturation / 100, one.vibrance / 100
    gain = 1 + (s - 1) * (room if s > 1 else 1)
    pale = np.maximum(0, 1 - np.hypot(lab[..., 1], lab[..., 2]) / 0.3) ** 2
    gain = gain * (1 + vib * pale * (room if vib > 0 else 1))
    return from_oklab(np.stack([lab[..., 0], lab[..., 1] * gain, lab[..., 2] * gain], -1))


def by_tints(v: np.ndarray, one: Any) -> np.ndarray:
    lab = to_oklab_beyond(v)
    level = np.clip(lab[..., 0], 0, 1)
    for name, weight in (
        ("shadows", level * (1 - level) ** 2),
        ("highlights", level**2 * (1 - level)),
    ):
        rgb = [int(getattr(one, name)[n : n + 2], 16) / 255 for n in (1, 3, 5)]
        hue = to_oklab(rgb)[1:] * getattr(one, f"{name}_by") / 100
        lab[..., 1:] += 6.75 * weight[..., None] * hue
    return from_oklab(lab)


def by_decision(v: np.ndarray, one: Any) -> np.ndarray:
    out = [np.clip(v[..., c] * getattr(one, f"slope_{n}") + getattr(one, f"offset_{n}"), 0, 1) ** getattr(one, f"power_{n}")
           for c, n in enumerate(("red", "green", "blue"))]  # fmt: skip
    v = np.stack(out, -1)
    luma = v @ [0.2126, 0.7152, 0.0722]
    return np.clip(luma[..., None] + one.saturation * (v - luma[..., None]), 0, 1)


def by_matrix(v: np.ndarray, one: Any) -> np.ndarray:
    names = ("red", "green", "blue")
    mix = np.array([[getattr(one, f"{to}_{of}") for of in names] for to in names])
    return v @ mix.T + np.array([getattr(one, f"offset_{to}") for to in names])


FORMULAS: dict[str, Any] = {
    "light": by_light, "balance": by_balance, "curves": by_curves, "saturation": by_saturation,
    "tints": by_tints, "decision": by_decision, "matrix": by_matrix,
    "monochrome": lambda v, one: np.repeat(v @ np.array([one.red, one.green, one.blue])[:, None] / 100, 3, -1),
    "negative": lambda v, one: 1 - v,
    "posterise": lambda v, one: np.minimum(np.floor(v * one.levels), one.levels - 1) / (one.levels - 1),
}  # fmt: skip
SET: dict[str, dict[str, Any]] = {
    "light": {"exposure": 0.7, "contrast": 35, "highlights": -40, "shadows": 30, "whites": 20, "blacks": -25},
    "balance": {"temperature": 28, "tint": -12},
    "curves": {"master": ((0, 0.05), (0.3, 0.2), (0.75, 0.86), (1, 1)), "blue": ((0, 0.1), (1, 0.9))},
    "saturation": {"saturation": 145, "vibrance": 30},
    "tints": {"shadows_by": 60, "highlights_by": 45},
    "decision": {"slope_red": 1.2, "offset_blue": 0.06, "power_green": 0.8, "saturation": 0.7},
    "matrix": {"red_red": 0.8, "red_green": 0.25, "green_blue": -0.1, "blue_red": 0.15, "offset_green": 0.04},
    "monochrome": {"red": 40, "green": 45, "blue": 15}, "negative": {}, "posterise": {"levels": 5},
}  # fmt: skip


@pytest.mark.parametrize("kind", FORMULAS)
def test_a_tone_part_is_its_formula(kind: str):
    """Through its table, on noise: the hardest there is, for beside each other lie colours from anywhere."""
    one, picture = part(kind, **SET[kind]), noise()
    exact = np.clip(FORMULAS[kind](picture[..., :3] / 255, one), 0, 1) * 255
    off = np.abs(through(picture, one)[..., :3] - exact)
    assert off.mean() <= 0.27  # rounding alone is 0.25
    assert np.quantile(off, 0.999) <= 1.5


def test_several_parts_are_one_table_and_as_true_together():
    picture = noise(2)
    parts = [part(kind, **SET[kind]) for kind in ("light", "balance", "curves", "saturation")]
    v = picture[..., :3] / 255
    for one in parts:
        v = FORMULAS[one.kind](v, one)
    exact = np.clip(v, 0, 1) * 255
    for moves, most in ((False, 2.5), (True, 6.0)):
        off = np.abs(through(picture, *parts, moves=moves)[..., :3] - exact)
        assert off.mean() < 0.3
        assert np.quantile(off, 0.999) <= most
    mixed = [Mixed(one.stages(At(0), 0), 1.0) for one in parts]
    assert len(runs(mixed)) == 1


def test_every_kind_has_a_setting_that_does_nothing_and_one_that_does_something():
    assert set(NEUTRAL) == set(BY_NAME)
    for kind in LOOKS:
        name = kind_of(kind)
        idle = over(shows="card", look={"parts": [{"kind": name, "id": "p-a", **NEUTRAL[name]}]})
        np.testing.assert_array_equal(idle, over(shows="card"), err_msg=name)
        assert kind.__doc__
        assert kind.label
        assert kind.says
        for value in kind.model_validate({"kind": name, "id": "p-a"}).own():
            assert value in kind.model_fields


@pytest.mark.parametrize("side", [33, 65])
def test_a_lattice_that_changes_nothing_changes_nothing(side: int):
    nodes = nodes_of(side)
    colours = np.empty((3, side, side, side), np.float32)
    colours[0], colours[1], colours[2] = nodes, nodes[:, None], nodes[:, None, None]
    table = Table(lattice=packed(colours.reshape(3, -1)), side=side)
    every = np.zeros((256, 256, 4), np.uint8)
    every[..., 0], every[..., 1], every[..., 3] = np.arange(256), np.arange(256)[:, None], 255
    for blue in (0, 1, 77, 254, 255):
        every[..., 2] = blue
        np.testing.assert_array_equal(graded(every, table), every)


def test_coverage_stays_and_what_is_clear_stays_clear():
    picture = noise(3, opaque=False)
    made = through(picture, part("light", exposure=1), part("saturation", saturation=160))
    np.testing.assert_array_equal(made[..., 3], picture[..., 3])
    assert (made[..., :3] <= made[..., 3:]).all()
    whole = picture.copy()
    whole[..., :3] = np.minimum(
        255, np.rint(picture[..., :3].astype(float) * 255 / np.maximum(picture[..., 3:], 1))
    )
    whole[..., 3] = 255
    same = through(whole, part("light", exposure=1), part("saturation", saturation=160))
    covered = np.rint(same[..., :3] * (picture[..., 3:] / 255))
    assert np.abs(covered - made[..., :3]).max() <= 2  # their own colours were rounded for it


@given(st.floats(-3, 3), st.floats(-100, 100), *[st.floats(-100, 100)] * 4)
@settings(max_examples=40, deadline=None)
def test_however_light_is_set_greys_keep_their_order(
    exposure, contrast, highlights, shadows, whites, blacks
):
    one = part("light", exposure=exposure, contrast=contrast, highlights=highlights, shadows=shadows,
               whites=whites, blacks=blacks)  # fmt: skip
    grey = np.linspace(0, 1, 400, dtype=np.float32)
    planes = np.stack([grey] * 3)
    for stage in one.stages(At(0), 0):
        stage.function(planes, *stage.numbers)
    assert (np.diff(planes[1]) > -2e-5).all()


@given(st.lists(st.floats(0, 1), min_size=2, max_size=9), st.randoms(use_true_random=False))
@settings(max_examples=60, deadline=None)
def test_a_curve_never_swings_beyond_the_points_it_runs_between(levels, chance):
    x = sorted({round(chance.random(), 3) for _ in levels} | {0.0, 1.0})
    y = [levels[n % len(levels)] for n in range(len(x))]
    if any(b - a < 1e-3 for a, b in pairwise(x)):
        return
    points = tuple(zip(x, y, strict=True))
    at = np.linspace(0, 1, 301)
    made = drawn(points, at)
    for (x0, y0), (x1, y1) in pairwise(points):
        inside = made[(at >= x0) & (at <= x1)]
        assert (inside >= min(y0, y1) - 1e-9).all()
        assert (inside <= max(y0, y1) + 1e-9).all()
    inner = PchipInterpolator(x, y).derivative()(x[1:-1])
    if len(x) > 2:  # the slopes inside are those of SciPy, which has them from the same paper
        own = slopes_of(np.array(x), np.array(y))[1:-1]
        np.testing.assert_allclose(own, inner, atol=1e-9, rtol=1e-6)


@pytest.mark.parametrize("kind", [kind_of(kind) for kind in LOOKS])
def test_frames_are_the_same_however_they_are_come_by(kind: str):
    """Cold, warm, passing, as a video frame, alone or after others: bit for bit."""
    one = {"kind": kind, "id": "p-a", **SET.get(kind, {})}
    of = shot(layer("garden", "garden"), {**layer("top", "card"), "look": {"parts": [one]}})
    warm = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    for frame in (0, 3, 11, 7, 3):
        cold = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
        a = warm.picture(warm.plan(of, frame)).copy()
        np.testing.assert_array_equal(a, cold.picture(cold.plan(of, frame), passing=True))


def test_a_look_at_part_of_its_strength_is_that_part_of_it():
    parts = [
        {"kind": "light", "id": "p-a", "exposure": 1.0},
        {"kind": "saturation", "id": "p-b", "saturation": 40},
    ]
    plain, full = over(), over(look={"parts": parts})
    for extra in ([], [{"kind": "blur", "id": "p-c", "radius": 6}]):
        whole = over(look={"parts": [*parts, *extra]}) if extra else full
        half = over(look={"parts": [*parts, *extra], "strength": 50})
        assert np.abs(half - (plain.astype(float) + whole) / 2).max() <= 1.6
    assert (over(look={"parts": parts, "strength": 0}) == plain).all()
    assert (over(look={"parts": parts, "on": False}) == plain).all()


def test_a_part_acts_only_inside_its_masks():
    mask = {"kind": "box", "id": "m-a", "x": -30, "width": 60, "height": 80}
    one = {"kind": "negative", "id": "p-a", "masks": [mask]}
    plain = seen(shot(layer("garden", "garden")))
    made = seen(shot({**layer("garden", "garden"), "look": {"parts": [one]}}))
    left = slice(0, WIDTH // 2)
    np.testing.assert_array_equal(made[:, WIDTH // 2 :], plain[:, WIDTH // 2 :])
    np.testing.assert_array_equal(made[:, left], 255 - plain[:, left])


def test_a_key_reads_the_footage_and_a_look_costs_no_key():
    key = {"kind": "screen-key", "id": "k-a", "colour": "#32a546"}

    def of(exposure: float) -> Shot:
        look = {"parts": [{"kind": "light", "id": "p-a", "exposure": exposure}]}
        return shot(
            layer("garden", "garden"),
            {**layer("top", "card"), "seam": {"matte": [key]}, "look": look},
        )

    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    grey = engine.picture(engine.plan(of(0), 6, view="matte", chosen="l-top")).copy()
    engine.picture(engine.plan(of(0), 6, chosen="l-top"))
    before = engine.counts.copy()
    engine.picture(engine.plan(of(1.5), 6, chosen="l-top"), trying=True)
    done = engine.counts - before
    assert set(done) <= {"look-table", "look", "place", "finish"}, done
    np.testing.assert_array_equal(
        grey, engine.picture(engine.plan(of(1.5), 6, view="matte", chosen="l-top"))
    )


def test_every_look_of_the_shelf_can_be_worn():
    plain = over(shows="garden")
    for name, parts in SHELF.items():
        look = Look(parts=parts)
        assert Look.model_validate_json(look.model_dump_json()) == look
        made = over(shows="garden", look=look.model_dump(mode="json"))
        assert np.abs(made.astype(int) - plain).mean() > 2, name
    assert len(SHELF) == 12


@given(st.data())
@settings(max_examples=25, deadline=None)
def test_any_value_in_its_bounds_gives_a_picture(data):
    kind = data.draw(st.sampled_from(LOOKS))
    values: dict[str, Any] = {}
    for name in kind.model_validate({"kind": kind_of(kind), "id": "p-a"}).own():
        bounds = next(m for m in kind.model_fields[name].metadata if hasattr(m, "low"))
        values[name] = data.draw(st.floats(bounds.low, bounds.high, allow_nan=False))
    one = {"kind": kind_of(kind), "id": "p-a", **values}
    made = over(shows="paper", look={"parts": [one]})
    assert made.shape == (HEIGHT, WIDTH, 3)


def test_floats_and_bytes_are_looked_up_alike():
    picture = noise(6)
    planes = np.ascontiguousarray(picture[..., :3].transpose(0, 2, 1).astype(np.float32) / 255)
    for kinds in (("light", "saturation"), ("curves",)):
        mixed = tuple(Mixed(part(k, **SET[k]).stages(At(0), 0), 1.0) for k in kinds)
        table = table_of(mixed, 1.0, False)
        made = graded_planes(planes, table).transpose(0, 2, 1) * 255
        assert np.abs(made - graded(picture, table)[..., :3]).max() <= 0.58
    assert CURVE == 4081


def test_parts_beside_each_other_are_one_table_and_jumps_stand_alone():
    parts = [
        part("light", exposure=1),
        part("saturation", saturation=50),
        part("posterise", levels=4),
        part("negative"),
    ]
    look = Look.model_validate(
        {"parts": [{**one.model_dump(), "id": f"p-{n}"} for n, one in enumerate(parts)]}
    )
    looking = Looking(look, At(0), 0, 25.0)
    assert [len(one.tones) for one in looking.parts] == [2, 1, 1]
    assert looking.simple
    blur = Look.model_validate({"parts": [{"kind": "blur", "id": "p-a"}]})
    assert not Looking(blur, At(0), 0, 25.0).simple
    assert Curves(id="p-a").stages(At(0), 0) == ()
    assert Light(id="p-a").stages(At(0), 0) == ()
