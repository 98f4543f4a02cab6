"""The whole composite against a plain NumPy float reference, and itself."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velvet_seam.core.picture.blends import BLENDS, NAMES
from velvet_seam.core.picture.compose import Join, compose, compose_rgba8, compose_yuv420
from velvet_seam.core.picture.join_rows import PIECE
from velvet_seam.core.picture.placement import Patch, PlanesPatch
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.picture.yuv import coefficients

W, H = 48, 40


def random_patch(rng: np.random.Generator, solid: bool) -> Patch:
    h, w = rng.integers(4, H), rng.integers(4, W)
    alpha = np.full((h, w, 1), 255) if solid else rng.choice([0, 90, 255], (h, w, 1))
    colour = rng.integers(0, 256, (h, w, 3)) * alpha // 255
    left, top = rng.integers(0, W - w + 1), rng.integers(0, H - h + 1)
    return Patch(int(left), int(top), np.concatenate([colour, alpha], 2).astype(np.uint8))


def light(v: np.ndarray) -> np.ndarray:
    """sRGB to linear light, IEC 61966-2-1."""
    return np.where(v <= 0.04045, v / 12.92, ((np.maximum(v, 0) + 0.055) / 1.055) ** 2.4)


def display(v: np.ndarray) -> np.ndarray:
    return np.where(v <= 0.0031308, v * 12.92, 1.055 * np.maximum(v, 1e-12) ** (1 / 2.4) - 0.055)


def plain(joins: list[Join], ground: tuple[int, int, int], linear: bool) -> np.ndarray:
    """Normal, multiply and screen by the formula, array by array, in float64."""
    out = np.broadcast_to(np.array(ground) / 255, (H, W, 3)).copy()
    out = light(out) if linear else out
    for join in joins:
        p = join.patch
        h, w = p.pixels.shape[:2]
        area = np.s_[p.top : p.top + h, p.left : p.left + w]
        a = p.pixels[..., 3:] / 255
        s = np.divide(p.pixels[..., :3] / 255, a, out=np.zeros((h, w, 3)), where=a > 0)
        s = light(s) if linear else s
        b = out[area]
        mixed = {"normal": s, "multiply": b * s, "screen": b + s - b * s}[join.blend]
        out[area] = a * join.opacity * mixed + (1 - a * join.opacity) * b
    return display(out) if linear else out


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**32), st.integers(1, 8), st.booleans())
def test_agrees_with_a_plain_reference(seed, count, linear):
    rng = np.random.default_rng(seed)
    joins = [
        Join(random_patch(rng, bool(rng.integers(2))),
             str(rng.choice(["normal", "multiply", "screen"])), float(rng.choice([1.0, 0.35])))
        for _ in range(count)
    ]  # fmt: skip
    got = compose_rgba8(W, H, (20, 90, 160), joins, linear=linear)[..., :3].astype(float)
    error = np.abs(got - plain(joins, (20, 90, 160), linear) * 255)
    assert error.mean() <= 1
    assert error.max() <= 3


def random_planes(rng: np.random.Generator, width: int, height: int) -> Planes:
    """With bytes beyond every row, as decoders leave them, and values beyond the limited range."""
    lines, columns = (height + 1) // 2, (width + 1) // 2
    luma = rng.integers(0, 256, (height, width + int(rng.integers(0, 9))), np.uint8)
    blue, red = rng.integers(0, 256, (2, lines, columns + int(rng.integers(0, 9))), np.uint8)
    return Planes(luma, blue, red, width, height, coefficients("709", bool(rng.integers(2))))


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**32), st.sampled_from([14, 48, PIECE + 30]), st.integers(0, 2), st.data())
def test_a_layer_joined_as_its_codec_holds_it_is_its_picture_to_the_bit(seed, wide, form, data):
    rng = np.random.default_rng(seed)
    high = 22
    write = [compose, compose_rgba8, compose_yuv420][form]
    folded, made = [], []
    for _ in range(data.draw(st.integers(1, 3))):
        w, h = int(rng.integers(1, wide + 1)), int(rng.integers(1, high + 1))
        if data.draw(st.booleans()):
            w, h = wide, high
        left, top = int(rng.integers(0, wide - w + 1)), int(rng.integers(0, high - h + 1))
        planes = random_planes(rng, w, h)
        blend = data.draw(st.sampled_from(["normal", "screen", "soft-light", "hue", "keep-inside"]))
        opacity = data.draw(st.sampled_from([1.0, 0.4]))
        folded.append(Join(PlanesPatch(left, top, planes), blend, opacity))
        made.append(Join(Patch(left, top, planes.rgba()), blend, opacity))
    linear = data.draw(st.booleans())
    of_planes, of_pictures = (
        write(wide, high, (9, 80, 200), j, None, linear) for j in (folded, made)
    )
    assert np.array_equal(of_planes, of_pictures)


@pytest.mark.parametrize("linear", [False, True])
@pytest.mark.parametrize(
    "colour", [(242, 166, 94, 255), (0, 128, 64, 128), (0, 0, 0, 255), (0, 0, 0, 0)]
)
def test_a_layer_of_one_colour_is_joined_as_its_pixels_are(colour, linear):
    rng = np.random.default_rng(5)
    wide = PIECE + 30
    pixels = rng.integers(0, 256, (4, wide, 4), np.uint8)
    pixels[..., 3] = 255
    ground = Join(Patch(0, 0, pixels), "normal", 1.0)
    row = np.full((1, wide - 9, 4), colour, np.uint8)
    flat = Patch(5, 1, np.broadcast_to(row, (3, wide - 9, 4)))
    one_other = row.copy()
    one_other[0, -1] = (9, 8, 7, 255)  # a row that is repeated, too, but not of one colour
    striped = Patch(5, 1, np.broadcast_to(one_other, (3, wide - 9, 4)))
    for patch in (flat, striped):
        dense = Patch(patch.left, patch.top, patch.pixels.copy())
        for mode in NAMES:
            got, wanted = (
                compose(wide, 4, (0, 0, 0), [ground, Join(one, mode, 0.6)], linear=linear)
                for one in (patch, dense)
            )
            assert np.abs(got - wanted).max() < 1e-6, mode


@pytest.mark.parametrize("linear", [False, True])
def test_it_does_not_matter_where_a_stack_is_cut(linear):
    rng = np.random.default_rng(11)
    joins = [Join(random_patch(rng, n % 3 == 0), mode, 0.8) for n, mode in enumerate(NAMES)]
    at_once = compose_rgba8(W, H, (9, 9, 9), joins, linear=linear)
    for cut in (1, 7, len(joins)):
        base = compose(W, H, (9, 9, 9), joins[:cut], linear=linear)
        got = compose_rgba8(W, H, (9, 9, 9), joins[cut:], base, linear=linear)
        assert np.array_equal(got, at_once)


@pytest.mark.parametrize("mode", [blend.name for blend in BLENDS if blend.black_idle])
@pytest.mark.parametrize("linear", [False, True])
def test_black_adds_nothing(mode, linear):
    """To the bit, whether a piece of a row is all black, and so passed over, or has one lit pixel."""
    rng = np.random.default_rng(5)
    below = [Join(random_patch(rng, False), "normal", 0.7) for _ in range(4)]
    black = np.zeros((H, W, 4), np.uint8)
    black[..., 3] = rng.choice([0, 120, 255], (H, W))
    lit = black.copy()
    lit[::2, 7] = (90, 40, 10, 255)
    plain = compose_rgba8(W, H, (20, 90, 160), below, linear=linear)
    dark, some = (
        compose_rgba8(W, H, (20, 90, 160), [*below, Join(Patch(0, 0, p), mode, 0.6)], linear=linear)
        for p in (black, lit)
    )
    assert np.array_equal(dark, plain)
    assert np.array_equal(np.delete(some, 7, 1), np.delete(plain, 7, 1))
    assert not np.array_equal(some[::2, 7], plain[::2, 7])


def test_nothing_joined_is_the_empty_canvas():
    assert np.array_equal(np.unique(compose_rgba8(W, H, (7, 7, 7), [])), [7, 255])
