"""Surrounding: the steps that draw what lies around a layer, from the layer as it lies on the canvas.

It is placed on a wider sheet than the picture's, so that what lies outside still casts its shadow in.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from math import ceil, floor, sqrt

import numpy as np

from velvet_seam.core.around import AROUND, Lies, wrapped
from velvet_seam.core.engine.adjusting import to_bytes, to_shown
from velvet_seam.core.engine.sheet import Sheet, Window
from velvet_seam.core.picture.compose import Below
from velvet_seam.core.picture.placement import Matrix, Patch
from velvet_seam.core.shot.around import Around
from velvet_seam.core.steps import Step, step
from velvet_seam.core.timing.at import At

Joins = list[tuple[Step, str, float]]

MOST_PIXELS = 8_000_000
"""Of a picture of all of a layer, by whose whole edge something goes; a larger one is made smaller."""

ROOM = 60
"""Canvas pixels that a layer may reach beyond its frame, as its edge grows."""


@dataclass(frozen=True)
class Whole:
    """All of a layer, beyond the canvas too, and how the sheet it was placed on lies on it."""

    placed: Step
    lies: Lies


def wider(sheet: Sheet, around: Around, at: At) -> Sheet:
    """A sheet with as much around it as is needed; beyond the canvas, too."""
    per = sheet.per
    held = [getattr(around, name) for name in AROUND]
    reach = ceil(per * max(one.reach(at) for one in held if one.on))
    left, top, width, height = sheet.window
    return replace(sheet, window=(left - reach, top - reach, width + 2 * reach, height + 2 * reach))


def by_whole_edge(around: Around, at: At) -> bool:
    """Whether anything around a layer goes by all of its edge."""
    held = (getattr(around, name) for name in AROUND)
    return any(one.on and one.by_whole_edge(at) for one in held)


def holding(on: Sheet, to_sheet: Matrix, extent: tuple[int, int]) -> Sheet:
    """A sheet that holds all of a layer, and what another one shows; that one where it does already.

    Args:
        to_sheet: 3 × 3, from source pixels to those of ``on``.
        extent: of the layer, source pixels.
    """
    wide, high = extent
    corners = np.array([[0, 0, 1], [wide, 0, 1], [wide, high, 1], [0, high, 1.0]]) @ to_sheet.T
    if corners[:, 2].min() <= 1e-6:  # it reaches behind who looks at it, or nothing of it is seen
        return on
    places = corners[:, :2] / corners[:, 2:]
    if (places >= 0).all() and (places <= on.size).all():
        return on
    least, most = places.min(axis=0) - ROOM * on.per, places.max(axis=0) + ROOM * on.per
    left, top = on.window[:2]
    first = [min(0, floor(n)) for n in least]
    size = [max(own, ceil(n)) - begin for own, n, begin in zip(on.size, most, first, strict=True)]
    by = min(1.0, sqrt(MOST_PIXELS / (size[0] * size[1])))
    view = None if on.view is None else tuple(by * n for n in on.view)
    return replace(
        on, view=view, whole=(max(1, round(by * on.whole[0])), max(1, round(by * on.whole[1]))),
        window=(round(by * (left + first[0])), round(by * (top + first[1])),
                max(1, round(by * size[0])), max(1, round(by * size[1]))),
    )  # fmt: skip


def all_of(
    on: Sheet, placed: Step, extent: tuple[int, int], to_sheet: Callable[[Sheet], Matrix],
    place: Callable[[Sheet], Step],
) -> Whole:  # fmt: skip
    """All of a layer that was ``placed`` on a sheet: placed on another one where that does not hold it."""
    held = holding(on, to_sheet(on), extent)
    across = held.matrix() @ np.linalg.inv(on.matrix())
    corner = to_sheet(held) @ (0.0, 0.0, 1.0)
    begin = (corner[:2] / corner[2]).tolist() if corner[2] > 1e-6 else [0.0, 0.0]
    lies = Lies(
        on.size, float(across[0, 2]), float(across[1, 2]), float(across[0, 0]), float(across[1, 1]),
        (begin[0], begin[1]),
    )  # fmt: skip
    return Whole(placed if held == on else place(held), lies)


def surrounded(
    around: Around,
    at: At,
    on: Sheet,
    sheet: Sheet,
    placed: Step,
    layer: Step,
    blend: str,
    opacity: float,
    whole: Whole | None = None,
) -> Joins:
    """A layer with what lies around it, to be joined from the lowest up.

    Args:
        on: the wider sheet, on which the layer has been ``placed``.
        sheet: that of the picture.
        layer: the layer itself on the picture's sheet.
        whole: all of it, where anything goes by its whole edge.
    """
    per = sheet.per
    window = _inside(on, sheet)
    under: Joins = []
    over: Joins = []
    for name in AROUND:
        one = getattr(around, name)
        drawn = one.drawn(at, per) if one.on else None
        if drawn is None:
            continue
        if drawn.whole and whole:
            args = (*drawn.args, whole.lies)
            made = step(f"around-{name}", drawn.function, args, placed, whole.placed)
        else:
            made = step(f"around-{name}", drawn.function, drawn.args, placed)
        made = step("around-cut", cut_out, (window,), made, keep=False)
        (under if drawn.under else over).append((made, drawn.blend, opacity))
    return [*under, (layer, blend, opacity), *over]


def _inside(on: Sheet, sheet: Sheet) -> Window:
    """Where a sheet lies on a wider one."""
    left, top = sheet.window[0] - on.window[0], sheet.window[1] - on.window[1]
    return left, top, *sheet.size


def cut(on: Sheet, sheet: Sheet, placed: Step) -> Step:
    """A patch on a wider sheet as it lies on the one inside."""
    return step("around-cut", cut_out, (_inside(on, sheet),), placed, keep=False)


def cut_out(window: Window, patch: Patch | None) -> Patch | None:
    """As much of a patch as lies in a window, counted from the window's corner."""
    if patch is None:
        return None
    left, top, width, height = window
    h, w = patch.pixels.shape[:2]
    x, y = patch.left - left, patch.top - top
    x0, y0, x1, y1 = max(x, 0), max(y, 0), min(x + w, width), min(y + h, height)
    if x0 >= x1 or y0 >= y1:
        return None
    return Patch(x0, y0, np.ascontiguousarray(patch.pixels[y0 - y : y1 - y, x0 - x : x1 - x]))


def lit_by(
    wrap: tuple[float, float], linear: bool, corner: tuple[int, int], layer: Step, below: Step
) -> Step:
    """A layer with the light of what lies below over its rim."""
    return step("light-wrap", _lit_by, (*wrap, linear, *corner), layer, below)


def _lit_by(
    sigma: float,
    strength: float,
    linear: bool,
    left: int,
    top: int,
    patch: Patch | None,
    below: Below,
) -> Patch | None:
    return wrapped(
        sigma, strength, patch, to_bytes(to_shown(below) if linear else below), left, top
    )
