"""The small networks by which keys weigh estimates of coverage: some facts of a pixel in, a weight for each estimate out."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numba as nb
import numpy as np
from numpy.typing import NDArray

_LEAK = 0.1
"""What is left of what is negative after every layer but the last."""


LANES = 64
"""Loops run over so many pixels at a time, a last few that nobody asks for included: one by one those take longer than
all the others."""


@nb.njit(error_model="numpy")
def whole_lanes(count):
    """A number of pixels, up to the next multiple of :data:`LANES`."""
    return (count + LANES - 1) // LANES * LANES


@cache
def numbers_of(name: str) -> tuple[NDArray[np.float32], ...]:
    """Weights (to, from) and shifts of the three layers, as they lie beside this file; the last layer has the estimate 0
    at its end."""
    with np.load(Path(__file__).with_name(f"{name}.npz")) as held:
        return tuple(
            np.ascontiguousarray(held[one], np.float32)
            for one in ("w1", "b1", "w2", "b2", "w3", "b3")
        )


@nb.njit(error_model="numpy", fastmath={"contract"})
def _layer(inputs, weights, shifts, leak, count, to):
    """One layer for some pixels: planes (from, w) to planes (to, w); what is negative counts by ``leak``. Four planes
    are added at a time, since to read and write the sums takes longer than to add."""
    stride, zero = np.uint64(inputs.size // weights.shape[1]), np.float32(0)
    for o in range(weights.shape[0]):
        at = np.uint64(o) * stride
        for n in range(count):
            to[at + np.uint64(n)] = shifts[o]
        for i in range(0, weights.shape[1], 4):
            a, b, c, d = weights[o, i], weights[o, i + 1], weights[o, i + 2], weights[o, i + 3]
            p = np.uint64(i) * stride
            q, r, s = p + stride, p + stride * np.uint64(2), p + stride * np.uint64(3)
            for n in range(count):
                x = np.uint64(n)
                to[at + x] += (
                    a * inputs[p + x] + b * inputs[q + x] + c * inputs[r + x] + d * inputs[s + x]
                )
        for n in range(count):
            x = at + np.uint64(n)
            to[x] = max(to[x], zero) + leak * min(to[x], zero)


@nb.njit(error_model="numpy")
def weigh_row(told, w1, b1, w2, b2, w3, b3, first, second, last, count, total):
    """Weights of the estimates for the first ``count`` pixels of a row, best a number of :func:`whole_lanes`, not yet
    divided by their ``total``: a power of 8, which grows nearly as the exponential of the network's last layer does, in
    three products.

    ``told``: planes (facts, w), flat, a number of facts that can be divided by 4; ``first``, ``second``, ``last``: room
    for planes of what each layer gives, the last of which becomes the weights.
    """
    one, least, eighth = np.float32(1), np.float32(0.05), np.float32(1 / 8)
    _layer(told, w1, b1, np.float32(_LEAK), count, first)
    _layer(first, w2, b2, np.float32(_LEAK), count, second)
    _layer(second, w3, b3, one, count, last)
    width = total.size
    total[:count] = 0
    for e in range(w3.shape[0]):
        at = np.uint64(e * width)
        for n in range(count):
            x = np.uint64(n)
            v = max(one + last[at + x] * eighth, least)
            v *= v
            v *= v
            v *= v
            last[at + x] = v
            total[x] += v
