"""Placement against a direct evaluation of its definition, and against what must hold."""

from __future__ import annotations

import tracemalloc

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velvet_seam.core.picture.compose import Join, compose_rgba8
from velvet_seam.core.picture.placement import affine, place
from velvet_seam.core.picture.resize import resize
from velvet_seam.core.picture.spans import spans


def keys(t: float) -> np.ndarray:
    """Keys' cubic with a = -1/2, from its piecewise definition."""
    d = np.abs(np.array([t + 1, t, 1 - t, 2 - t]))
    near = 1.5 * d**3 - 2.5 * d**2 + 1
    far = -0.5 * d**3 + 2.5 * d**2 - 4 * d + 2
    return np.where(d <= 1, near, far)


def sampled(source: np.ndarray, sx: float, sy: float) -> np.ndarray:
    h, w = source.shape[:2]
    x, y = int(np.floor(sx - 0.5)), int(np.floor(sy - 0.5))
    xs = np.clip(np.arange(x - 1, x + 3), 0, w - 1)
    ys = np.clip(np.arange(y - 1, y + 3), 0, h - 1)
    weights = keys(sy - 0.5 - y)[:, None] * keys(sx - 0.5 - x)[None]
    return np.tensordot(weights, source[np.ix_(ys, xs)].astype(float), axes=2)


@pytest.mark.parametrize(("scale", "turn"), [(1.0, 17), (1.7, 0), (4.9, 0), (2.3, -40), (1.0, 90)])
def test_enlarging_and_turning_is_one_bicubic_interpolation(scale, turn):
    rng = np.random.default_rng(5)
    source = np.concatenate([rng.integers(0, 256, (24, 20, 3)), np.full((24, 20, 1), 255)], 2)
    source = source.astype(np.uint8)
    matrix = affine(40.3, 37.8, scale, turn, False, True, 20, 24)
    patch = place(source, matrix, 80, 80)
    assert patch is not None
    inverse = np.linalg.inv(matrix)
    checked = 0
    for j, i in rng.integers(0, patch.pixels.shape[:2], (300, 2)):
        sx, sy, _ = inverse @ [patch.left + i + 0.5, patch.top + j + 0.5, 1]
        if not (1 < sx < 19 and 1 < sy < 23):
            continue
        checked += 1
        wanted = np.clip(sampled(source, sx, sy), 0, 255)
        assert np.abs(wanted - patch.pixels[j, i]).max() <= 1
    assert checked > 30


def test_shrinking_is_the_mean_over_the_area():
    rng = np.random.default_rng(6)
    source = rng.integers(0, 256, (60, 90, 4)).astype(np.uint8)
    source[..., 3] = 255
    patch = place(source, affine(15, 10, 1 / 3, 0, False, False, 90, 60), 40, 30)
    assert patch is not None
    whole = source.reshape(20, 3, 30, 3, 4).mean((1, 3))
    part = patch.pixels[: 20 - patch.top, : 30 - patch.left]
    assert np.abs(part - whole[patch.top :, patch.left :]).max() <= 0.51


@settings(max_examples=40, deadline=None)
@given(st.floats(0.11, 0.99), st.floats(-3, 3), st.booleans())
def test_shrinking_keeps_the_light(scale, shift, flip):
    """The sum over the canvas is the sum over the source times the area, mirrored or not."""
    rng = np.random.default_rng(7)
    source = np.full((40, 50, 4), 255, np.uint8)
    source[..., :3] = rng.integers(0, 256, (40, 50, 3))
    matrix = affine(40 + shift, 40 - shift, scale, 0, flip, False, 50, 40)
    patch = place(source, matrix, 80, 80)
    assert patch is not None
    wanted = source.sum((0, 1)) * scale**2
    assert np.abs(patch.pixels.sum((0, 1), dtype=float) / wanted - 1).max() < 0.02


def area_means(size: int, scale: float, shift: float, first: int, count: int) -> np.ndarray:
    """How much of each new pixel each source pixel covers, from the overlap of intervals: (count, size)."""
    begin = shift + scale * np.arange(size)[None]
    new = first + np.arange(count)[:, None]
    return np.clip(np.minimum(begin + scale, new + 1) - np.maximum(begin, new), 0, None)


@settings(max_examples=80, deadline=None)
@given(st.integers(0, 2**32), st.integers(1, 40), st.integers(1, 12), st.floats(0.07, 0.999),
       st.floats(0.07, 0.999), st.floats(-9, 9), st.floats(-9, 9))  # fmt: skip
def test_shrinking_any_size_anywhere_is_what_lies_under_each_new_pixel(seed, w, h, sx, sy, x, y):
    rng = np.random.default_rng(seed)
    alpha = rng.choice([0, 0, 120, 255], (h, w, 1))
    source = np.concatenate([rng.integers(0, 256, (h, w, 3)) * alpha // 255, alpha], 2)
    got = resize(source.astype(np.uint8), (sx, sy), (x, y), (-2, -3, 21, 17)).astype(float)
    across, down = area_means(w, sx, x, -2, 21), area_means(h, sy, y, -3, 17)
    wanted = np.einsum("jy,yxc,ix->jic", down, source.astype(float), across)
    assert np.abs(got - wanted).max() <= 0.51


def test_what_grows_from_a_point_costs_no_more_than_its_source():
    source = np.full((900, 500, 4), 255, np.uint8)
    tracemalloc.start()
    got = resize(source, (2e-6, 2e-6), (0.5, 0.5), (0, 0, 5, 5))
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert not got.any()
    assert peak < 30e6
    assert resize(source, (1e-3, 1e-3), (0.0, 0.0), (0, 0, 1, 1))[0, 0, 3] == round(255 * 0.45)


@pytest.mark.parametrize("scale", [1.0, 0.93, 0.4, 1.6])
@pytest.mark.parametrize(("turn", "flip"), [(0, False), (0, True), (23, False)])
def test_rows_that_hold_nothing_may_say_anything(scale, turn, flip):
    rng = np.random.default_rng(8)
    whole = np.zeros((70, 50, 4), np.uint8)
    whole[20:31, 4:44] = rng.integers(0, 256, (11, 40, 1))
    whole[40:57, 11:30] = rng.integers(1, 256, (17, 19, 1))
    held = spans(whole.view(np.uint32)[..., 0])
    loose = whole.copy()
    loose[held[:, 1] == 0] = rng.integers(0, 256, (int((held[:, 1] == 0).sum()), 50, 4))
    loose[31:40] = 0  # what lies between is written
    matrix = affine(30, 40, scale, turn, flip, flip, 50, 70)
    wanted, got = place(whole, matrix, 64, 80), place(loose, matrix, 64, 80, held)
    assert wanted is not None
    assert got is not None
    assert (wanted.left, wanted.top) == (got.left, got.top)
    assert np.array_equal(wanted.pixels, got.pixels)


@pytest.mark.parametrize("size", [(50, 80), (100, 160), (37, 59), (203, 331)])
def test_a_layer_that_covers_the_canvas_has_no_soft_rim(size):
    w, h = size
    solid = np.full((h, w, 4), 255, np.uint8)
    scale = max(100 / w, 160 / h)
    patch = place(solid, affine(50, 80, scale, 0, False, False, w, h), 100, 160)
    assert patch is not None
    assert patch.pixels.shape == (160, 100, 4)
    assert patch.pixels.min() == 255


def test_the_border_is_anti_aliased_by_area():
    solid = np.full((20, 20, 4), 255, np.uint8)
    for turn in (0, 30):
        patch = place(solid, affine(32.3, 31.6, 1.25, turn, False, False, 20, 20), 64, 64)
        assert patch is not None
        area = patch.pixels[..., 3].sum() / 255
        assert area == pytest.approx(25 * 25, rel=0.004)


def test_mirroring_and_whole_steps_move_pixels_unchanged():
    rng = np.random.default_rng(8)
    source = rng.integers(0, 256, (10, 12, 4)).astype(np.uint8)
    source[..., 3] = 255
    patch = place(source, affine(16, 15, 1.0, 0, False, False, 12, 10), 40, 40)
    assert patch is not None
    assert (patch.left, patch.top) == (10, 10)
    assert np.array_equal(patch.pixels, source)
    mirrored = place(source, affine(16, 15, 1.0, 0, True, False, 12, 10), 40, 40)
    assert mirrored is not None
    at = np.s_[10 - mirrored.top : 20 - mirrored.top, 10 - mirrored.left : 22 - mirrored.left]
    assert np.array_equal(mirrored.pixels[at], source[:, ::-1])


def test_what_lies_outside_or_is_clear_is_no_patch():
    solid = np.full((10, 10, 4), 255, np.uint8)
    assert place(solid, affine(-30, 5, 1, 0, False, False, 10, 10), 40, 40) is None
    clear = np.zeros((10, 10, 4), np.uint8)
    assert place(clear, affine(5, 5, 1, 0, False, False, 10, 10), 40, 40) is None


def test_no_colour_from_outside_reaches_a_keyed_edge():
    """A white dot on clear black stays white where it fades: premultiplied, no dark fringe."""
    source = np.zeros((20, 20, 4), np.uint8)
    source[8:12, 8:12] = 255
    patch = place(source, affine(20, 20, 1.5, 33, False, False, 20, 20), 40, 40)
    assert patch is not None
    some = patch.pixels[..., 3] > 0
    spread = patch.pixels[..., :3].max(2).astype(int) - patch.pixels[..., 3]
    assert np.abs(spread[some]).max() <= 1


@pytest.mark.parametrize(("scale", "rotation"), [(1.0, 0), (0.6, 0), (1.4, 0), (0.8, 30)])
def test_a_flat_picture_is_placed_and_joined_as_a_full_one_is(scale, rotation):
    row = np.full((1, 70, 4), (200, 120, 40, 255), np.uint8)
    flat = np.broadcast_to(row, (50, 70, 4))
    matrix = affine(31, 26, scale, rotation, False, False, 70, 50)
    one, other = (place(p, matrix, 64, 48) for p in (flat, np.ascontiguousarray(flat)))
    assert (one.left, one.top) == (other.left, other.top)
    assert np.array_equal(one.pixels, other.pixels)
    joined = [
        compose_rgba8(64, 48, (10, 60, 90), [Join(p, blend, 0.7)])
        for blend in ("normal", "soft-light")
        for p in (one, other)
    ]
    assert np.array_equal(joined[0], joined[1])
    assert np.array_equal(joined[2], joined[3])
    assert not np.array_equal(joined[0], joined[2])


@given(st.integers(1, 130), st.lists(st.tuples(st.integers(0, 5), st.integers(0, 129)), max_size=6))
def test_spans_hold_all_that_is_not_clear(width, marks):
    picture = np.zeros((6, width), np.uint32)
    for y, x in marks:
        picture[y, min(x, width - 1)] = 1 << 24
    for row, (first, last) in zip(picture, spans(picture), strict=True):
        some = np.flatnonzero(row)
        assert (first, last) == ((some[0], some[-1] + 1) if some.size else (0, 0))
