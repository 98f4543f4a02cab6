"""Pixels of a gradient, dithered so that no steps are seen."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

STRAIGHT, ROUND, AROUND = range(3)
_SHAPES = {"straight": STRAIGHT, "round": ROUND, "around": AROUND}


@kernel(parallel=True)
def _paint(width, height, shape, table, u0, du, dv, cx, cy, per):
    out = np.empty((height, width), np.uint32)
    last, one = np.float32(len(table) - 1), np.float32(1)
    turn = np.float32(1 / (2 * np.pi))
    for y in nb.prange(height):
        for x in range(width):
            px, py = np.float32(x) + np.float32(0.5) - cx, np.float32(y) + np.float32(0.5) - cy
            if shape == STRAIGHT:
                t = u0 + px * du + py * dv
            elif shape == ROUND:
                t = np.sqrt(px * px + py * py) * per
            else:
                t = np.arctan2(px * dv + py * -du, px * du + py * dv) * turn + np.float32(0.5)
            at = min(max(t, np.float32(0)), one) * last
            n = min(np.int32(at), np.int32(len(table) - 2))
            f = at - np.float32(n)
            # ordered noise of less than a level (J. Jimenez, 2014): even, and the same in every frame
            grain = np.float32(52.9829189) * (
                (np.float32(0.06711056) * x + np.float32(0.00583715) * y) % one
            )
            grain -= np.floor(grain)
            made = np.uint32(255)
            for c in (2, 1, 0):
                v = table[n, c] + f * (table[n + 1, c] - table[n, c])
                made = made << np.uint32(8) | np.uint32(
                    np.int32(min(v * np.float32(255) + grain, np.float32(255)))
                )
            out[y, x] = made
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
        width, height, _SHAPES[shape], table.astype(np.float32), f(0.5),
        f(du / long if straight else du), f(dv / long if straight else dv),
        f(across * width), f(down * height), f(per),
    )  # fmt: skip
    return np.asarray(made).view(np.uint8).reshape(height, width, 4)
