"""A small network that weighs what is told of a pixel: three layers of sums, of which what is below 0 counts little.

Its products are made in a kernel: a library for large matrices takes locks that other threads wait for.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

F32 = NDArray[np.float32]
Layers = list[F32]

LEAK = 0.1
"""What is left of what is below 0 after every layer but the last."""


@cache
def layers(name: str) -> Layers:
    """Weights (from, to) and shifts of the layers in turn, as they lie beside this file."""
    with np.load(Path(__file__).with_name(f"{name}.npz")) as held:
        return [np.asarray(held[one], np.float32) for one in held.files]


@kernel()
def _likely(told, w1, b1, w2, b2, w3, b3, leak):
    out = np.empty(told.shape[0], np.float32)
    first, second = np.empty_like(b1), np.empty_like(b2)
    zero = np.float32(0)
    for n in range(told.shape[0]):
        first[:] = b1
        for i in range(w1.shape[0]):
            value = told[n, i]
            for o in range(first.size):
                first[o] += value * w1[i, o]
        second[:] = b2
        for i in range(w2.shape[0]):
            value = max(first[i], zero) + leak * min(first[i], zero)
            for o in range(second.size):
                second[o] += value * w2[i, o]
        total = b3[0]
        for i in range(w3.shape[0]):
            total += (max(second[i], zero) + leak * min(second[i], zero)) * w3[i, 0]
        out[n] = total
    return out


def likely(network: Layers, told: F32) -> F32:
    """How much likelier it is that each pixel is the subject's, as a logarithm: (n,), of (n, facts).

    >>> one = [np.ones((2, 1), np.float32), np.zeros(1, np.float32)]
    >>> more = [np.ones((1, 1), np.float32), np.zeros(1, np.float32)]
    >>> likely(one + more + more, np.array([[1, 2], [-4, 1]], np.float32)).astype(float).round(2).tolist()
    [3.0, -0.03]
    """
    return np.asarray(_likely(told, *network, np.float32(LEAK)))
