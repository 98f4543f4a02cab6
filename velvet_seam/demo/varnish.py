"""*cracked-varnish*: an old painted board, its varnish cracked all over; a still, for laying over others."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo.paper import finish, rgb, texture

WIDTH, HEIGHT = 1080, 1920
_CELLS = 900


def picture() -> NDArray[np.uint8]:
    """(1920, 1080, 3) uint8."""
    rng = np.random.default_rng(44)
    seeds = np.stack([rng.uniform(0, WIDTH, _CELLS), rng.uniform(0, HEIGHT, _CELLS)], 1)
    y, x = np.mgrid[0:HEIGHT:2, 0:WIDTH:2].astype(np.float32)
    bent = rng.standard_normal((2, HEIGHT // 60, WIDTH // 60)).astype(np.float32)
    wide, high = WIDTH // 2, HEIGHT // 2
    shift = [cv2.resize(one, (wide, high), interpolation=cv2.INTER_CUBIC) * 9 for one in bent]
    first = np.full((high, wide), 1e9, np.float32)
    second = first.copy()
    for sx, sy in seeds:  # the two nearest cells; cracks lie where both are as far
        away = np.hypot(x + shift[0] - sx, (y + shift[1] - sy) * 0.8)
        second = np.minimum(second, np.maximum(first, away))
        first = np.minimum(first, away)
    crack = np.exp(-(((second - first) / 2.6) ** 2))
    board = np.ones((high, wide, 3), np.float32) * rgb("#8a6a3e")
    board *= (0.86 + 0.2 * np.exp(-first / 26))[..., None]
    made = board * (1 - 0.72 * crack[..., None]) + np.roll(crack, (2, 2), (0, 1))[..., None] * 0.10
    made = cv2.resize(made, (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)
    return finish(made * texture(HEIGHT, WIDTH, 45, 2.2)[..., None], 460, 0.008)
