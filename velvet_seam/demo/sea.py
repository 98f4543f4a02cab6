"""*paper-sea*: seven strips of blue paper rolling under a paper night; and *moon-still*."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo.paper import F32, Scene, ellipse, finish, rgb, spline, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 150
MOON = 640

_WAVES = [
    # height of the crest, swell, length of a wave, speed (waves in six seconds), colour
    (1180, 26, 360, 1, "#5b7ba6"),
    (1262, 30, 432, -1, "#44689a"),
    (1356, 34, 540, 1, "#35588c"),
    (1462, 38, 432, -1, "#28497c"),
    (1576, 42, 540, 1, "#1e3b69"),
    (1690, 44, 720, -1, "#152d55"),
    (1806, 40, 540, 1, "#0d2142"),
]


@lru_cache(maxsize=1)
def _sky() -> F32:
    """The night: dyed paper from deep blue to dusk, torn clouds, pricked stars."""
    y = np.linspace(0, 1, HEIGHT, dtype=np.float32)[:, None, None]
    stops = [(0.0, "#131a40"), (0.28, "#22306a"), (0.5, "#4a4d8f"), (0.64, "#8f6f9c"),
             (0.74, "#d9a08c")]  # fmt: skip
    sky = np.empty((HEIGHT, 1, 3), np.float32)
    for c in range(3):
        sky[:, 0, c] = np.interp(y[:, 0, 0], [s for s, _ in stops], [rgb(k)[c] for _, k in stops])
    sky = np.repeat(sky, WIDTH, axis=1) * texture(HEIGHT, WIDTH, 31, 1.2)[..., None]
    scene = Scene.of(sky)
    paper = texture(HEIGHT, WIDTH, 32, 1.4)
    rng = np.random.default_rng(8)
    for base, colour, swell in ((760, "#3b417f", 34), (905, "#5f568f", 30), (1040, "#94719a", 26)):
        for k in range(3):
            cx = rng.uniform(0, WIDTH)
            top = [
                (
                    cx - 420 + 84 * i,
                    base + 70 * k - swell * (1 + np.sin(i * 1.9 + k)) * (0 < i < 10),
                )
                for i in range(11)
            ]
            under = [(cx + 420 - 140 * i, base + 70 * k + 26 + 6 * (i % 2)) for i in range(7)]
            scene.lay(
                spline([(float(x), float(y)) for x, y in top + under]),
                rgb(colour), paper=paper, shadow=(4, 10, 12, 0.30), edge=0.07,
            )  # fmt: skip
    return scene.colour


@lru_cache(maxsize=1)
def _stars() -> list[tuple[float, float, float, float]]:
    rng = np.random.default_rng(12)
    return [
        (rng.uniform(20, WIDTH - 20), rng.uniform(20, 720), rng.uniform(2.2, 5.5),
         rng.uniform(0, 2 * np.pi))
        for _ in range(70)
    ]  # fmt: skip


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *paper-sea*: (1920, 1080, 3) uint8. The last frame leads into the first."""
    scene = Scene.of(_sky())
    turn = 2 * np.pi * frame / FRAMES
    for x, y, size, phase in _stars():
        glow = 0.72 + 0.28 * np.sin(3 * turn + phase)
        corner = [
            (x + size * r * np.cos(a), y + size * r * np.sin(a))
            for a, r in zip(np.linspace(0, 2 * np.pi, 9)[:-1], [1.5, 0.5] * 4, strict=True)
        ]
        scene.lay(np.array(corner, np.float32), rgb("#ffeec2") * np.float32(glow),
                  shadow=None, edge=0)  # fmt: skip
    for n, (level, swell, length, speed, colour) in enumerate(_WAVES):
        paper = texture(HEIGHT, WIDTH, 40 + n, 1.5)
        drift = speed * length * frame / FRAMES + 97 * n
        level = level + 9 * np.sin(turn + 0.9 * n)
        x = np.arange(-60, WIDTH + 61, 6, dtype=np.float32)
        phase = 2 * np.pi * (x + drift) / length
        # crests sharper than troughs, as cut with scissors
        crest = level - swell * (1 - 2 * np.abs(np.sin(phase / 2)) ** 1.35)
        edge = np.stack([x, crest], 1)
        foot = np.array([[WIDTH + 60, HEIGHT + 60], [-60, HEIGHT + 60]], np.float32)
        strip = np.concatenate([edge, foot]).astype(np.float32)
        scene.lay(strip, rgb(colour), paper=paper, shadow=(0, -9, 13, 0.38), edge=0.10)
        if n in (1, 3, 5):
            lace = np.concatenate([edge + (0, 15), (edge + (0, 22))[::-1]]).astype(np.float32)
            scene.lay(lace, rgb(colour) * np.float32(1.32), paper=paper, shadow=None, edge=0.03)
    return finish(scene.colour, 2000 + frame, 0.006)


@lru_cache(maxsize=1)
def moon() -> NDArray[np.uint8]:
    """*moon-still*: a paper moon cut out, (640, 640, 4) uint8 RGBA with straight colour."""
    scene = Scene.empty(MOON, MOON)
    paper = texture(MOON, MOON, 51, 1.1)
    c = MOON / 2
    y, x = np.mgrid[0:MOON, 0:MOON].astype(np.float32)
    fade = 1.04 - 0.20 * np.clip(np.hypot(x - c * 0.8, y - c * 0.8) / 330, 0, 1) ** 2
    scene.lay(ellipse(c, c, 292, 292, n=180), rgb("#f7cf74"), paper=paper, shadow=None,
              fade=fade.astype(np.float32), edge=0.12)  # fmt: skip
    scene.lay(ellipse(c, c, 262, 262, n=180), rgb("#ffe6a3"), paper=paper,
              shadow=(3, 5, 7, 0.22), fade=fade.astype(np.float32))  # fmt: skip
    for ox, oy, r in ((-96, -70, 52), (78, -110, 30), (104, 62, 62), (-40, 96, 40), (-150, 66, 24),
                      (10, -10, 22), (32, 176, 26)):  # fmt: skip
        scene.lay(ellipse(c + ox, c + oy, r, r * 0.94, 20), rgb("#efc568"), paper=paper,
                  shadow=(-2, -3, 4, 0.20), fade=fade.astype(np.float32), edge=-0.10)  # fmt: skip
        scene.lay(ellipse(c + ox + 3, c + oy + 3, r * 0.72, r * 0.68, 20), rgb("#f6d584"),
                  paper=paper, shadow=None, fade=fade.astype(np.float32), edge=-0.06)  # fmt: skip
    a = scene.alpha[..., None]
    straight = np.where(a > 0, scene.colour / np.maximum(a, 1e-3), 0)
    out = np.concatenate([straight, a], axis=2)
    return np.clip(out * 255 + 0.5, 0, 255).astype(np.uint8)


def glow(picture: F32, sigma: float) -> F32:
    """A picture with the bloom a lens gives to bright parts."""
    small = cv2.resize(picture, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(small, (0, 0), sigma / 4)
    return cv2.resize(soft, (picture.shape[1], picture.shape[0]), interpolation=cv2.INTER_LINEAR)
