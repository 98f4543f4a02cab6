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


@nb.njit(error_model="numpy", inline="always")
def _between(low, high, across, along, half):
    """What is left of an interval of places in a row where ``across + along * place`` lies within ``half`` of 0."""
    if abs(along) < np.float32(1e-3):
        return low, high
    one, other = (-half - across) / along, (half - across) / along
    return max(low, min(one, other)), min(high, max(one, other))


@nb.njit(error_model="numpy", inline="always")
def _touched(shape, dy, radius, c, s, long, reach):
    """From where to where in a row, from the middle of a sprite, it may cover anything."""
    low, high, more = -reach, reach, np.float32(1)
    if shape == SLIP:
        low, high = _between(low, high, dy * s, c, radius + more)
        low, high = _between(low, high, dy * c, -s, radius * long + more)
    elif shape == STREAK:
        low, high = _between(low, high, dy * s, c, radius * long + more)
        low, high = _between(low, high, dy * c, -s, radius * np.float32(0.35) + more)
    return low, high


@nb.njit(error_model="numpy")
def _row(row, first, last, shape, sprite, colour):
    """A sprite over some pixels of a row; a pixel is one uint32, red lowest, so that the loop runs in vectors. What it
    does not cover stays as it is."""
    x, dy, radius, c, s, long, strength = sprite
    one, half, full, byte = np.float32(1), np.float32(0.5), np.float32(255), np.uint32(255)
    red, green, blue = colour[0], colour[1], colour[2]
    begin = np.uint64(first)
    for m in range(last - first):
        n = begin + np.uint64(m)
        dx = np.float32(np.int32(first + m)) + half - x
        a = _covers(shape, dx, dy, radius, c, s, long) * strength
        rest, own, v = one - a, a * full, row[n]
        r = red * own + np.float32(np.int32(v & byte)) * rest
        g = green * own + np.float32(np.int32(v >> np.uint32(8) & byte)) * rest
        b = blue * own + np.float32(np.int32(v >> np.uint32(16) & byte)) * rest
        alpha = own + np.float32(np.int32(v >> np.uint32(24))) * rest
        made = np.uint32(np.int32(r + half)) | np.uint32(np.int32(g + half)) << np.uint32(8)
        made |= np.uint32(np.int32(b + half)) << np.uint32(16)
        row[n] = made | np.uint32(np.int32(alpha + half)) << np.uint32(24)


@kernel()
def _draw(pixels, x, y, radius, turn, long, strength, colours, shape):
    """Sprites over a premultiplied picture, (h, w) uint32, one after the other."""
    height, width = pixels.shape
    one, half = np.float32(1), np.float32(0.5)
    for n in range(x.size):
        # a slip's corners lie farther out than its sides
        reach = np.sqrt(one + long[n] * long[n]) if shape == SLIP else max(one, long[n])
        reach = radius[n] * reach + one
        y0, y1 = int(np.floor(y[n] - reach)), int(np.ceil(y[n] + reach)) + 1
        c, s = np.float32(np.cos(turn[n])), np.float32(np.sin(turn[n]))
        for j in range(max(y0, 0), min(y1, height)):
            dy = np.float32(j) + half - y[n]
            low, high = _touched(shape, dy, radius[n], c, s, long[n], reach)
            first = max(int(np.floor(x[n] + low)), 0)
            last = min(int(np.ceil(x[n] + high)) + 1, width)
            if first >= last:
                continue
            sprite = (x[n], dy, radius[n], c, s, long[n], strength[n])
            # each shape has a loop of its own, in which nothing is asked for every pixel
            if shape == DOT:
                _row(pixels[j], first, last, DOT, sprite, colours[n])
            elif shape == RING:
                _row(pixels[j], first, last, RING, sprite, colours[n])
            elif shape == SLIP:
                _row(pixels[j], first, last, SLIP, sprite, colours[n])
            else:
                _row(pixels[j], first, last, STREAK, sprite, colours[n])


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
    _draw(out.view(np.uint32)[..., 0], x, y, radius, turn, long, strength, colours, shape)
    return out
