"""Rays and lines: coverage that depends on the direction from a middle, or on the place across a way, by a table.

A table says for each direction what covers at the middle and how much more, or less, farther out; a pixel then costs
one look into it. The arc tangent is the polynomial 4.4.49 of M. Abramowitz and I. Stegun (1964), right to 1e-5 rad.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.filled import look_up

DIRECTIONS = 4096
"""Places in a table."""

_F = np.float32


@nb.njit(error_model="numpy", inline="always")
def _turned(x, y):
    """Direction of a point, 0 to 1 for all the way round."""
    ax, ay = abs(x), abs(y)
    t = min(ax, ay) / max(max(ax, ay), _F(1e-6))
    s = t * t
    a = t * (
        _F(0.9998660)
        + s * (_F(-0.3302995) + s * (_F(0.1801410) + s * (_F(-0.0851330) + s * _F(0.0208351))))
    )
    a *= _F(1 / (2 * np.pi))
    a = _F(0.25) - a if ay > ax else a
    a = _F(0.5) - a if x < 0 else a
    return _F(1) - a if y < 0 else a


@nb.njit(error_model="numpy")
def _directions(px, py, per, at, away):
    """Of a row: each pixel's direction, in places of the table, and its distance, 1 for the farthest corner."""
    for x in range(at.size):
        dx = px + _F(x)
        at[x] = _turned(dx, py) * _F(DIRECTIONS)
        away[x] = np.sqrt(dx * dx + py * py) * per


@nb.njit(error_model="numpy")
def _round_row(at, away, table, heart, core):
    """What covers is looked up between two directions, and laid over ``at``. In the core, where directions crowd
    into few pixels, it goes over to the heart."""
    last, one, two = np.uint64(DIRECTIONS - 1), np.uint64(1), np.uint64(2)
    for x in range(at.size):
        n = np.uint64(np.int32(at[x]))
        f = at[x] - _F(np.int32(at[x]))
        a, b = (n & last) * two, ((n + one) & last) * two
        low = table[a] + table[a + one] * away[x]
        high = table[b] + table[b + one] * away[x]
        at[x] = low + f * (high - low)
    for x in range(at.size):
        at[x] += (heart - at[x]) * (core / (core + away[x] * away[x]))


@nb.njit(error_model="numpy")
def _straight_row(across, d_across, along, d_along, table, length, sharp, to):
    """A row of a band of streaks: each place across has its coverage and its place along."""
    last, one, two = np.uint64(DIRECTIONS - 1), np.uint64(1), np.uint64(2)
    for x in range(to.size):
        u = across + _F(x) * d_across
        u = (u - np.floor(u)) * _F(DIRECTIONS)
        n = (np.uint64(np.int32(u)) & last) * two
        v = along + _F(x) * d_along + table[n + one]
        v -= np.floor(v)
        to[x] = min(max(min(v, length - v) * sharp, _F(0)), _F(1)) * table[n]


@kernel(parallel=True)
def _burst(width, height, cx, cy, per, table, heart, core, fillings):
    out = np.empty((height, width), np.uint32)
    for y in nb.prange(height):
        at, away = np.empty(width, np.float32), np.empty(width, np.float32)
        _directions(_F(0.5) - cx, _F(y) + _F(0.5) - cy, per, at, away)
        _round_row(at, away, table, heart, core)
        look_up(at, fillings, out[y])
    return out


@kernel(parallel=True)
def _streaks(width, height, dx, dy, per_across, per_along, table, length, sharp, fillings):
    out = np.empty((height, width), np.uint32)
    for y in nb.prange(height):
        px, py = _F(0.5 - width * 0.5), _F(y + 0.5 - height * 0.5)
        across = (py * dx - px * dy) * per_across + _F(0.5)
        along = (px * dx + py * dy) * per_along
        covered = np.empty(width, np.float32)
        _straight_row(
            across, _F(-dy * per_across), along, _F(dx * per_along), table, length, sharp, covered
        )
        look_up(covered, fillings, out[y])
    return out


def burst(
    size: tuple[int, int], middle: tuple[float, float], table: NDArray[np.float64], fillings: NDArray[np.uint32],
    heart: float = 0.0, core: float = 0.0,
) -> NDArray[np.uint8]:  # fmt: skip
    """Rays about a middle, (h, w, 4) uint8 RGBA, premultiplied.

    Args:
        size: width and height, pixels.
        middle: x and y, parts of width and height.
        table: (DIRECTIONS, 2): coverage at the middle, and what is added at the distance of the farthest corner;
            the first direction is to the right, the next ones follow clockwise.
        fillings: pixels for coverage of 0 to 1; see :func:`velvet_seam.core.picture.filled.filling`.
        heart: coverage at the middle itself.
        core: how far out it counts half, as part of the way to the farthest corner; 0 for no heart.
    """
    cx, cy = middle[0] * size[0], middle[1] * size[1]
    far = np.hypot(max(cx, size[0] - cx), max(cy, size[1] - cy))
    laid = np.ascontiguousarray(table, np.float32).ravel()
    made = _burst(
        size[0],
        size[1],
        _F(cx),
        _F(cy),
        _F(1 / max(far, 1.0)),
        laid,
        _F(heart),
        _F(max(core, 1e-4) ** 2),
        fillings,
    )
    return np.asarray(made).view(np.uint8).reshape(size[1], size[0], 4)


def streaks(
    size: tuple[int, int], angle: float, table: NDArray[np.float64], length: float, fillings: NDArray[np.uint32]
) -> NDArray[np.uint8]:  # fmt: skip
    """Straight lines along a way, (h, w, 4) uint8 RGBA, premultiplied.

    Args:
        size: width and height, pixels.
        angle: of the way, degrees clockwise from the right.
        table: (DIRECTIONS, 2): coverage across the way, and how far along it a line has come, 1 for all of it.
        length: of a line, as part of the way.
        fillings: pixels for coverage of 0 to 1; see :func:`velvet_seam.core.picture.filled.filling`.
    """
    wide = float(np.hypot(*size))
    turn = np.deg2rad(angle)
    laid = np.ascontiguousarray(table, np.float32).ravel()
    part = min(max(length, 0.01), 1.0)
    made = _streaks(
        size[0], size[1], _F(np.cos(turn)), _F(np.sin(turn)), _F(1 / wide), _F(0.5 / wide), laid,
        _F(part), _F(6 / part), fillings,
    )  # fmt: skip
    return np.asarray(made).view(np.uint8).reshape(size[1], size[0], 4)
