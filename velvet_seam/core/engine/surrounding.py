"""Surrounding: the steps that draw what lies around a layer, from the layer as it lies on the canvas.

It is placed on a wider sheet than the picture's, so that what lies outside still casts its shadow in.
"""

from __future__ import annotations

from dataclasses import replace
from math import ceil

import numpy as np

from velvet_seam.core.around import AROUND, wrapped
from velvet_seam.core.engine.adjusting import to_bytes, to_shown
from velvet_seam.core.engine.sheet import Sheet, Window
from velvet_seam.core.picture.compose import Below
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.shot.around import Around
from velvet_seam.core.steps import Step, step
from velvet_seam.core.timing.at import At

Joins = list[tuple[Step, str, float]]


def wider(sheet: Sheet, around: Around, at: At) -> Sheet:
    """A sheet with as much around it as is needed; beyond the canvas, too."""
    per = sheet.per
    held = [getattr(around, name) for name in AROUND]
    reach = ceil(per * max(one.reach(at) for one in held if one.on))
    left, top, width, height = sheet.window
    return replace(sheet, window=(left - reach, top - reach, width + 2 * reach, height + 2 * reach))


def surrounded(
    around: Around,
    at: At,
    on: Sheet,
    sheet: Sheet,
    placed: Step,
    layer: Step,
    blend: str,
    opacity: float,
) -> Joins:
    """A layer with what lies around it, to be joined from the lowest up.

    Args:
        on: the wider sheet, on which the layer has been ``placed``.
        sheet: that of the picture.
        layer: the layer itself on the picture's sheet.
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
