"""Outlines from SVG files: the form that is drawn, as few points as it has, and nothing that takes long."""

from __future__ import annotations

from math import pi

import numpy as np
import pytest

from velvet_seam.core.formats.svg_outline import MOST_POINTS, read_svg_outline
from velvet_seam.core.picture.outline import flattened
from velvet_seam.core.problem import Problem

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">'


def svg(inner: str) -> bytes:
    return f"{HEAD}{inner}</svg>".encode()


def area(data: bytes) -> float:
    """Of the curves, finely cut."""
    found = read_svg_outline(data)
    rows = [(v.x, v.y, v.in_x, v.in_y, v.out_x, v.out_y, 0) for v in found.points]
    line = flattened(np.array(rows, float), 0.001)
    x, y = line[:, 0], line[:, 1]
    return abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1))) / 2


@pytest.mark.parametrize(
    ("inner", "wanted", "points"),
    [
        ('<rect x="3" y="4" width="40" height="10"/>', 400, 4),
        ('<circle cx="9" cy="9" r="20"/>', pi * 400, 4),
        ('<ellipse cx="9" cy="9" rx="20" ry="5"/>', pi * 100, 4),
        ('<polygon points="0,0 30,0 30,20"/>', 300, 3),
        ('<path d="M0 0 C 0 20 20 20 20 0 Z"/>', 240, 2 + 1),
        ('<path d="M10 50 A 40 40 0 0 1 90 50 A 40 40 0 0 1 10 50"/>', pi * 1600, 4),
        ('<path d="M0 0h30v20h-30z M100 100h5v5h-5z"/>', 600, 4),
        ('<path d="M0 0 Q 10 30 20 0 L 20 -10 L 0 -10 Z"/>', 200 + 200, 4),
    ],
)
def test_forms_have_their_area_and_no_more_points_than_they_need(inner, wanted, points):
    data = svg(inner)
    assert area(data) == pytest.approx(wanted, rel=2e-3)
    assert len(read_svg_outline(data).points) <= points + 2


def test_groups_move_turn_and_scale_what_is_in_them():
    inner = '<g transform="scale(2 3)"><g transform="rotate(30) translate(9 4)"><rect width="10" height="10"/></g></g>'
    assert area(svg(inner)) == pytest.approx(600, rel=1e-3)
    defined = '<defs><rect width="90" height="90"/></defs><clipPath><circle r="3"/></clipPath>'
    assert area(svg(defined + '<rect width="5" height="4"/>')) == pytest.approx(20)


def test_it_lies_about_its_middle():
    found = read_svg_outline(svg('<rect x="300" y="-20" width="40" height="10"/>'))
    assert (found.width, found.height) == (40, 10)
    assert sorted({(abs(v.x), abs(v.y)) for v in found.points}) == [(20, 5)]


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "not an SVG"),
        (b"<svg", "not an SVG"),
        (svg("<text>moth</text>"), "no closed form"),
        (svg('<path d="M0 0 L 5 5"/>'), "no closed form"),
        (svg('<path d="nonsense"/>'), "no closed form"),
        (svg('<rect width="nan" height="x"/>'), "no closed form|no area"),
        (svg(f'<path d="M0 0{"a1 1 0 0 1 1 1" * 120_000}z"/>')[:1 << 20], "not an SVG|points"),
        (svg(f'<path d="M0 0{"l1 1" * 100_000}z"/>'), f"more than {MOST_POINTS} points"),
        (svg(f'<polygon points="{"1 2 " * 90_000}"/>'), "90000 points"),
        (b"<svg>" + b" " * (1 << 20) + b"</svg>", "longer than 1 MB"),
        (b'<!DOCTYPE svg [<!ENTITY a "aaaa">]><svg>&a;</svg>', "words of its own"),
        (b"<svg>" + b"<g>" * 5000 + b"</g>" * 5000 + b"</svg>", "no closed form|not an SVG"),
    ],
)  # fmt: skip
def test_what_is_none_or_too_much_is_refused_with_a_sentence(data, says):
    with pytest.raises(Problem, match=says):
        read_svg_outline(data)
