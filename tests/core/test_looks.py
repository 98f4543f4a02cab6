"""Looks against formulas written down anew in float64, against exact filters, and against the same done by hand."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from tests.core.test_goldens import HEIGHT, WIDTH, Drawn, layer, over, seen, shot
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.looking import Looking
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.looks import LOOKS, Area, Ground, LookBase, Tone
from velvet_seam.core.looks.balance import balance_matrix
from velvet_seam.core.looks.curves import Curves, drawn, slopes_of
from velvet_seam.core.looks.light import Light
from velvet_seam.core.looks.lut import Lut
from velvet_seam.core.looks.shelf import SHELF
from velvet_seam.core.looks.table import Mixed, runs, table_of
from velvet_seam.core.picture.along import along
from velvet_seam.core.picture.colour import to_display, to_linear, to_oklab
from velvet_seam.core.picture.disc import defocused
from velvet_seam.core.picture.gaussian import blurred
from velvet_seam.core.picture.grade import CURVE, Table, graded, graded_planes, nodes_of, packed
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.at import At
from velvet_seam.core.words import kind_of

BY_NAME = {kind_of(kind): kind for kind in LOOKS}
NEUTRAL: dict[str, dict[str, Any]] = {
    "light": {}, "balance": {}, "curves": {}, "decision": {}, "saturation": {},
    "tints": {"shadows_by": 0, "highlights_by": 0}, "flicker": {"amount": 0}, "blur": {"radius": 0},
    "line-blur": {"length": 0}, "defocus": {"radius": 0}, "sharpen": {"amount": 0}, "glow": {"amount": 0},
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


FORMULAS: dict[str, Any] = {
    "light": by_light, "balance": by_balance, "curves": by_curves, "saturation": by_saturation,
    "tints": by_tints, "decision": by_decision,
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


@pytest.mark.parametrize("sigma", [0.6, 2, 4.1, 4.3, 7, 18, 60])
@pytest.mark.parametrize("extend", [True, False])
@pytest.mark.parametrize("size", [(120, 87), (61, 200)])
def test_a_blur_is_the_gaussian(sigma: float, extend: bool, size: tuple[int, int]):
    rng = np.random.default_rng(4)
    picture = rng.integers(0, 256, (*size, 4), dtype=np.uint8)
    picture[20:45, 20:60], picture[50:, 10:30] = 255, 0
    kernel = cv2.getGaussianKernel(2 * int(np.ceil(4.5 * sigma)) + 1, sigma, cv2.CV_64F)
    border = cv2.BORDER_REPLICATE if extend else cv2.BORDER_CONSTANT
    exact = cv2.sepFilter2D(picture.astype(np.float64), -1, kernel, kernel, borderType=border)
    off = np.abs(blurred(picture, sigma, extend) - exact)
    assert off.mean() <= 0.55  # rounding alone is 0.25
    assert off.max() <= 2.6
    plane = np.ascontiguousarray(picture[..., 1])
    np.testing.assert_array_equal(
        blurred(plane, sigma, extend), blurred(picture, sigma, extend)[..., 1]
    )


@pytest.mark.parametrize(
    ("length", "degrees"), [(31, 0), (31, 90), (45, 30), (21.4, -50), (60, 135)]
)
def test_a_blur_along_a_line_is_the_mean_along_it(length: float, degrees: float):
    rng = np.random.default_rng(5)
    picture = cv2.GaussianBlur(rng.integers(0, 256, (180, 160, 4), dtype=np.uint8), (0, 0), 2)
    y, x = np.mgrid[:180, :160].astype(np.float32)
    steps = np.linspace(-(length - 1) / 2, (length - 1) / 2, int(length * 4) + 1)
    turn = np.radians(degrees)
    total = sum(
        cv2.remap(picture.astype(np.float32), x + np.float32(t * np.cos(turn)), y + np.float32(t * np.sin(turn)), cv2.INTER_LINEAR)
        for t in steps
    )  # fmt: skip
    off = np.abs(along(picture, length, degrees) - total / len(steps))[40:-40, 40:-40]
    assert off.mean() < 0.7
    assert off.max() < 6


def test_out_of_focus_keeps_bright_points_bright_and_even_areas_even():
    dark = np.zeros((90, 90, 4), np.uint8)
    dark[..., 3] = 255
    dark[45, 45] = 255
    made = defocused(dark, 6)
    assert made[45, 45, 0] > 20  # a mean of display values would leave 2
    far = np.hypot(*(np.mgrid[:90, :90] - 45))
    assert (made[far > 8, 0] == 0).all()
    assert (made[far < 5, 0] == made[45, 45, 0]).all()
    even = np.full((60, 80, 4), 137, np.uint8)
    for radius in (3, 9, 25):
        np.testing.assert_array_equal(defocused(even, radius), even)


def adjusted(*parts: dict[str, Any], light: str = "display", **more: Any) -> Shot:
    below = [layer("garden", "garden"), layer("top", "paper", seam={"opacity": 70})]
    look = {"parts": [{"id": f"p-{n}", **one} for n, one in enumerate(parts)]}
    own = {**layer("all", "paper"), "source": {"kind": "adjustment"}, "look": look, **more}
    return shot(*below, own, light=light)


@pytest.mark.parametrize("light", ["display", "linear"])
def test_an_adjustment_at_part_of_its_strength_inside_a_mask_is_the_same_mixed_by_hand(light: str):
    """At 30 %, over layers that are joined in floats: no step of a level in between."""
    grade = {"kind": "light", "exposure": 1.5, "contrast": 20}
    mask = {"kind": "box", "id": "m-a", "width": 60, "height": 200, "feather_in": 12}
    seam = {"masks": [mask], "opacity": 30}
    base = adjusted(grade, light=light)
    plain = seen(base.model_copy(update={"layers": base.layers[:-1]})).astype(float)
    whole = seen(base).astype(float)
    mixed = seen(adjusted(grade, light=light, seam=seam)).astype(float)
    alone = {
        **layer("all", "paper"),
        "source": {"kind": "colour", "colour": "#ffffff"},
        "seam": {"masks": [mask]},
    }
    ground = shot(alone)
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    part_of = engine.picture(engine.plan(ground, 6, view="matte", chosen="l-all"))[..., :1] / 255
    if light == "linear":
        by_hand = (
            to_display(
                to_linear(plain / 255)
                + 0.3 * part_of * (to_linear(whole / 255) - to_linear(plain / 255))
            )
            * 255
        )
    else:
        by_hand = plain + 0.3 * part_of * (whole - plain)
    assert np.abs(mixed - by_hand).max() <= 1.3  # whole and plain were rounded for this


@pytest.mark.parametrize("kind", [kind_of(kind) for kind in LOOKS if kind is not Lut])
def test_every_part_acts_alike_on_a_layer_and_as_an_adjustment_of_it(kind: str):
    """On an opaque layer as large as the canvas, by itself."""
    one = {"kind": kind, "id": "p-a", **SET.get(kind, {})}
    only = shot({**layer("garden", "garden"), "look": {"parts": [one]}})
    own = {**layer("all", "paper"), "source": {"kind": "adjustment"}, "look": {"parts": [one]}}
    both = shot(layer("garden", "garden"), own)
    a, b = seen(only), seen(both)
    if kind not in ("grain",):  # its middle tones are weighed before rounding there, after it here
        assert np.abs(a.astype(int) - b).max() <= 2, kind
    assert np.abs(a.astype(int) - seen(shot(layer("garden", "garden")))).mean() > 0.4


@pytest.mark.parametrize("kind", [kind_of(kind) for kind in LOOKS])
def test_a_window_of_an_adjusted_picture_is_that_part_of_it(kind: str):
    one = {"kind": kind, **SET.get(kind, {})}
    small = {
        "line-blur": {"length": 12},
        "blur": {"radius": 4},
        "glow": {"radius": 3},
        "defocus": {"radius": 4},
    }
    of = adjusted({**one, **small.get(kind, {})})
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    sheet = Sheet.of(of)
    whole = engine.picture(engine.plan(of, 6, sheet=sheet))
    window = (24, 16, 48, 40)
    piece = engine.picture(engine.plan(of, 6, sheet=sheet.part(window)))
    x, y, w, h = window
    off = np.abs(whole[y : y + h, x : x + w].astype(int) - piece)
    assert off.max() <= 3, kind
    assert off.mean() < 0.35, kind


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


def test_a_blur_that_grows_soft_reaches_beyond_the_frame():
    small = {"place": {"x": WIDTH / 2, "y": HEIGHT / 2, "scale": 40}}
    soft = {"parts": [{"kind": "blur", "id": "p-a", "radius": 12, "edges": "clear"}]}
    hard = {"parts": [{"kind": "blur", "id": "p-a", "radius": 12}]}
    plain = seen(shot())
    made = seen(shot({**layer("garden", "garden"), **small, "look": soft}))
    x0 = round(WIDTH / 2 - 0.2 * WIDTH)
    assert (made[HEIGHT // 2, x0 - 4] != plain[HEIGHT // 2, x0 - 4]).any()
    kept = seen(shot({**layer("garden", "garden"), **small, "look": hard}))
    np.testing.assert_array_equal(kept[HEIGHT // 2, x0 - 4], plain[HEIGHT // 2, x0 - 4])


def test_length_is_as_seen_on_the_canvas_whatever_the_scale():
    """Half of a picture at half its scale, blurred, is the same as the whole one blurred by half as much, shrunk."""

    def of(scale: float) -> np.ndarray:
        look = {"parts": [{"kind": "blur", "id": "p-a", "radius": 8}]}
        place = {"x": WIDTH / 2, "y": HEIGHT / 2, "scale": scale}
        return seen(shot({**layer("garden", "garden"), "place": place, "look": look}))

    big = cv2.resize(of(100), (WIDTH // 2, HEIGHT // 2), interpolation=cv2.INTER_AREA)
    wide = of(50)[HEIGHT // 4 : HEIGHT * 3 // 4, WIDTH // 4 : WIDTH * 3 // 4]
    sharper = np.abs(np.diff(big.astype(int), axis=1)).mean()
    softer = np.abs(np.diff(wide.astype(int), axis=1)).mean()
    assert softer < sharper  # the same length on the canvas is twice as much of the picture


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


def test_an_area_part_says_how_far_it_looks():
    """What lies further away than that changes nothing."""
    rng = np.random.default_rng(7)
    ground = Ground((120, 120), 1.0)
    for kind in LOOKS:
        if not issubclass(kind, Area) or kind_of(kind) in ("slices", "mirror"):
            continue
        small = {"blur": {"radius": 6}, "line-blur": {"length": 14}, "defocus": {"radius": 5}, "glow": {"radius": 3},
                 "sharpen": {"radius": 2}, "channel-split": {"apart": 4}, "blocks": {"size": 9}, "ripple": {"amount": 4}}  # fmt: skip
        one = kind.model_validate(
            {"kind": kind_of(kind), "id": "p-a", **small.get(kind_of(kind), {})}
        )
        work = one.work(At(0), ground)
        assert work is not None
        a = rng.integers(0, 256, (120, 120, 4), dtype=np.uint8)
        a[..., 3] = 255
        b = a.copy()
        far = int(np.ceil(one.reach(At(0)))) + 1
        b[:, 60 + far :] = 255 - b[:, 60 + far :]
        b[..., 3] = 255
        made = [work.function(*work.args, each)[:, :60].astype(int) for each in (a, b)]
        assert np.abs(made[0] - made[1]).max() <= 1, kind_of(kind)


@pytest.mark.parametrize("light", ["display", "linear"])
def test_whichever_layer_is_chosen_the_picture_is_the_same(light: str):
    """What lies below the chosen layer is kept apart, whatever has acted on it by then: bit for bit."""
    whole = {**layer("all", "wall"), "source": {"kind": "adjustment"}}
    of = shot(
        layer("garden", "garden"),
        {**whole, "id": "l-soft", "look": {"parts": [{"kind": "blur", "id": "p-a", "radius": 3}]}},
        layer("top", "paper", around={"wrap": {"on": True}, "shadow": {"on": True}}),
        {**whole, "id": "l-tone", "look": {"parts": [{"kind": "light", "id": "p-b", "exposure": 0.5}]}},
        {**whole, "id": "l-blend", "seam": {"blend": "screen", "opacity": 40},
         "look": {"parts": [{"kind": "negative", "id": "p-c"}]}},
        layer("last", "card", place={"x": 30, "y": 30, "scale": 30}),
        light=light,
    )  # fmt: skip
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    plain = engine.picture(engine.plan(of, 6)).copy()
    for one in of.layers:
        made = engine.picture(engine.plan(of, 6, chosen=one.id))
        np.testing.assert_array_equal(made, plain, err_msg=one.id)
        below = engine.picture(engine.plan(of, 6, view="below", chosen=one.id))
        upto = of.model_copy(update={"layers": of.layers[: of.layers.index(one)]})
        np.testing.assert_array_equal(below, engine.picture(engine.plan(upto, 6)))
