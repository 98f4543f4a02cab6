"""Every blend against the formulas of the specification in exact rational arithmetic."""

from __future__ import annotations

import itertools
from fractions import Fraction as F

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from velvet_seam.core.picture.blends import NAMES, blend_of
from velvet_seam.core.picture.compose import Join, compose
from velvet_seam.core.picture.placement import Patch

CUTS = ("keep-inside", "keep-outside", "keep-bright", "keep-dark", "xor")
LUMA = (F(2126, 10_000), F(7152, 10_000), F(722, 10_000))
LEVELS = (0, 1, 51, 64, 127, 128, 200, 254, 255)


def root(value: F) -> F:
    """A square root, exact to forty binary digits."""
    import math

    return F(math.isqrt(int(value * 4**40)), 2**40)


def channel(mode: str, b: F, s: F) -> F:
    """B(Cb, Cs), written from the specification's text, not from the code under test."""
    match mode:
        case "normal":
            return s
        case "multiply":
            return b * s
        case "screen":
            return 1 - (1 - b) * (1 - s)
        case "overlay":
            return channel("hard-light", s, b)
        case "darken":
            return min(b, s)
        case "lighten":
            return max(b, s)
        case "color-dodge":
            return F(0) if b == 0 else F(1) if s == 1 else min(F(1), b / (1 - s))
        case "color-burn":
            return F(1) if b == 1 else F(0) if s == 0 else 1 - min(F(1), (1 - b) / s)
        case "hard-light":
            return b * 2 * s if s <= F(1, 2) else channel("screen", b, 2 * s - 1)
        case "soft-light":
            if s <= F(1, 2):
                return b - (1 - 2 * s) * b * (1 - b)
            d = ((16 * b - 12) * b + 4) * b if b <= F(1, 4) else root(b)
            return b + (2 * s - 1) * (d - b)
        case "difference":
            return abs(b - s)
        case "exclusion":
            return b + s - 2 * b * s
        case "add":
            return min(F(1), b + s)
        case "subtract":
            return max(F(0), b - s)
        case "divide":
            return F(0) if b == 0 else F(1) if s == 0 else min(F(1), b / s)
        case "linear-burn":
            return max(F(0), b + s - 1)
        case "linear-light":
            return min(F(1), max(F(0), b + 2 * s - 1))
        case "vivid-light":
            half = s <= F(1, 2)
            return channel("color-burn", b, 2 * s) if half else channel("color-dodge", b, 2 * s - 1)
        case "pin-light":
            return min(b, 2 * s) if s <= F(1, 2) else max(b, 2 * s - 1)
        case "hard-mix":
            return F(1) if b + s >= 1 else F(0)
    raise AssertionError(mode)


def lum(c: list[F]) -> F:
    return F(30, 100) * c[0] + F(59, 100) * c[1] + F(11, 100) * c[2]


def set_lum(c: list[F], to: F) -> list[F]:
    moved = [v + to - lum(c) for v in c]
    l, n, x = lum(moved), min(moved), max(moved)
    if n < 0:
        moved = [l + (v - l) * l / (l - n) for v in moved]
    if x > 1:
        moved = [l + (v - l) * (1 - l) / (x - l) for v in moved]
    return moved


def set_sat(c: list[F], to: F) -> list[F]:
    low, high = min(c), max(c)
    return [(v - low) * to / (high - low) if high > low else F(0) for v in c]


def sat(c: list[F]) -> F:
    return max(c) - min(c)


def whole(mode: str, b: list[F], s: list[F]) -> list[F]:
    match mode:
        case "hue":
            return set_lum(set_sat(s, sat(b)), lum(b))
        case "saturation":
            return set_lum(set_sat(b, sat(s)), lum(b))
        case "color":
            return set_lum(s, lum(b))
        case "luminosity":
            return set_lum(b, lum(s))
        case "darker-colour":
            return s if lum(s) < lum(b) else b
        case "lighter-colour":
            return s if lum(s) > lum(b) else b
    return [channel(mode, x, y) for x, y in zip(b, s, strict=True)]


def exact(mode: str, below: list[int], layer: list[int], alpha: int, opacity: F) -> list[F]:
    """One pixel joined over an opaque one; ``layer`` is premultiplied by ``alpha``."""
    b = [F(v, 255) for v in below]
    a = F(alpha, 255)
    s = [min(F(1), F(v, 255) / a) if a else F(0) for v in layer]
    if mode == "plus-lighter":
        return [min(F(1), x + F(v, 255) * opacity) for x, v in zip(b, layer, strict=True)]
    if mode in CUTS:  # over a black canvas
        y = sum((w * v * a for w, v in zip(LUMA, s, strict=True)), F(0))
        kept = {"keep-inside": 1 - opacity + opacity * a, "keep-bright": 1 - opacity + opacity * y,
                "keep-dark": 1 - opacity * y}.get(mode, 1 - opacity * a)  # fmt: skip
        return [kept * x for x in b]
    a *= opacity
    mode = "normal" if mode == "atop" else mode
    return [a * m + (1 - a) * x for m, x in zip(whole(mode, b, s), b, strict=True)]


def near_one(below: int, layer: int, alpha: int) -> bool:
    return alpha > 0 and abs(below + layer * 255 / alpha - 255) < 1e-3


def joined(
    mode: str, below: np.ndarray, layer: np.ndarray, opacity: float, ground: str = "canvas"
) -> np.ndarray:
    """``ground``: what is below is wholly covered (``canvas``), is said to be so by a plane of coverage
    (``plane``), or is light (``light``)."""
    base = np.ascontiguousarray(below.transpose(0, 2, 1) / np.float32(255), np.float32)
    if ground == "plane":
        base = np.concatenate([base, np.ones_like(base[:, :1])], 1)
    patch = Patch(0, 0, layer.astype(np.uint8))
    height, width = below.shape[:2]
    joins = [Join(patch, mode, opacity)]
    made = compose(width, height, (0, 0, 0), joins, base, linear=ground == "light")
    if ground == "plane" and mode not in CUTS:
        assert np.abs(made[:, 3] - 1).max() < 1e-6
    return made.transpose(0, 2, 1)[..., :3]


@pytest.mark.parametrize("mode", NAMES)
@pytest.mark.parametrize(("alpha", "opacity"), [(255, F(1)), (255, F(1, 3)), (153, F(1))])
@pytest.mark.parametrize("ground", ["canvas", "plane", "light"])
def test_every_mode_is_within_half_a_level_of_exact_arithmetic(mode, alpha, opacity, ground):
    """Each ground is joined by other loops. Black and white are the same as light as on the screen."""
    pairs = list(itertools.product(LEVELS, repeat=2))
    below = [[b, LEVELS[(i + 3) % 9], LEVELS[(i * 5) % 9]] for i, (b, _) in enumerate(pairs)]
    layer = [
        [s * alpha // 255, LEVELS[(i * 7) % 9] * alpha // 255, LEVELS[(i + 2) % 9] * alpha // 255]
        for i, (_, s) in enumerate(pairs)
    ]
    if ground == "light":
        layer = [[alpha if v * 2 >= alpha else 0 for v in one] for one in layer]
    pixels = np.array([[[*c, alpha] for c in layer]])
    got = joined(mode, np.array([below]), pixels, float(opacity), ground)[0]
    for b, s, value in zip(below, layer, got, strict=True):
        wanted = exact(mode, b, s, alpha, opacity)
        if mode == "hard-mix" and any(near_one(x, y, alpha) for x, y in zip(b, s, strict=True)):
            continue  # a step: there float32 may fall on either side
        assert all(abs(float(w) - g) * 255 < 0.5 for w, g in zip(wanted, value, strict=False)), (
            b,
            s,
        )


@given(st.sampled_from(NAMES), st.lists(st.integers(0, 255), min_size=7, max_size=7))
def test_results_stay_in_range_and_clear_layers_change_nothing(mode, values):
    below = np.array([[values[:3]]])
    alpha = values[6]
    layer = np.array([[[*(v * alpha // 255 for v in values[3:6]), alpha]]])
    got = joined(mode, below, layer, 0.7)
    assert got.min() >= 0
    assert got.max() <= 1
    if blend_of(mode).cuts in ("inside", "bright"):
        return
    clear = joined(mode, below, np.zeros((1, 1, 4), int), 1.0)
    assert np.abs(clear[0, 0, :3] * 255 - below[0, 0]).max() < 1e-3


@pytest.mark.parametrize("mode", ["multiply", "screen", "darken", "lighten", "difference",
                                  "exclusion", "plus-lighter"])  # fmt: skip
def test_modes_that_commute(mode):
    rng = np.random.default_rng(3)
    one, other = rng.integers(0, 256, (2, 4, 4, 3))
    opaque = np.full((4, 4, 1), 255)
    there = joined(mode, one, np.concatenate([other, opaque], 2), 1.0)
    back = joined(mode, other, np.concatenate([one, opaque], 2), 1.0)
    assert np.abs(there - back).max() < 1e-6


def test_a_layer_on_a_clear_ground_shows_as_it_is_in_every_mode():
    """With no backdrop, Cs' is Cs alone, whatever the blend."""
    layer = np.array([[[100, 50, 25, 200]]], np.uint8)
    for mode in NAMES:
        if mode in CUTS or mode == "atop":
            continue  # they need something below
        got = compose(1, 1, (0, 0, 0), [Join(Patch(0, 0, layer), mode, 1.0)],
                      np.zeros((1, 4, 1), np.float32))[..., 0]  # fmt: skip
        assert np.abs(got * 255 - layer).max() < 1e-3, mode


@pytest.mark.parametrize("mode", [*CUTS, "atop"])
def test_operators_over_what_is_covered_in_part(mode):
    """Porter and Duff's algebra on premultiplied values, and cuts that weigh colour and coverage."""
    rng = np.random.default_rng(8)
    under = rng.random((1, 4, 40)).astype(np.float32)
    under[:, :3] *= under[:, 3:]
    alpha = rng.integers(0, 256, (1, 40, 1))
    layer = np.concatenate([rng.integers(0, 256, (1, 40, 3)) * alpha // 255, alpha], 2)
    o = 0.6
    got = compose(40, 1, (0, 0, 0), [Join(Patch(0, 0, layer.astype(np.uint8)), mode, o)], under)
    b, s = under[0].T.astype(float), layer[0] / 255
    ab, a, luma = b[:, 3:], s[:, 3:], s[:, :3] @ [[0.2126], [0.7152], [0.0722]]
    if mode == "xor":
        wanted = o * s * (1 - ab) + b * (1 - o * a)
    elif mode == "atop":
        wanted = np.concatenate([o * s[:, :3] * ab + b[:, :3] * (1 - o * a), ab], 1)
    else:
        kept = {"keep-inside": 1 - o + o * a, "keep-outside": 1 - o * a, "keep-bright": 1 - o + o * luma,
                "keep-dark": 1 - o * luma}[mode]  # fmt: skip
        wanted = b * kept
    assert np.abs(got[0].T - wanted).max() < 2e-3


def test_a_cut_reaches_also_where_its_layer_is_not():
    white = np.ones((4, 3, 6), np.float32)
    small = Patch(2, 1, np.full((2, 2, 4), 255, np.uint8))
    kept = compose(6, 4, (0, 0, 0), [Join(small, "keep-inside", 1.0)], white)
    assert kept[1:3, :, 2:4].min() == 1
    assert kept.sum() == 2 * 2 * 3
    out = compose(6, 4, (255, 0, 0), [Join(small, "keep-outside", 1.0)], white)
    assert out[1, :, 2].tolist() == [1, 0, 0]  # the colour of the empty canvas
    assert out[0].min() == 1
