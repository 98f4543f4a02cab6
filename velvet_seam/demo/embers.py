"""*embers*: sparks rising from a brazier below the frame, light on black."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo.paper import F32
from velvet_seam.demo.sea import glow

WIDTH, HEIGHT, FRAMES = 1080, 1920, 125
SPARKS = 190


@lru_cache(maxsize=1)
def _sparks() -> F32:
    """For each spark: start x, birth (frame), life (frames), rise (px a frame), sway, size."""
    rng = np.random.default_rng(77)
    n = SPARKS
    return np.stack(
        [
            rng.uniform(-60, WIDTH + 60, n),
            rng.uniform(-110, FRAMES, n),
            rng.uniform(70, 150, n),
            rng.uniform(6, 15, n),
            rng.uniform(0, 2 * np.pi, n),
            rng.uniform(1.6, 6.2, n) ** 1.22,
        ],
        1,
    ).astype(np.float32)


def _where(spark: F32, age: float) -> tuple[float, float]:
    x0, _, _, rise, sway, size = (float(v) for v in spark)
    x = x0 + 40 * np.sin(age * 0.05 + sway) + 14 * np.sin(age * 0.17 + 2 * sway) + age * 0.9
    return x, HEIGHT + 20 - rise * age + 0.6 * size * np.sin(age * 0.11 + sway)


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *embers*: (1920, 1080, 3) uint8."""
    light = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    for spark in _sparks():
        age = frame - float(spark[1])
        life, size = float(spark[2]), float(spark[5])
        if not 0 <= age <= life:
            continue
        heat = np.sin(np.pi * min(1.0, age / life + 0.15)) * (
            0.75 + 0.25 * np.sin(age * 0.9 + size)
        )
        colour = np.array([1.0, 0.50 + 0.22 * heat, 0.16 + 0.22 * heat**3]) * heat * 1.25
        a, b = _where(spark, age - 0.45), _where(spark, age + 0.05)
        for (x, y), weight in ((a, 0.8), (b, 1.0)):
            cv2.circle(light, (round(x * 16), round(y * 16)), round(size * 16),
                       tuple(float(v * weight) for v in colour), -1, cv2.LINE_AA, 4)  # fmt: skip
        cv2.line(light, (round(a[0] * 16), round(a[1] * 16)), (round(b[0] * 16), round(b[1] * 16)),
                 tuple(float(v) for v in colour), max(1, round(size * 1.4)), cv2.LINE_AA, 4)  # fmt: skip
    soft = cv2.GaussianBlur(light, (0, 0), 1.1)
    y = np.linspace(0, 1, HEIGHT, dtype=np.float32)[:, None, None]
    hearth = np.array([0.30, 0.10, 0.02], np.float32) * np.clip(y - 0.72, 0, 1) ** 2 * 3.2
    flicker = 1 + 0.12 * np.sin(frame * 0.8) + 0.07 * np.sin(frame * 2.1)
    out = 1.25 * soft + 2.6 * glow(light, 14) + 3.0 * glow(light, 56) + hearth * np.float32(flicker)
    noise = np.random.default_rng(3000 + frame).standard_normal((HEIGHT, WIDTH), np.float32)
    out = out + np.abs(noise)[..., None] * np.float32(0.006)
    return np.clip((1 - np.exp(-out * 1.25)) * 255 + 0.5, 0, 255).astype(np.uint8)
