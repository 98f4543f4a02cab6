"""*tin-cart*: a little tin cart rolls through the paper town and stands. Through its spoked wheels one sees the town."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo import town
from velvet_seam.demo.paper import F32, Scene, ellipse, finish, rgb, spline, stroke, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 75

ROAD = 1500
"""Where the wheels stand, in pixels from the top."""

RADIUS, RIM, SPOKE, SPOKES = 176, 26.0, 15.0, 8
AXLES = (-215.0, 215.0)
"""The wheels' places beside the middle of the cart."""

STANDS = 56
"""From this frame on it stands."""


def middle(frame: float) -> float:
    """Where the cart's middle is across; it rolls in from the left ever slower."""
    left = max(0.0, 1 - frame / STANDS)
    return float(560 - 680 * left**1.7)


def turned(frame: float) -> float:
    """By how much its wheels have turned, in radians: they roll and do not slide."""
    return (middle(frame) - middle(FRAMES)) / RADIUS


def _ring(x: float, y: float, radius: float, wide: float) -> F32:
    """A closed band around a point."""
    outer, inner = (
        ellipse(x, y, radius + side * wide / 2, radius + side * wide / 2, n=120) for side in (1, -1)
    )
    return np.concatenate([outer, outer[:1], inner[:1], inner[::-1]])


def _wheel(scene: Scene, paper: F32, x: float, turn: float) -> None:
    y = float(ROAD - RADIUS)
    for n in range(SPOKES):
        a = turn + 2 * np.pi * n / SPOKES
        way = np.array([np.cos(a), np.sin(a)])
        line = np.array([(x, y) + 20 * way, (x, y) + (RADIUS - RIM / 2) * way], np.float32)
        scene.lay(stroke(line, np.array([SPOKE, SPOKE - 4])), rgb("#8f3b2e"), paper=paper, edge=0.16,
                  shadow=None)  # fmt: skip
    scene.lay(
        _ring(x, y, RADIUS - RIM / 2, RIM), rgb("#a8452f"), paper=paper, edge=0.2, shadow=None
    )
    scene.lay(_ring(x, y, RADIUS - 4, 8), rgb("#6d7377"), paper=paper, edge=0.2, shadow=None)
    scene.lay(ellipse(x, y, 40, 40), rgb("#bfc4c2"), paper=paper, edge=0.25, shadow=(2, 3, 3, 0.3))
    scene.lay(ellipse(x, y, 15, 15), rgb("#6a4a2a"), paper=paper, edge=0.2, shadow=None)


def _draw(frame: float) -> Scene:
    scene, paper = Scene.empty(HEIGHT, WIDTH), texture(HEIGHT, WIDTH, 82, 1.2)
    x, turn = middle(frame), turned(frame)
    shake = 2.5 * np.sin(4.1 * turn) * (frame < STANDS)
    top, low = 985 + shake, 1240 + shake
    shine = 0.9 + 0.14 * np.sin((np.arange(WIDTH) - x) / 37)
    tin: F32 = shine.astype(np.float32)[None].repeat(HEIGHT, 0)
    handle = spline([(x - 330, top + 60), (x - 430, top - 20), (x - 452, top - 130)], closed=False)
    scene.lay(stroke(handle, 18), rgb("#7b8286"), paper=paper, edge=0.2, shadow=None)
    scene.lay(
        ellipse(x - 452, top - 138, 26, 26), rgb("#a8452f"), paper=paper, edge=0.2, shadow=None
    )
    body = np.array([[x - 372, top], [x + 372, top], [x + 318, low], [x - 318, low]], np.float32)
    scene.lay(body, rgb("#a9b1b3"), paper=paper, fade=tin, edge=0.2, shadow=None)
    band = np.array(
        [[x - 362, top + 46], [x + 362, top + 46], [x + 348, top + 112], [x - 348, top + 112]]
    )
    scene.lay(band.astype(np.float32), rgb("#b24a34"), paper=paper, fade=tin, shadow=None)
    lid = np.array(
        [[x - 388, top - 24], [x + 388, top - 24], [x + 380, top + 12], [x - 380, top + 12]]
    )
    scene.lay(lid.astype(np.float32), rgb("#d0d5d2"), paper=paper, fade=tin, edge=0.25)
    for n in range(9):
        scene.lay(ellipse(x - 288 + 72 * n, low - 30, 9, 9), rgb("#e3e6e2"), paper=paper, edge=0.3,
                  shadow=(1, 2, 2, 0.4))  # fmt: skip
    for side in AXLES:
        _wheel(scene, paper, x + side, turn)
    return scene


@lru_cache(maxsize=4)
def truth(frame: int) -> tuple[F32, F32]:
    """The cart as it really is: premultiplied colour and coverage, over half the frame's time."""
    parts = [_draw(frame + 0.5 * n / 3) for n in range(3 if frame < STANDS else 1)]
    return (
        np.mean([one.colour for one in parts], 0, dtype=np.float32),
        np.mean([one.alpha for one in parts], 0, dtype=np.float32),
    )


@lru_cache(maxsize=1)
def _street() -> F32:
    """The town, and a road of paper before it."""
    wide = cv2.resize(town.picture(), (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)
    scene, paper = Scene.of(np.asarray(wide / 255, np.float32)), texture(HEIGHT, WIDTH, 83, 1.6)
    y = np.linspace(1.05, 0.8, HEIGHT, dtype=np.float32)[:, None].repeat(WIDTH, 1)
    road = np.array([[-5, 1400], [1085, 1400], [1085, 1925], [-5, 1925]], np.float32)
    scene.lay(road, rgb("#b79a72"), paper=paper, fade=y, shadow=(0, -8, 14, 0.3))
    rng = np.random.default_rng(84)
    for _ in range(60):
        at = rng.uniform((0, 1430), (1080, 1900))
        size = rng.uniform(8, 30) * (at[1] - 1200) / 700
        scene.lay(
            ellipse(at[0], at[1], size, 0.5 * size),
            rgb("#9d8160"),
            paper=paper,
            shadow=None,
            edge=0.12,
        )
    return scene.colour


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *tin-cart*: (1920, 1080, 3) uint8."""
    colour, alpha = truth(frame)
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    under = np.exp(-(((x - middle(frame)) / 340) ** 2) - ((y - ROAD - 14) / 26) ** 2)
    street = _street() * (1 - 0.45 * under)[..., None]
    return finish(street * (1 - alpha[..., None]) + colour, 8000 + frame)
