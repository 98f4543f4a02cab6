"""The whole composite against a plain NumPy float reference, and itself."""

from __future__ import annotations

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from velvet_seam.core.picture.blend import MODES
from velvet_seam.core.picture.compose import Join, compose, compose_rgba8
from velvet_seam.core.picture.placement import Patch

W, H = 48, 40


def random_patch(rng: np.random.Generator, solid: bool) -> Patch:
    h, w = rng.integers(4, H), rng.integers(4, W)
    alpha = np.full((h, w, 1), 255) if solid else rng.choice([0, 90, 255], (h, w, 1))
    colour = rng.integers(0, 256, (h, w, 3)) * alpha // 255
    left, top = rng.integers(0, W - w + 1), rng.integers(0, H - h + 1)
    return Patch(int(left), int(top), np.concatenate([colour, alpha], 2).astype(np.uint8))


def plain(joins: list[Join], ground: tuple[int, int, int]) -> np.ndarray:
    """Normal, multiply and screen by the formula, array by array, in float64."""
    out = np.broadcast_to(np.array(ground) / 255, (H, W, 3)).copy()
    for join in joins:
        p = join.patch
        h, w = p.pixels.shape[:2]
        area = np.s_[p.top : p.top + h, p.left : p.left + w]
        a = p.pixels[..., 3:] / 255
        s = np.divide(p.pixels[..., :3] / 255, a, out=np.zeros((h, w, 3)), where=a > 0)
        b = out[area]
        mixed = {"normal": s, "multiply": b * s, "screen": b + s - b * s}[join.blend]
        out[area] = a * join.opacity * mixed + (1 - a * join.opacity) * b
    return out


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**32), st.integers(1, 8))
def test_agrees_with_a_plain_reference(seed, count):
    rng = np.random.default_rng(seed)
    joins = [
        Join(random_patch(rng, bool(rng.integers(2))),
             str(rng.choice(["normal", "multiply", "screen"])), float(rng.choice([1.0, 0.35])))
        for _ in range(count)
    ]  # fmt: skip
    got = compose_rgba8(W, H, (20, 90, 160), joins)[..., :3].astype(float)
    error = np.abs(got - plain(joins, (20, 90, 160)) * 255)
    assert error.mean() <= 1
    assert error.max() <= 3


def test_it_does_not_matter_where_a_stack_is_cut():
    rng = np.random.default_rng(11)
    joins = [Join(random_patch(rng, n % 3 == 0), mode, 0.8) for n, mode in enumerate(MODES)]
    at_once = compose_rgba8(W, H, (9, 9, 9), joins)
    for cut in (1, 7, len(joins)):
        base = compose(W, H, (9, 9, 9), joins[:cut])
        assert np.array_equal(compose_rgba8(W, H, (9, 9, 9), joins[cut:], base), at_once)


def test_nothing_joined_is_the_empty_canvas():
    assert np.array_equal(np.unique(compose_rgba8(W, H, (7, 7, 7), [])), [7, 255])
