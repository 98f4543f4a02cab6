"""Shapes of masks: coverage from the signed distance to an outline, so that feather and growth are
true lengths at any scale and rotation.

Distances are those of I. Quilez, *2D distance functions*: exact for straight edges, bands and boxes,
to first order at the line for ovals (f / |∇f| of the implicit function, which is exact on the line).
Stars and drawn outlines are polygons, see :mod:`velvet_seam.core.picture.outline`.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

STRAIGHT, BAND, OVAL, BOX = range(4)


@dataclass(frozen=True)
class Soft:
    """How coverage follows from distance, all in canvas pixels: the line is moved out by ``grow``,
    the edge is soft from ``inside`` within the line to ``outside`` beyond it, at least over ``pixel``,
    the size of one pixel of the picture."""

    grow: float = 0.0
    inside: float = 0.0
    outside: float = 0.0
    pixel: float = 1.0

    @property
    def span(self) -> tuple[float, float]:
        """The distance at which coverage is 0, and one over the width of the edge."""
        wide = self.inside + self.outside
        if wide < self.pixel:  # anti-aliased about the middle of the edge
            middle = (self.outside - self.inside) / 2
            return self.grow + middle + self.pixel / 2, 1 / self.pixel
        return self.grow + self.outside, 1 / wide


@nb.njit(error_model="numpy", inline="always")
def _level(d, end, per):
    full = np.float32(255)
    return np.uint8(
        np.int32(min(max((end - d) * per, np.float32(0)), np.float32(1)) * full + np.float32(0.5))
    )


@nb.njit(error_model="numpy")
def _straight_row(u, du, unit, end, per, to):
    for x in range(to.size):
        to[x] = _level((u + np.float32(x) * du) * unit, end, per)


@nb.njit(error_model="numpy")
def _band_row(u, du, half, unit, end, per, to):
    for x in range(to.size):
        to[x] = _level((abs(u + np.float32(x) * du) - half) * unit, end, per)


@nb.njit(error_model="numpy")
def _oval_row(u, v, du, dv, ru, rv, unit, end, per, to):
    one, tiny = np.float32(1), np.float32(1e-6)
    iu, iv = one / ru, one / rv
    for x in range(to.size):
        a, b = (u + np.float32(x) * du) * iu, (v + np.float32(x) * dv) * iv
        k0 = np.sqrt(a * a + b * b)
        a, b = a * iu, b * iv
        k1 = np.sqrt(a * a + b * b)
        d = k0 * (k0 - one) / max(k1, tiny) if k0 > tiny else -min(ru, rv)
        to[x] = _level(d * unit, end, per)


@nb.njit(error_model="numpy")
def _box_row(u, v, du, dv, hu, hv, round_, unit, end, per, to):
    zero = np.float32(0)
    for x in range(to.size):
        a = abs(u + np.float32(x) * du) - hu
        b = abs(v + np.float32(x) * dv) - hv
        out_a, out_b = max(a, zero), max(b, zero)
        d = np.sqrt(out_a * out_a + out_b * out_b) + min(max(a, b), zero) - round_
        to[x] = _level(d * unit, end, per)


@kernel(parallel=True)
def _cover(width, height, kind, matrix, p, unit, end, per):
    out = np.empty((height, width), np.uint8)
    du, dv = np.float32(matrix[0, 0]), np.float32(matrix[1, 0])
    p0, p1, p2 = np.float32(p[0]), np.float32(p[1]), np.float32(p[2])
    unit, end, per = np.float32(unit), np.float32(end), np.float32(per)
    for y in nb.prange(height):
        u = np.float32(matrix[0, 0] * 0.5 + matrix[0, 1] * (y + 0.5) + matrix[0, 2])
        v = np.float32(matrix[1, 0] * 0.5 + matrix[1, 1] * (y + 0.5) + matrix[1, 2])
        if kind == STRAIGHT:
            _straight_row(u, du, unit, end, per, out[y])
        elif kind == BAND:
            _band_row(u, du, p0, unit, end, per, out[y])
        elif kind == OVAL:
            _oval_row(u, v, du, dv, p0, p1, unit, end, per, out[y])
        else:
            _box_row(u, v, du, dv, p0, p1, p2, unit, end, per, out[y])
    return out


def cover(
    size: tuple[int, int], kind: int, matrix: NDArray[np.float64], lengths: tuple[float, ...],
    unit: float, soft: Soft,
) -> NDArray[np.uint8]:  # fmt: skip
    """Coverage of a shape over a picture.

    Args:
        size: width and height of the picture, pixels.
        kind: :data:`STRAIGHT`, inside is where u is negative; :data:`BAND`, half its width;
            :data:`OVAL`, its radii; :data:`BOX`, half its sides and the radius of its corners.
        matrix: 3 × 3, from picture pixels to the shape's own u, v.
        lengths: of the shape, in its own units.
        unit: canvas pixels to one of the shape's own units.

    >>> at = np.array([[1, 0, -4], [0, 1, -1], [0, 0, 1]], float)
    >>> cover((8, 2), BAND, at, (2.25,), 1.0, Soft())[0].tolist()
    [0, 64, 255, 255, 255, 255, 64, 0]
    """
    p = np.zeros(3)
    p[: len(lengths)] = lengths
    if kind == OVAL:
        p[:2] = np.maximum(p[:2], 1e-3)
    if kind == BOX:  # corners are made by a smaller box with a wider reach
        p[2] = min(p[2], p[0], p[1])
        p[:2] -= p[2]
    end, per = soft.span
    return np.asarray(_cover(*size, kind, np.asarray(matrix, np.float64), p, unit, end, per))
