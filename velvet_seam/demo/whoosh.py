"""*whoosh*: air pushed aside, synthesised: noise through a band that rises and falls."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

RATE = 48_000
SECONDS = 0.7
PEAK = 0.28
"""Seconds from the start to where it is loudest."""


def sound() -> NDArray[np.float32]:
    """(samples, 2) float32 at 48 kHz."""
    rng = np.random.default_rng(77)
    count = round(RATE * SECONDS)
    time = np.arange(count) / RATE
    loud = np.exp(-(((time - PEAK) / np.where(time < PEAK, 0.10, 0.15)) ** 2))
    centre = 320 + 2300 * np.exp(-(((time - PEAK) / 0.16) ** 2))
    out = np.zeros((count, 2))
    for channel in range(2):
        low = band = 0.0
        noise = rng.normal(0, 1, count)
        pass_band = 2 * np.sin(
            np.pi * centre / RATE
        )  # a state-variable filter (H. Chamberlin, 1980)
        for n in range(count):
            low += pass_band[n] * band
            band += pass_band[n] * (noise[n] - low - 0.8 * band)
            out[n, channel] = band
    out *= loud[:, None] * np.stack([1 - 0.6 * time / SECONDS, 0.4 + 0.6 * time / SECONDS], 1)
    return np.asarray(0.8 * out / np.abs(out).max(), np.float32)
