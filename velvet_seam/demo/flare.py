"""*lantern-flare*: a tin lantern off the picture swings past and blinds the camera, light on black."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

WIDTH, HEIGHT, FRAMES = 1080, 1920, 60
BRIGHTEST = 26
"""The frame at which it shines into the camera."""
SHINES = (812.0, 430.0)
"""Where it is then."""


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *lantern-flare*: (1920, 1080, 3) uint8."""
    y, x = np.mgrid[0:HEIGHT:2, 0:WIDTH:2].astype(np.float32)
    t = (frame - BRIGHTEST) / 25
    strong = np.float32(np.exp(-((t / (0.30 if t < 0 else 0.42)) ** 2)))
    cx, cy = np.float32(1010 - 520 * np.tanh(2.2 * t + 0.4)), np.float32(430 + 90 * t * t)
    away = np.hypot(x - cx, y - cy)
    warm = np.array([1.0, 0.66, 0.30], np.float32)
    out = (1.5 * np.exp(-away / 150) + 0.75 * np.exp(-away / 620))[..., None] * warm * strong
    turn = np.arctan2(y - cy, x - cx)
    rays = (
        np.maximum(0, np.cos(turn * 7 + 0.4 * t)) ** 26
        + 0.6 * np.maximum(0, np.cos(turn * 11 - t)) ** 40
    )
    out += (rays * np.exp(-away / 520))[..., None] * warm * strong * 0.5
    for place, size, tint in (
        (0.5, 70, (0.5, 0.9, 1.0)),
        (0.95, 130, (1.0, 0.5, 0.7)),
        (1.35, 54, (0.7, 1.0, 0.6)),
    ):
        gx, gy = cx + (540 - cx) * 2 * place, cy + (960 - cy) * 2 * place
        ring = np.exp(-(((np.hypot(x - gx, y - gy) - size) / 16) ** 2)) + 0.45 * (
            np.hypot(x - gx, y - gy) < size
        )
        out += ring[..., None] * np.array(tint, np.float32) * strong**2 * 0.14
    out = np.repeat(np.repeat(out + strong**3 * warm * 0.35, 2, 0), 2, 1)
    noise = np.random.default_rng(6100 + frame).standard_normal((HEIGHT, WIDTH), np.float32)
    out = out + np.abs(noise)[..., None] * np.float32(0.005)
    return np.clip((1 - np.exp(-out * 1.5)) * 255 + 0.5, 0, 255).astype(np.uint8)
