"""Masking: the steps that give the coverage of a layer's masks, over its picture or over the sheet."""

from __future__ import annotations

from collections.abc import Callable
from math import ceil, floor, radians
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.engine.step import Step, step
from velvet_seam.core.picture import outline, shape
from velvet_seam.core.picture.coverage import Plane, all_joined, faded
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.mask import (
    BandMask,
    BoxMask,
    DrawnMask,
    Mask,
    OvalMask,
    StarMask,
    StraightMask,
    outline_at,
)
from velvet_seam.core.timing.animated import Animated, value_at

if TYPE_CHECKING:
    from velvet_seam.core.engine.plan import Planner


class Masking:
    """The masks of one layer, ``at`` frames after its first, over a picture of so many source pixels."""

    def __init__(self, planner: Planner, layer: Layer, at: int, width: int, height: int) -> None:
        self._planner, self._layer, self._at = planner, layer, at
        self._width, self._height = width, height
        self._scale = self._number(layer.place.scale) / 100

    def _number(self, value: Animated) -> float:
        return value_at(value, self._at)

    def planes(self, masks: list[Mask], use: str, on_canvas: bool) -> Step:
        """The coverage of some masks together."""
        planes = [self._plane(mask, on_canvas) for mask in masks]
        hows = [mask.combine if use == "limit" else "add" for mask in masks]
        if len(planes) == 1 and hows[0] != "subtract":
            return planes[0]
        return step(
            "mask-planes",
            lambda *made: all_joined(list(zip(made, hows, strict=True))),
            hows,
            *planes,
        )

    def _plane(self, mask: Mask, on_canvas: bool) -> Step:
        draw = self._drawing(mask, on_canvas)
        opacity, invert = self._number(mask.opacity) / 100, mask.invert
        place = [
            self._number(v)
            for v in (mask.x, mask.y, mask.rotation, mask.grow, mask.feather_in, mask.feather_out)
        ]
        drawn = _points(mask, self._at).tobytes() if isinstance(mask, DrawnMask) else b""
        numbers = [
            self._number(getattr(mask, n))
            for n in ("width", "height", "round", "radius", "inner")
            if hasattr(mask, n)
        ]
        count = round(self._number(mask.points)) if isinstance(mask, StarMask) else 0
        here = min(1.0, self._thickness(mask) * (1.0 if on_canvas else self._scale))
        params: tuple[Any, ...] = (mask.kind, opacity, invert, place, numbers, count, drawn, here)
        if on_canvas:
            sheet = self._planner.sheet
            size = (sheet.width, sheet.height)
        else:
            params = (*params, self._scale, self._width, self._height)
            size = self._planner.picture_size(self._layer)

        def plane() -> Plane:
            return faded(faded(draw(*size), here, False), opacity, invert)

        return step("mask-plane", plane, (*params, size))

    def _thickness(self, mask: Mask) -> float:
        """The least extent of a shape in its own pixels. What is thinner than a pixel of the canvas covers
        only as much of one, so that a shape that grows from nothing begins with nothing, however soft."""
        sizes = [self._number(getattr(mask, n)) for n in ("width", "height") if hasattr(mask, n)]
        if isinstance(mask, StarMask):
            radius = self._number(mask.radius)
            sizes = [2 * radius, 2 * radius * self._number(mask.inner) / 100]
        elif isinstance(mask, DrawnMask):
            points = _points(mask, self._at)
            at = points[:, :2]
            every = np.concatenate([at, at + points[:, 2:4], at + points[:, 4:6]])
            spread = np.linalg.eigvalsh(np.cov(every.T, ddof=0))  # across and along
            sizes = [2 * float(np.sqrt(max(spread[0], 0.0)))]
        return min(sizes, default=np.inf)

    def _drawing(self, mask: Mask, on_canvas: bool) -> Callable[[int, int], Plane]:
        """A function from a picture's size to the mask's coverage over it."""
        sheet = self._planner.sheet
        if on_canvas:
            wide, high, unit = sheet.canvas_width, sheet.canvas_height, 1.0
        else:
            wide, high, unit = self._width, self._height, self._scale
        x, y = self._number(mask.x) + wide / 2, self._number(mask.y) + high / 2
        turn = radians(self._number(mask.rotation))
        grow, inside, outside = (
            self._number(v) for v in (mask.grow, mask.feather_in, mask.feather_out)
        )
        c, s = np.cos(turn), np.sin(turn)
        n = self._number

        def draw(width: int, height: int) -> Plane:
            across, down = wide / width, high / height
            soft = shape.Soft(grow, inside, outside, unit * across)
            # from picture pixels to the mask's own, turned back about its point
            to_own = np.array(
                [[c, s, -c * x - s * y], [-s, c, s * x - c * y], [0, 0, 1]]
            ) @ np.diag([across, down, 1])
            if isinstance(mask, StraightMask):
                return shape.cover((width, height), shape.STRAIGHT, to_own, (), unit, soft)
            if isinstance(mask, BandMask):
                return shape.cover(
                    (width, height), shape.BAND, to_own, (n(mask.width) / 2,), unit, soft
                )
            if isinstance(mask, OvalMask):
                radii = (n(mask.width) / 2, n(mask.height) / 2)
                return shape.cover((width, height), shape.OVAL, to_own, radii, unit, soft)
            if isinstance(mask, BoxMask):
                sides = (n(mask.width) / 2, n(mask.height) / 2, n(mask.round))
                return shape.cover((width, height), shape.BOX, to_own, sides, unit, soft)
            line = self._outline(mask)
            back = np.linalg.inv(to_own)
            points = np.column_stack([line[:, :2], np.ones(len(line))]) @ back.T
            line = np.column_stack([points[:, :2], line[:, 2]])
            return outline.cover_outline((width, height), line, unit * across, soft)

        return draw

    def _outline(self, mask: Mask) -> NDArray[np.float64]:
        """A star's or a drawn mask's polygon about its own point: (n, 3)."""
        if isinstance(mask, StarMask):
            inner = self._number(mask.inner) / 100
            return outline.star(round(self._number(mask.points)), self._number(mask.radius), inner)
        assert isinstance(mask, DrawnMask)
        return outline.flattened(_points(mask, self._at))

    def rows_left(self) -> tuple[float, float]:
        """What the masks leave of a layer's height, as parts of it: the rest need not be keyed."""
        edge = self._layer.seam.edge
        if self._number(edge.specks) or self._number(edge.holes):
            return 0.0, 1.0
        margin = abs(self._number(edge.grow)) + 2 * self._number(edge.feather) + 4
        whole = (0.0, float(self._height))
        left: tuple[float, float] | None = None  # rows that the masks so far leave something of
        for mask in self._layer.seam.masks:
            if not mask.on or mask.use != "limit" or mask.fixed != "layer":
                continue
            top, bottom = self._rows_of(mask, margin) or whole
            if mask.combine == "subtract":  # it takes something out of them, but no row wholly
                left = left or whole
            elif left is None:
                left = (top, bottom)
            elif mask.combine == "add":
                left = (min(left[0], top), max(left[1], bottom))
            else:
                left = (max(left[0], top), min(left[1], bottom))
        top, bottom = left or whole
        # in steps of a sixteenth, so that dragging a mask does not key the layer anew at every pixel
        first = floor(min(max(top, 0), self._height) / self._height * 16) / 16
        last = ceil(min(max(bottom, 0), self._height) / self._height * 16) / 16
        return first, max(first, last)

    def _rows_of(self, mask: Mask, margin: float) -> tuple[float, float] | None:
        """The rows of the layer that an upright box or oval reaches; None where it is not known."""
        if mask.invert or not isinstance(mask, BoxMask | OvalMask) or self._number(mask.rotation):
            return None
        middle = self._number(mask.y) + self._height / 2
        beyond = self._number(mask.feather_out) + max(self._number(mask.grow), 0) + margin
        reach = self._number(mask.height) / 2 + beyond / self._scale
        return middle - reach, middle + reach


def _points(mask: DrawnMask, at: int) -> NDArray[np.float64]:
    """A drawn outline's points at a frame of the layer: (n, 7), as ``flattened`` takes them."""
    rows = [
        (v.x, v.y, v.in_x, v.in_y, v.out_x, v.out_y, v.feather)
        for v in outline_at(mask.outline, at)
    ]
    return np.array(rows, np.float64)
