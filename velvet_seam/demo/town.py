"""*paper-town*: roofs and towers of cut paper under an evening sky, windows lit; a still."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo.paper import Scene, ellipse, finish, rgb, spline, texture

WIDTH, HEIGHT = 1296, 2304

_ROWS = (
    # ground line, lowest and highest house, colour of walls, of roofs, seed
    (1180, 260, 560, "#6d5a86", "#4c4276", 3),
    (1480, 330, 640, "#8a5a6a", "#5e3a5c", 5),
    (1830, 380, 760, "#b06a4e", "#73364a", 7),
)


def picture() -> NDArray[np.uint8]:
    """(2304, 1296, 3) uint8."""
    return finish(panorama(WIDTH).colour, 640, 0.006)


def panorama(width: int) -> Scene:
    """The town over so many pixels, 2304 high."""
    y = np.linspace(0, 1, HEIGHT, dtype=np.float32)[:, None, None]
    stops = [(0.0, "#1c2250"), (0.3, "#3d3a78"), (0.52, "#9a6a8c"), (0.66, "#eab07c")]
    sky = np.concatenate(
        [np.interp(y, [s for s, _ in stops], [rgb(k)[c] for _, k in stops]) for c in range(3)], 2
    )
    scene = Scene.of(np.repeat(sky, width, axis=1) * texture(HEIGHT, width, 61, 1.2)[..., None])
    paper = texture(HEIGHT, width, 62, 1.4)
    scene.lay(ellipse(970, 420, 118, 118), rgb("#f6dfa8"), paper=paper, shadow=(4, 8, 22, 0.25))
    for base, low, high, wall, roof, seed in _ROWS:
        _row(
            scene,
            paper,
            base,
            (low, high),
            rgb(wall),
            rgb(roof),
            np.random.default_rng(seed),
            width,
        )
    k = width / WIDTH
    hill = [(-40.0, 2050.0), (320 * k, 1930), (700 * k, 2010), (1080 * k, 1900), (1340 * k, 1990), (1340 * k, 2380), (-40, 2380)]  # fmt: skip
    scene.lay(spline(hill), rgb("#3a2440"), paper=paper, shadow=(0, -10, 18, 0.5))
    return scene


def _row(scene: Scene, paper, base, tall, wall, roof, rng, width) -> None:  # type: ignore[no-untyped-def]
    x = -60.0
    while x < width + 40:
        wide, high = float(rng.uniform(120, 230)), float(rng.uniform(*tall))
        top, shade = base - high, np.float32(rng.uniform(0.88, 1.08))
        body = [(x, top), (x + wide, top), (x + wide, base + 700), (x, base + 700)]
        scene.lay(np.array(body, np.float32), wall * shade, paper=paper, shadow=(6, 8, 12, 0.4))
        peak = float(rng.uniform(0.4, 1.3)) * wide
        gable = [(x - 16, top + 6), (x + wide / 2, top - peak), (x + wide + 16, top + 6)]
        scene.lay(np.array(gable, np.float32), roof * shade, paper=paper, shadow=(4, 8, 10, 0.4))
        for row in range(int(high // 120)):
            for column in (0.3, 0.7):
                if rng.random() < 0.55:
                    lit = rgb("#ffd98a") * np.float32(rng.uniform(0.75, 1.05))
                    left, up = x + wide * column - 17, top + 46 + row * 112
                    pane = [(left, up), (left + 34, up), (left + 34, up + 48), (left, up + 48)]
                    scene.lay(np.array(pane, np.float32), lit, paper=paper, shadow=None, edge=0.2)
        x += wide + float(rng.uniform(-8, 34))
