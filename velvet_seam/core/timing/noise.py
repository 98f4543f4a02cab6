"""Chance that is always the same: numbers from a seed, so that any frame can be asked for by itself."""

from __future__ import annotations

import numpy as np


def noise(seed: int, lane: int, number: int) -> float:
    """A number from −1 to 1 that looks like chance and is always the same: Philox of the three.

    >>> noise(1, 0, 5) == noise(1, 0, 5), noise(1, 0, 5) == noise(2, 0, 5)
    (True, False)
    """
    key = (seed << 8 | lane) & 0xFFFFFFFFFFFFFFFF
    bits = np.random.Philox(key=key, counter=number & 0xFFFFFFFFFFFFFFFF)
    return float(bits.random_raw() / 2**63 - 1)


def smooth_noise(seed: int, lane: int, at: float) -> float:
    """Noise between whole numbers, −1 to 1, without a jerk: a cubic through the numbers beside it
    (E. Catmull and R. Rom, 1974), held inside."""
    whole = int(np.floor(at))
    a, b, c, d = (noise(seed, lane, whole + k) for k in (-1, 0, 1, 2))
    t = at - whole
    value = b + 0.5 * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a)))
    return min(1.0, max(-1.0, value))
