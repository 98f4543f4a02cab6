"""*smoke-trail*: the smoke of a blown-out candle, before a green card. It is nowhere solid, and its coverage is known."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo.paper import F32, Scene, finish, rgb, stroke, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 100
WICK = (540.0, 1490.0)
RISES = 260.0
"""Pixels a second."""


@lru_cache(maxsize=1)
def _card() -> F32:
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    light = 0.86 + 0.26 * np.exp(-(((x - 380) / 700) ** 2) - ((y - 700) / 1000) ** 2)
    return np.asarray(
        rgb("#3f9a48") * (light * texture(HEIGHT, WIDTH, 92, 1.0))[..., None], np.float32
    )


@lru_cache(maxsize=1)
def _wisps() -> F32:
    """Noise that rises and comes round again: (2048, 512), 0 to 1, seamless along its height."""
    rng = np.random.default_rng(93)
    out = np.zeros((2048, 512), np.float32)
    for size, part in ((96, 1.0), (40, 0.6), (17, 0.35)):
        small = rng.standard_normal((2048 // size, 512 // size + 2)).astype(np.float32)
        tall = cv2.resize(
            np.concatenate([small, small, small]), (512, 3 * 2048), interpolation=cv2.INTER_CUBIC
        )
        out += part * tall[2048:4096]
    return np.asarray(1 / (1 + np.exp(-2.2 * out)), np.float32)


def _smoke(time: float) -> F32:
    """Coverage of the smoke, (h, w): two threads that wind about each other, widen and fade as they rise."""
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    up = np.maximum(WICK[1] - y, 0)
    age = up / RISES
    wide = 5 + 0.16 * up
    alpha = np.zeros_like(y)
    for n in (0, 1):
        bend = 0.07 * up * np.sin(0.011 * up - 2.6 * time + 2.2 * n) + 0.10 * up * np.sin(
            0.0043 * up - 1.1 * time + n
        )
        across = (x - WICK[0] - bend - (30 * n - 15) * np.minimum(age, 1)) / wide
        rows = np.mod(y + RISES * time + 700 * n, 2047).astype(np.float32)
        columns = (256 + 110 * across).clip(0, 511).astype(np.float32)
        wisps = cv2.remap(_wisps(), columns, rows, cv2.INTER_LINEAR)
        density = (
            np.exp(-(across**2) * 1.6)
            * (0.25 + 1.3 * wisps * wisps)
            * np.exp(-age * 0.34)
            * (up > 0)
        )
        alpha = 1 - (1 - alpha) * np.exp(-1.5 * density)
    return np.asarray(alpha * np.minimum(up / 40, 1), np.float32)


def _candle() -> Scene:
    scene, paper = Scene.empty(HEIGHT, WIDTH), texture(HEIGHT, WIDTH, 94, 1.0)
    body = np.array([[470, 1540], [610, 1540], [616, 1925], [464, 1925]], np.float32)
    scene.lay(body, rgb("#ece2cf"), paper=paper, edge=0.2, shadow=None)
    wick = np.array([[540, 1545], [537, 1515], [541, 1488]], np.float32)
    scene.lay(stroke(wick, 9), rgb("#2b211d"), paper=paper, shadow=None)
    return scene


@lru_cache(maxsize=4)
def truth(frame: int) -> tuple[F32, F32]:
    """The smoke and its candle: premultiplied colour and coverage."""
    smoke, candle = _smoke(2 + frame / 25), _candle()
    rest = (1 - smoke)[..., None]
    grey = rgb("#d9d6d2") * smoke[..., None]
    return np.asarray(grey + candle.colour * rest, np.float32), smoke + candle.alpha * (1 - smoke)


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *smoke-trail*: (1920, 1080, 3) uint8."""
    colour, alpha = truth(frame)
    return finish(_card() * (1 - alpha[..., None]) + colour, 9500 + frame)
