"""A nested shot that is only placed: its layers join one by one, as if they lay in the outer shot."""

from __future__ import annotations

import numpy as np

from velvet_seam.core.engine.nested import Nested
from velvet_seam.core.picture.blend import EVERYWHERE, NUMBER
from velvet_seam.core.picture.coverage import mixed
from velvet_seam.core.picture.placement import Matrix, Patch, PlanesPatch
from velvet_seam.core.picture.shape import BOX, Soft, cover
from velvet_seam.core.steps import Step, step

Joins = tuple[tuple[Step, str, float], ...]


def can_pass(nested: Nested, frame: int, linear: bool) -> bool:
    """Whether the layers of a nested shot at a frame of it may join what lies below them in another shot: none of
    them asks for all that lies below it in its own."""
    shot = nested.shot
    if shot.canvas.background != "none" or (shot.light == "linear") != linear:
        return False
    seen = [one for one in shot.layers if not one.hidden and one.span.holds(frame)]
    return not any(
        one.source.adjusts or one.around.wrap.on or NUMBER[one.seam.blend] in EVERYWHERE
        for one in seen
    )


def holds_all(matrix: Matrix, canvas: tuple[int, int], size: tuple[int, int]) -> bool:
    """Whether a canvas that lies on a sheet as an affine matrix says covers it wholly."""
    back = np.linalg.inv(matrix)
    corners = back @ np.array([[0, size[0], size[0], 0], [0, 0, size[1], size[1]], [1, 1, 1, 1.0]])
    x, y = corners[:2]
    near = 1e-6
    inside = x.min() >= -near and y.min() >= -near
    return bool(inside and x.max() <= canvas[0] + near and y.max() <= canvas[1] + near)


def clipped(joins: Joins, matrix: Matrix, canvas: tuple[int, int], size: tuple[int, int]) -> Joins:
    """Nothing of a nested shot's layers is seen beyond its canvas."""
    if holds_all(matrix, canvas, size):
        return joins
    args = (tuple(matrix.ravel().tolist()), canvas)
    return tuple(
        (step("inside-canvas", _clipped, args, one), blend, part) for one, blend, part in joins
    )


def _clipped(
    numbers: tuple[float, ...], canvas: tuple[int, int], patch: Patch | PlanesPatch | None
) -> Patch | PlanesPatch | None:
    if patch is None:
        return None
    left, top = patch.left, patch.top
    if isinstance(patch, PlanesPatch):
        width, height = patch.planes.width, patch.planes.height
    else:
        height, width = patch.pixels.shape[:2]
    shift = np.array([[1, 0, -left], [0, 1, -top], [0, 0, 1.0]])
    matrix = shift @ np.array(numbers).reshape(3, 3)
    if holds_all(matrix, canvas, (width, height)):
        return patch
    back = np.linalg.inv(matrix)
    across = float(np.sqrt(abs(np.linalg.det(back[:2, :2]))))
    half = canvas[0] / 2, canvas[1] / 2
    to_own = np.array([[1, 0, -half[0]], [0, 1, -half[1]], [0, 0, 1]]) @ back
    plane = cover((width, height), BOX, to_own, (*half, 0.0), 1.0, Soft(pixel=across))
    pixels = patch.planes.rgba() if isinstance(patch, PlanesPatch) else patch.pixels
    return Patch(left, top, mixed(np.zeros_like(pixels), np.ascontiguousarray(pixels), plane))
