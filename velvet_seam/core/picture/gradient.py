"""Pixels of a gradient, dithered so that no steps are seen."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

STRAIGHT, ROUND, AROUND = range(3)
_SHAPES = {"straight": STRAIGHT, "round": ROUND, "around": AROUND}


TILE = 256


def _grain() -> NDArray[np.float32]:
    """Ordered noise from 0 to 1 (J. Jimenez, 2014): even, and the same in every frame."""
    x, y = np.arange(TILE), np.arange(TILE)[:, None]
    return ((52.9829189 * ((0.06711056 * x + 0.00583715 * y) % 1)) % 1).astype(np.float32)


_GRAIN = _grain()


@nb.njit(error_model="numpy")
def _straight(u, du, to):
    for x in range(to.size):
        to[x] = u + np.float32(x) * du


@nb.njit(error_model="numpy")
def _round(px, py, per, to):
    for x in range(to.size):
        dx = px + np.float32(x)
        to[x] = np.sqrt(dx * dx + py * py) * per


@nb.njit(error_model="numpy")
def _about(px, py, du, dv, to):
    turn = np.float32(1 / (2 * np.pi))
    for x in range(to.size):
        dx = px + np.float32(x)
        to[x] = np.arctan2(dx * dv - py * du, dx * du + py * dv) * turn + np.float32(0.5)


@nb.njit(error_model="numpy")
def _coloured(t, table, grain, to):
    """Packed pixels from places along the table, each channel rounded up or down by the noise."""
    one, full, last = np.float32(1), np.float32(255), np.float32(len(table) // 3 - 1)
    for x in range(to.size):
        at = min(max(t[x], np.float32(0)), one) * last
        n = np.uint64(np.int32(at + np.float32(0.5))) * np.uint64(3)
        g = grain[np.uint64(x) & np.uint64(TILE - 1)]
        r = np.uint32(np.int32(min(table[n] + g, full)))
        v = np.uint32(np.int32(min(table[n + np.uint64(1)] + g, full)))
        b = np.uint32(np.int32(min(table[n + np.uint64(2)] + g, full)))
        to[x] = np.uint32(0xFF000000) | b << np.uint32(16) | v << np.uint32(8) | r


@kernel(parallel=True)
def _paint(width, height, shape, table, grain, u0, du, dv, cx, cy, per):
    out = np.empty((height, width), np.uint32)
    half = np.float32(0.5)
    for y in nb.prange(height):
        t = np.empty(width, np.float32)
        px, py = half - cx, np.float32(y) + half - cy
        if shape == STRAIGHT:
            _straight(u0 + px * du + py * dv, du, t)
        elif shape == ROUND:
            _round(px, py, per, t)
        else:
            _about(px, py, du, dv, t)
        _coloured(t, table, grain[y % TILE], out[y])
    return out


def painted(
    size: tuple[int, int], shape: str, table: NDArray[np.float64], angle: float, reach: float,
    across: float, down: float,
) -> NDArray[np.uint8]:  # fmt: skip
    """A gradient as a picture, (h, w, 4) uint8 RGBA, opaque.

    Args:
        table: (n, 3) display values from its beginning to its end.
        angle: degrees clockwise; 0 runs from top to bottom.
        reach: of the canvas, 1 for all of it.
        across, down: where its middle lies, parts of the canvas.
    """
    width, height = size
    turn = np.radians(angle)
    du, dv = -np.sin(turn), np.cos(turn)
    long = max(1e-3, (abs(width * du) + abs(height * dv)) * reach)
    per = 2 / max(1e-3, reach * min(width, height))
    f = np.float32
    straight = shape == "straight"
    made = _paint(
        width, height, _SHAPES[shape], np.ascontiguousarray(table.reshape(-1) * 255, np.float32), _GRAIN, f(0.5),
        f(du / long if straight else du), f(dv / long if straight else dv),
        f(across * width), f(down * height), f(per),
    )  # fmt: skip
    return np.asarray(made).view(np.uint8).reshape(height, width, 4)
