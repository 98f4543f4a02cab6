"""Masks: areas against geometry, feather and growth as lengths, bad outlines, carriage over turns."""

from __future__ import annotations

import time
from math import cos, pi, radians, sin

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velvet_seam.core.picture.coverage import all_joined, faded, joined, mixed, weighed
from velvet_seam.core.picture.outline import cover_outline, flattened, star
from velvet_seam.core.picture.shape import BAND, BOX, OVAL, STRAIGHT, Soft, cover

SIZE = (300, 260)


def about(x: float, y: float, turn: float = 0.0, scale: float = 1.0) -> np.ndarray:
    """From picture pixels to a shape's own, placed at x, y, turned and enlarged."""
    a = radians(turn)
    back = np.array([[cos(a), sin(a), 0], [-sin(a), cos(a), 0], [0, 0, 1]])
    return np.diag([1 / scale, 1 / scale, 1]) @ back @ np.array([[1, 0, -x], [0, 1, -y], [0, 0, 1]])


def area(plane: np.ndarray) -> float:
    return float(plane.sum() / 255)


def polygon_area(line: np.ndarray) -> float:
    x, y = line[:, 0], line[:, 1]
    return abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1))) / 2


@settings(max_examples=40, deadline=None)
@given(st.floats(-180, 180), st.floats(1, 2), st.floats(45, 60), st.floats(40, 50),
       st.floats(-5, 5), st.floats(-5, 5))  # fmt: skip
def test_areas_are_those_of_geometry(turn, scale, a, b, dx, dy):
    a, b = min(a, 110 / scale), min(b, 110 / scale)
    at, soft = about(150 + dx, 130 + dy, turn, scale), Soft()
    oval = cover(SIZE, OVAL, at, (a, b), scale, soft)
    assert area(oval) == pytest.approx(pi * a * b * scale**2, rel=2e-3)
    k = min(1.0, 100 / (max(a, b) * scale * 2**0.5))
    a, b = a * k, b * k
    box = cover(SIZE, BOX, at, (a, b, 0), scale, soft)
    assert area(box) == pytest.approx(4 * a * b * scale**2, rel=2e-3)
    r = min(a, b) / 2
    rounded = cover(SIZE, BOX, at, (a, b, r), scale, soft)
    assert area(rounded) == pytest.approx((4 * a * b - (4 - pi) * r * r) * scale**2, rel=2e-3)
    points = star(5, a, 0.45)
    c, s = cos(radians(turn)) * scale, sin(radians(turn)) * scale
    turned = points[:, :2] @ np.array([[c, s], [-s, c]]) + (150 + dx, 130 + dy)
    made = cover_outline(SIZE, np.column_stack([turned, points[:, 2]]), 1.0, soft)
    assert area(made) == pytest.approx(polygon_area(turned), rel=4e-3)


def test_a_circle_of_curves_has_the_area_of_a_circle():
    """Four cubic curves with handles of 0.5523 radii lie within 0.03 % of a circle."""
    r, k = 80.0, 80 * 0.5522847
    corners = [(r, 0, 0, -k, 0, k), (0, r, k, 0, -k, 0), (-r, 0, 0, k, 0, -k), (0, -r, -k, 0, k, 0)]
    line = flattened(np.array([(x + 150.3, y + 130.6, *h, 0) for x, y, *h in corners]))
    assert area(cover_outline(SIZE, line, 1.0, Soft())) == pytest.approx(pi * r * r, rel=2e-3)


def test_feather_and_growth_are_lengths_at_any_scale_and_turn():
    for scale, turn in ((1.0, 0), (0.4, 30), (2.5, -75)):
        at = about(150, 130, turn, scale)
        plane = cover(SIZE, STRAIGHT, at, (), scale, Soft(grow=7, inside=10, outside=30))
        a = radians(turn)
        for d in (-20, -3.1, 0, 12, 25, 36.5, 40):
            # a place at a distance of d from the line, along its normal
            x, y = 150 + d * cos(a), 130 + d * sin(a)
            near = cv2.getRectSubPix(plane.astype(np.float32), (1, 1), (x - 0.5, y - 0.5))[0, 0]
            wanted = np.clip((37 - d) / 40, 0, 1) * 255
            assert abs(near - wanted) < 2.5, (scale, turn, d)


def test_an_outline_has_the_same_soft_edge_as_the_shape_it_follows():
    soft = Soft(grow=3, inside=12, outside=25)
    box = cover(SIZE, BOX, about(150, 130), (70, 50, 0), 1.0, soft)
    corners = np.array([[80, 80, 0], [220, 80, 0], [220, 180, 0], [80, 180, 0]], float)
    drawn = cover_outline(SIZE, corners, 1.0, soft)
    assert np.abs(box.astype(int) - drawn).max() <= 1
    wide = Soft(inside=10, outside=110)  # computed on a smaller picture
    box = cover(SIZE, BOX, about(150, 130), (70, 50, 0), 1.0, wide)
    drawn = cover_outline(SIZE, corners, 1.0, wide)
    assert np.abs(box.astype(int) - drawn).mean() < 1.5


def test_each_point_may_have_a_wider_feather():
    corners = np.array([[80, 80, 0], [220, 80, 0], [220, 180, 40], [80, 180, 40]], float)
    plane = cover_outline(SIZE, corners, 1.0, Soft())
    assert plane[78, 150] == 0  # hard above
    assert plane[200, 150] == pytest.approx(255 * (1 - 20.5 / 40), abs=4)  # soft below


@pytest.mark.parametrize(
    "line",
    [
        np.zeros((2, 3)),
        np.zeros((3, 3)),
        np.array([[0, 0, 0], [50, 50, 0], [100, 100, 0]], float),  # no area
        np.array([[np.nan, 0, 0], [50, 50, 0], [100, 0, 0]]),
        np.array([[-1e6, -1e6, 0], [1e6, -1e6, 0], [0, 1e6, 0]]),
    ],
)
def test_outlines_without_sense_do_no_harm(line):
    plane = cover_outline((60, 40), line, 1.0, Soft(outside=5))
    assert plane.shape == (40, 60)


def test_where_an_outline_crosses_itself_the_even_odd_rule_holds():
    ring = np.array([[20, 20, 0], [80, 20, 0], [80, 80, 0], [20, 80, 0], [20, 20, 0],
                     [40, 40, 0], [40, 60, 0], [60, 60, 0], [60, 40, 0], [40, 40, 0]], float)  # fmt: skip
    plane = cover_outline((100, 100), ring, 1.0, Soft())
    assert (plane[50, 50], plane[30, 50], plane[10, 50]) == (0, 255, 0)


def test_an_outline_of_ten_thousand_points_is_no_matter():
    a = np.linspace(0, 2 * pi, 10_000, endpoint=False)
    r = 400 + 60 * np.sin(31 * a)
    line = np.column_stack([540 + r * np.cos(a), 960 + r * np.sin(a), np.zeros(10_000)])
    cover_outline((32, 32), line / 40, 1.0, Soft())
    begin = time.monotonic()
    plane = cover_outline((1080, 1920), line, 1.0, Soft(outside=200))
    assert time.monotonic() - begin < 20  # it ends: not a measurement
    assert area(cover_outline((1080, 1920), line, 1.0, Soft())) == pytest.approx(
        polygon_area(line), rel=1e-3
    )
    assert plane[960, 540] == 255


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 255), st.sampled_from(["add", "subtract", "intersect"])),
                min_size=1, max_size=5))  # fmt: skip
def test_planes_join_as_probabilities_do(parts):
    planes = [(np.full((1, 1), value, np.uint8), how) for value, how in parts]
    value, how = parts[0]
    wanted = 1 - value / 255 if how == "subtract" else value / 255
    for value, how in parts[1:]:
        p = value / 255
        wanted = {
            "add": 1 - (1 - wanted) * (1 - p),
            "subtract": wanted * (1 - p),
            "intersect": wanted * p,
        }[how]
    assert abs(int(all_joined(planes)[0, 0]) - 255 * wanted) <= 0.5 * len(parts) + 0.01


def test_a_plane_on_a_picture():
    rng = np.random.default_rng(5)
    alpha = rng.integers(0, 256, (40, 50, 1))
    cut = np.concatenate([rng.integers(0, 256, (40, 50, 3)) * alpha // 255, alpha], 2).astype(
        np.uint8
    )
    other = rng.integers(0, 256, (40, 50, 4)).astype(np.uint8)
    plane = rng.integers(0, 256, (40, 50)).astype(np.uint8)
    k = plane[..., None] / 255
    assert np.abs(weighed(cut, plane) - cut * k).max() <= 0.51
    assert np.abs(mixed(cut, other, plane) - (cut * (1 - k) + other * k)).max() <= 0.51
    assert (weighed(cut, np.zeros_like(plane)) == 0).all()
    assert (weighed(cut, np.full_like(plane, 255)) == cut).all()
    assert (joined(plane, faded(plane, 1, True), "add") >= 191).all()


def test_a_band_is_as_wide_as_it_says():
    plane = cover(SIZE, BAND, about(150, 130, 0), (20.0,), 1.0, Soft())
    assert area(plane) == pytest.approx(40 * SIZE[1], rel=1e-3)
