"""Outlines from SVG files: the first closed form of a file as a drawn mask's outline, curves as curves."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from math import ceil, pi
from xml.etree import ElementTree

from svgelements import Arc, CubicBezier, Line, Matrix, Move, Path, QuadraticBezier

from velvet_seam.core.masks import Vertex
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.points import with_point

MOST_BYTES = 1 << 20
MOST_POINTS = 2000
_NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"
_FORMS = ("path", "polygon", "polyline", "circle", "ellipse", "rect")


@dataclass(frozen=True)
class SvgOutline:
    """An outline about its own middle, in the units of the file, and how wide and high it is."""

    points: tuple[Vertex, ...]
    width: float
    height: float


def read_svg_outline(data: bytes) -> SvgOutline:
    """The first closed form of an SVG file, moved, turned and scaled as the groups around it say.

    Raises:
        Problem: it is no SVG, too long, holds no form, or one of too few or too many points.
    """
    if len(data) > MOST_BYTES:
        raise Problem("This SVG file is longer than 1 MB. Nothing was added.")
    if b"<!ENTITY" in data or (
        b"<!DOCTYPE" in data and b"[" in data.split(b"<!DOCTYPE", 1)[1][:400]
    ):
        raise Problem(
            "This SVG file defines words of its own, which are not read. Nothing was added."
        )
    try:
        root = ElementTree.fromstring(data)
    except (ElementTree.ParseError, ValueError, RecursionError):
        raise Problem("This is not an SVG file that can be read. Nothing was added.") from None
    for form, matrix in _forms(root, Matrix(), 0):
        try:
            points = _points((_path(form) * matrix).reify())
        except Problem:
            raise
        except (
            ValueError,
            TypeError,
            IndexError,
            AttributeError,
            ZeroDivisionError,
            OverflowError,
        ):
            continue
        if len(points) >= 3:
            return _about_its_middle(points)
    raise Problem("This SVG file holds no closed form that can be read. Nothing was added.")


def _forms(
    element: ElementTree.Element, matrix: Matrix, depth: int
) -> Iterator[tuple[ElementTree.Element, Matrix]]:
    """Elements that are drawn, with what moves them, in the order of the file."""
    if depth > 60:
        return
    for child in element:
        name = str(child.tag).rpartition("}")[2]
        if name in ("defs", "clipPath", "mask", "symbol", "pattern", "style", "script"):
            continue
        here = matrix
        transform = child.get("transform")
        if transform and len(transform) < 2000:
            try:
                here = Matrix(transform) * matrix
            except (ValueError, TypeError, IndexError):
                here = matrix
        if name in _FORMS:
            yield child, here
        else:
            yield from _forms(child, here, depth + 1)


def _path(form: ElementTree.Element) -> Path:
    """Any form as a path."""
    name = str(form.tag).rpartition("}")[2]

    def number(key: str, otherwise: float = 0.0) -> float:
        return _length(form.get(key), otherwise)

    if name == "path":
        text = form.get("d", "")
        # about three numbers a point at least: more is refused before it is worked out
        if len(re.findall(_NUMBER, text)) > 8 * MOST_POINTS:
            raise Problem(_too_many(f"more than {MOST_POINTS}"))
        return Path(text)
    if name in ("polygon", "polyline"):
        numbers = [float(one) for one in re.findall(_NUMBER, form.get("points", ""))]
        if len(numbers) > 2 * MOST_POINTS:
            raise Problem(_too_many(str(len(numbers) // 2)))
        pairs = list(zip(numbers[::2], numbers[1::2], strict=False))
        return Path("M" + "L".join(f"{x} {y}" for x, y in pairs) + "Z")
    if name == "rect":
        x, y, w, h = (number(key) for key in ("x", "y", "width", "height"))
        return Path(f"M{x} {y}h{w}v{h}h{-w}Z")
    cx, cy = number("cx"), number("cy")
    rx, ry = number("rx", number("r")), number("ry", number("r"))
    across = f"a{rx} {ry} 0 0 1 {{}} {{}}"
    quarters = [(rx, ry), (-rx, ry), (-rx, -ry), (rx, -ry)]
    return Path(f"M{cx} {cy - ry}" + "".join(across.format(dx, dy) for dx, dy in quarters) + "Z")


def _length(text: str | None, otherwise: float) -> float:
    found = re.match(_NUMBER, text or "")
    return float(found[0]) if found else otherwise


def _points(path: Path) -> list[Vertex]:
    """Vertices with handles of the first closed line of a path."""
    spots: list[list[float]] = []  # x, y, in x, in y, out x, out y
    for part in path:
        if isinstance(part, Move):
            if len(spots) >= 2:
                break
            spots = [[part.end.x, part.end.y, 0, 0, 0, 0]]
            continue
        curves = [part]
        if isinstance(part, Arc):  # a curve for every quarter of a turn
            curves = part.as_cubic_curves(max(1, ceil(abs(part.sweep) / (pi / 2) - 1e-6)))
        for curve in curves:
            _add(spots, curve)
        if len(spots) > MOST_POINTS + 1:
            raise Problem(_too_many(f"more than {MOST_POINTS}"))
    first, last = spots[0], spots[-1]
    if len(spots) > 1 and abs(first[0] - last[0]) + abs(first[1] - last[1]) < 1e-6:
        first[2:4] = last[2:4]  # it ends where it began
        spots.pop()
    points = [Vertex(x=x, y=y, in_x=a, in_y=b, out_x=c, out_y=d) for x, y, a, b, c, d in spots]
    curved = len(points) == 2 and any(
        (points[0].out_x, points[0].out_y, points[1].in_x, points[1].in_y)
    )
    return list(with_point(tuple(points), 0, 0.5)) if curved else points


def _add(spots: list[list[float]], part: object) -> None:
    """One more piece of a line: its controls become the handles of the points at its ends."""
    if isinstance(part, CubicBezier):
        end, one, other = part.end, part.control1, part.control2
        spots[-1][4:6] = [one.x - spots[-1][0], one.y - spots[-1][1]]
        spots.append([end.x, end.y, other.x - end.x, other.y - end.y, 0, 0])
    elif isinstance(part, QuadraticBezier):
        end, middle = part.end, part.control
        here = spots[-1]
        here[4:6] = [(middle.x - here[0]) * 2 / 3, (middle.y - here[1]) * 2 / 3]
        spots.append([end.x, end.y, (middle.x - end.x) * 2 / 3, (middle.y - end.y) * 2 / 3, 0, 0])
    elif isinstance(part, Line):
        spots.append([part.end.x, part.end.y, 0, 0, 0, 0])


def _about_its_middle(points: list[Vertex]) -> SvgOutline:
    xs, ys = [one.x for one in points], [one.y for one in points]
    cx, cy = (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2
    moved = tuple(one.model_copy(update={"x": one.x - cx, "y": one.y - cy}) for one in points)
    width, height = max(xs) - min(xs), max(ys) - min(ys)
    if width <= 0 or height <= 0:
        raise Problem("The outline of this SVG file has no area. Nothing was added.")
    return SvgOutline(moved, width, height)


def _too_many(count: str) -> str:
    return f"This outline has {count} points; up to {MOST_POINTS} can be used. Nothing was added."
