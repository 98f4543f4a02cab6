"""Many small things drawn at once: soft dots, rings, streaks and turning slips of paper, over each other."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

DOT, RING, SLIP, STREAK = range(4)


@nb.njit(error_model="numpy", inline="always")
def _covers(shape, dx, dy, radius, c, s, long):
    """How much of a pixel a sprite covers, from where its middle lies."""
    one, zero, half = np.float32(1), np.float32(0), np.float32(0.5)
    if shape == DOT:
        t = np.sqrt(dx * dx + dy * dy) / radius
        u = max(zero, one - t)
        return u * u * (np.float32(3) - np.float32(2) * u)
    if shape == RING:
        far = np.sqrt(dx * dx + dy * dy)
        line = max(one, radius * np.float32(0.1))
        edge = min(max(line - abs(far - radius * np.float32(0.85)) + half, zero), one)
        shine = max(
            zero,
            one
            - np.sqrt((dx + radius * np.float32(0.35)) ** 2 + (dy + radius * np.float32(0.35)) ** 2)
            / (radius * np.float32(0.25)),
        )
        inner = np.float32(0.10) if far < radius * np.float32(0.85) else zero
        return min(one, edge * np.float32(0.75) + inner + shine)
    u, v = abs(dx * c + dy * s), abs(dy * c - dx * s)
    if shape == SLIP:
        return min(max(radius - u + half, zero), one) * min(
            max(radius * long - v + half, zero), one
        )
    t = u / (radius * long)
    w = v / max(radius * np.float32(0.35), half)
    across = max(zero, one - w * w)
    return max(zero, one - t) * across


@kernel()
def _draw(planes, x, y, radius, turn, long, strength, colours, shape):
    """Sprites over a premultiplied picture, (h, w, 4) uint8, one after the other."""
    height, width = planes.shape[0], planes.shape[1]
    one = np.float32(1)
    for n in range(x.size):
        reach = radius[n] * max(one, long[n]) + one
        x0, x1 = int(np.floor(x[n] - reach)), int(np.ceil(x[n] + reach)) + 1
        y0, y1 = int(np.floor(y[n] - reach)), int(np.ceil(y[n] + reach)) + 1
        c, s = np.float32(np.cos(turn[n])), np.float32(np.sin(turn[n]))
        for j in range(max(y0, 0), min(y1, height)):
            for i in range(max(x0, 0), min(x1, width)):
                dx, dy = (
                    np.float32(i) + np.float32(0.5) - x[n],
                    np.float32(j) + np.float32(0.5) - y[n],
                )
                a = _covers(shape, dx, dy, radius[n], c, s, long[n]) * strength[n]
                if a <= 0:
                    continue
                rest, own = one - a, a * np.float32(255)
                for k in range(3):
                    v = colours[n, k] * own + np.float32(planes[j, i, k]) * rest
                    planes[j, i, k] = np.uint8(np.int32(v + np.float32(0.5)))
                planes[j, i, 3] = np.uint8(
                    np.int32(own + np.float32(planes[j, i, 3]) * rest + np.float32(0.5))
                )


def drawn(
    size: tuple[int, int], shape: int, x: NDArray[np.float32], y: NDArray[np.float32],
    radius: NDArray[np.float32], turn: NDArray[np.float32], long: NDArray[np.float32],
    strength: NDArray[np.float32], colours: NDArray[np.float32],
) -> NDArray[np.uint8]:  # fmt: skip
    """Sprites on nothing: (h, w, 4) uint8 RGBA, premultiplied.

    Args:
        size: width and height of the picture.
        shape: of all of them.
        x, y, radius: pixels. turn: radians. long: how much longer than wide. strength: 0 to 1.
        colours: (n, 3), 0 to 1.
    """
    out = np.zeros((size[1], size[0], 4), np.uint8)
    _draw(out, x, y, radius, turn, long, strength, colours, shape)
    return out
