"""The kernels of ways of seeing a layer: what is dropped, a checker below it, two layers against each other.

Of pictures (h, w, 4) uint8, premultiplied, each makes an opaque one. They are asked for at every step of a drag, so that they are
made in one pass over the pixels.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

Picture = NDArray[np.uint8]

CHECK = 16
"""Pixels along a square of the checker."""

LIGHT_SQUARE, DARK_SQUARE = 0xB4, 0x8C

TINTED = 0.72
"""How much of a dropped pixel is the tint."""


@kernel()
def dropped(whole, kept, marks, tint, first, second, mat):
    """``whole`` with what ``kept`` lacks of it tinted; ``marks`` (h, w) uint8 says where the ``first`` and the ``second``
    colour stands instead; ``mat`` is grey, where there is nothing at all."""
    out, one, full = np.empty_like(whole), np.float32(1), np.float32(255)
    strength = np.float32(TINTED)
    for y in range(whole.shape[0]):
        for x in range(whole.shape[1]):
            to = out[y, x]
            to[3] = 255
            if whole[y, x, 3] == 0:
                to[0], to[1], to[2] = mat, mat, mat
            elif marks[y, x]:
                mark = first if marks[y, x] == 1 else second
                to[0], to[1], to[2] = mark[0], mark[1], mark[2]
            else:
                lost = max(np.int32(whole[y, x, 3]) - np.int32(kept[y, x, 3]), np.int32(0))
                gone = np.float32(lost) / full
                for c in range(3):
                    shown = np.float32(whole[y, x, c]) * (one - strength * gone)
                    to[c] = np.uint8(np.rint(shown + np.float32(tint[c]) * strength * gone))
    return out


@kernel()
def on_checker(kept):
    """A picture over two greys in squares."""
    out, one, full = np.empty_like(kept), np.float32(1), np.float32(255)
    for y in range(kept.shape[0]):
        for x in range(kept.shape[1]):
            square = LIGHT_SQUARE if (y // CHECK + x // CHECK) % 2 == 0 else DARK_SQUARE
            left = np.float32(square) * (one - np.float32(kept[y, x, 3]) / full)
            for c in range(3):
                out[y, x, c] = np.uint8(np.rint(np.float32(kept[y, x, c]) + left))
            out[y, x, 3] = 255
    return out


@kernel()
def over_mat(picture, mat):
    """A picture over a grey."""
    out = np.empty_like(picture)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            left = (np.int32(255) - picture[y, x, 3]) * np.int32(mat) // np.int32(255)
            for c in range(3):
                out[y, x, c] = np.uint8(min(np.int32(picture[y, x, c]) + left, np.int32(255)))
            out[y, x, 3] = 255
    return out


@kernel()
def half_of_each(one, other, mat):
    """The mean of two pictures, each over a grey."""
    out = np.empty_like(one)
    for y in range(one.shape[0]):
        for x in range(one.shape[1]):
            below = (np.int32(255) - one[y, x, 3]) * np.int32(mat) // np.int32(255)
            under = (np.int32(255) - other[y, x, 3]) * np.int32(mat) // np.int32(255)
            for c in range(3):
                a = min(np.int32(one[y, x, c]) + below, np.int32(255))
                b = min(np.int32(other[y, x, c]) + under, np.int32(255))
                out[y, x, c] = np.uint8((a + b + np.int32(1)) // np.int32(2))
            out[y, x, 3] = 255
    return out


@kernel()
def difference(one, other, gain, mat):
    """How far two pictures differ, times a gain, where both show anything; a grey elsewhere."""
    out, full = np.empty_like(one), np.float32(255)
    for y in range(one.shape[0]):
        for x in range(one.shape[1]):
            both = one[y, x, 3] > 0 and other[y, x, 3] > 0
            for c in range(3):
                off = abs(np.int32(one[y, x, c]) - np.int32(other[y, x, c]))
                out[y, x, c] = np.uint8(min(np.float32(off) * gain, full)) if both else mat
            out[y, x, 3] = 255
    return out


@kernel()
def outlined(one, other, upper, lower, ground):
    """Two planes (h, w) float32, 0 to 1, as light of two colours on a dark ground."""
    out = np.empty((*one.shape, 4), np.uint8)
    for y in range(one.shape[0]):
        for x in range(one.shape[1]):
            for c in range(3):
                light = one[y, x] * np.float32(upper[c]) + other[y, x] * np.float32(lower[c])
                out[y, x, c] = np.uint8(min(light + np.float32(ground), np.float32(255)))
            out[y, x, 3] = 255
    return out
