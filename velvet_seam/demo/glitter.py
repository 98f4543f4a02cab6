"""*glitter-burst*: paper glitter thrown up from the middle and falling, light on black."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo.paper import F32
from velvet_seam.demo.sea import glow

WIDTH, HEIGHT, FRAMES = 1080, 1920, 75
BURST = 6
"""The frame at which it is thrown."""

_FLAKES = 420
_COLOURS = np.array([(1.0, 0.85, 0.45), (1.0, 0.6, 0.7), (0.6, 0.85, 1.0), (0.95, 0.95, 0.9)])


@lru_cache(maxsize=1)
def _flakes() -> F32:
    """For each: direction, speed (px a frame), size, how it spins, where it begins to, its colour."""
    rng = np.random.default_rng(31)
    return np.stack([
        rng.normal(-np.pi / 2, 0.75, _FLAKES), rng.gamma(4.0, 9.0, _FLAKES), rng.uniform(3, 10, _FLAKES),
        rng.uniform(0.2, 0.9, _FLAKES), rng.uniform(0, 6.3, _FLAKES), rng.integers(0, 4, _FLAKES),
    ], 1).astype(np.float32)  # fmt: skip


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *glitter-burst*: (1920, 1080, 3) uint8."""
    light = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    age = frame - BURST
    if age >= 0:
        for turn, speed, size, spin, phase, colour in _flakes():
            far = speed * (1 - 0.94**age) / 0.06
            x = 540 + far * np.cos(turn) + 10 * np.sin(0.2 * age + phase)
            y = 1150 + far * np.sin(turn) + 0.16 * age**2
            seen = abs(np.sin(spin * age + phase)) ** 3 * max(0.0, 1 - age / 68)
            half = np.array([[-1, -0.6], [1, -0.6], [1, 0.6], [-1, 0.6]]) * size
            c, s = np.cos(spin * age), np.sin(spin * age)
            corners = half @ np.array([[c, s], [-s, c]]) + (x, y)
            shade = tuple(float(v) for v in _COLOURS[int(colour)] * (0.15 + 1.4 * seen))
            cv2.fillPoly(light, [np.rint(corners * 16).astype(np.int32)], shade, cv2.LINE_AA, 4)
    out = 1.1 * light + 1.6 * glow(light, 12) + 1.2 * glow(light, 48)
    if 0 <= age < 8:
        y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
        out += (np.exp(-((np.hypot(x - 540, y - 1150) / 240) ** 2)) * 0.55 * (1 - age / 8))[
            ..., None
        ]
    noise = np.random.default_rng(5200 + frame).standard_normal((HEIGHT, WIDTH), np.float32)
    out = out + np.abs(noise)[..., None] * np.float32(0.005)
    return np.asarray(np.clip((1 - np.exp(-out * 1.3)) * 255 + 0.5, 0, 255), np.uint8)
