"""*stage-empty*: the little stage of the Tin Lantern without its puppets, in candlelight."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo.paper import F32, Scene, ellipse, finish, rgb, spline, stroke, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 100


def flicker(frame: float) -> float:
    """The candles' light at a frame, as a factor around 1: the truth of the light's drift."""
    return float(
        1 + 0.035 * np.sin(frame * 0.71) * np.sin(frame * 0.163) + 0.018 * np.sin(frame * 1.9)
    )


def _box(x0: float, y0: float, x1: float, y1: float) -> F32:
    return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]], np.float32)


def _curtain(scene: Scene, side: int, paper: F32) -> None:
    """One gathered curtain: six folds, tied back at half height."""
    wall = 60 if side < 0 else WIDTH - 60
    for fold in range(6):
        wide = 300 - 46 * fold
        tied = 150 - 22 * fold
        x = lambda d: wall - side * d  # noqa: E731 -- d pixels in from the wall
        outline = [
            (x(0), 250), (x(wide), 250), (x(wide * 0.93), 560), (x(wide * 0.70), 860),
            (x(tied), 1080), (x(tied * 1.05), 1180), (x(tied * 1.45), 1420), (x(tied * 1.5), 1600),
            (x(0), 1600),
        ]  # fmt: skip
        shade = 0.72 + 0.09 * fold if fold % 2 else 0.60 + 0.08 * fold
        scene.lay(spline([(float(a), float(b)) for a, b in outline]),
                  rgb("#8d2440") * np.float32(shade), paper=paper,
                  shadow=(-side * 8, 6, 12, 0.38), edge=0.08)  # fmt: skip
    cord = spline([(wall, 1090), (wall - side * 90, 1120), (wall - side * 168, 1096)], closed=False)
    scene.lay(stroke(cord, 15), rgb("#d3a440"), paper=paper, edge=0.2)
    scene.lay(ellipse(wall - side * 170, 1098, 15, 17), rgb("#e2bb5c"), paper=paper, edge=0.2)


def _backcloth(scene: Scene, paper: F32, back: F32) -> None:
    """The painted cloth with its hills and trees, and the boards before it; `back` is the light there."""
    scene.lay(_box(60, 200, WIDTH - 60, 1420), rgb("#e2c79c"), paper=paper, fade=back, shadow=None)
    for n, (base, colour) in enumerate(((1010, "#c9b48d"), (1110, "#a99c7c"), (1220, "#83836c"))):
        hill = [(0.0, 1500.0)] + [
            (90.0 * i, base - (86 - 16 * n) * np.sin(0.8 * i + 1.7 * n) ** 2 - 22 * np.sin(1.9 * i))
            for i in range(13)
        ] + [(1080.0, 1500.0)]  # fmt: skip
        scene.lay(spline(hill), rgb(colour), paper=paper, fade=back, shadow=(0, -6, 12, 0.25))
    for tree_x, tree_y, size in ((300, 1080, 0.8), (786, 1060, 1.0), (690, 1130, 0.62)):
        trunk = np.array([[tree_x, tree_y + 170 * size], [tree_x + 3, tree_y]], np.float32)
        scene.lay(stroke(trunk, 13 * size), rgb("#5a4437"), paper=paper, fade=back)
        for k in range(3):
            w, top = (92 - 22 * k) * size, tree_y - 62 * k * size
            leaf = np.array([[tree_x - w, top + 46 * size], [tree_x + 2, top - 74 * size],
                             [tree_x + w, top + 46 * size]], np.float32)  # fmt: skip
            scene.lay(leaf, rgb("#5f7350") * np.float32(0.9 + 0.08 * k), paper=paper, fade=back)
    for board in range(9):
        top, low = 1395 + 0.9 * board * (18 + board), 1395 + 0.9 * (board + 1) * (19 + board)
        tone = 0.86 + 0.11 * ((board * 5) % 3)
        scene.lay(_box(60, top, WIDTH - 60, low + 2), rgb("#94663f") * np.float32(tone),
                  paper=paper, fade=back, shadow=None, edge=0.12)  # fmt: skip


def _frame(scene: Scene, paper: F32) -> None:
    """The posts at the sides and the scalloped cloth that hangs between them."""
    for post in (_box(0, 120, 92, 1640), _box(WIDTH - 92, 120, WIDTH, 1640)):
        scene.lay(post, rgb("#7b4a33"), paper=paper, shadow=(0, 0, 22, 0.55), edge=0.2)
    scallops = [(0.0, 0.0), (0.0, 300.0)]
    for i in range(9):
        scallops += [
            (60 + 120 * i - 58, 318.0),
            (60.0 + 120 * i, 392.0),
            (60 + 120 * i + 58, 318.0),
        ]
    scallops += [(1080.0, 300.0), (1080.0, 0.0)]
    scene.lay(np.array(scallops, np.float32), rgb("#6f1e37"), paper=paper, shadow=(0, 14, 18, 0.55))
    for i in range(9):
        scene.lay(ellipse(60 + 120 * i, 372, 15, 15), rgb("#d8ab48"), paper=paper, edge=0.22)


def _sign(scene: Scene, paper: F32, tin: F32) -> None:
    """The board above with the lantern and its stars; `tin` is the gleam of sheet metal."""
    scene.lay(_box(0, 0, WIDTH, 252), rgb("#8a5238"), paper=paper, shadow=(0, 12, 16, 0.5))
    scene.lay(_box(26, 34, WIDTH - 26, 214), rgb("#3c2026"), paper=paper, shadow=None, edge=-0.15)
    ring = stroke(ellipse(540, 66, 17, 17), 6)
    scene.lay(ring, rgb("#b9bcb8"), paper=paper, edge=0.22)
    roof = np.array([[540, 70], [596, 108], [484, 108]], np.float32)
    body = np.array([[492, 108], [588, 108], [580, 196], [500, 196]], np.float32)
    scene.lay(body, rgb("#b4b8b5"), paper=paper, fade=tin, edge=0.22)
    scene.lay(roof, rgb("#cdd0cc"), paper=paper, fade=tin, edge=0.22)
    for k in (-1, 1):
        pane = np.array([[540 + k * 5, 120], [540 + k * 38, 120], [540 + k * 34, 184],
                         [540 + k * 5, 184]], np.float32)  # fmt: skip
        scene.lay(pane, rgb("#ffd98a"), shadow=None, edge=-0.12)
    for k in (-1, 1):
        for i in range(5):
            star = [
                (540 + k * (150 + 76 * i) + r * np.cos(a), 124 + r * np.sin(a))
                for a, r in zip(np.linspace(-np.pi / 2, 1.5 * np.pi, 11)[:-1], [19, 8] * 5,
                                strict=True)
            ]  # fmt: skip
            scene.lay(np.array(star, np.float32), rgb("#d8ab48"), paper=paper, edge=0.2)


def _footlights(scene: Scene, paper: F32) -> None:
    """The front of the stage and the five shells the candles stand behind."""
    scene.lay(_box(0, 1618, WIDTH, HEIGHT), rgb("#7b4a33"), paper=paper, shadow=(0, -12, 18, 0.5))
    scene.lay(_box(30, 1668, WIDTH - 30, HEIGHT - 50), rgb("#8f5a3c"), paper=paper, edge=0.18)
    for i in range(5):
        cx = 140 + 200 * i
        shell = spline([(cx - 66, 1640), (cx - 56, 1586), (cx, 1560), (cx + 56, 1586),
                        (cx + 66, 1640)])  # fmt: skip
        scene.lay(shell, rgb("#9a8f86"), paper=paper, edge=0.30, shadow=(0, 8, 10, 0.5))


@lru_cache(maxsize=1)
def _stage() -> F32:
    paper = texture(HEIGHT, WIDTH, 61, 1.5)
    scene = Scene.of(rgb("#2b1b22") * texture(HEIGHT, WIDTH, 62, 2.0)[..., None])
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    warm = np.exp(-(((x - 540) / 520) ** 2) - ((y - 900) / 620) ** 2)
    _backcloth(scene, paper, (0.62 + 0.50 * warm).astype(np.float32))
    _curtain(scene, -1, paper)
    _curtain(scene, 1, paper)
    _frame(scene, paper)
    _sign(scene, paper, (0.84 + 0.16 * np.sin(x / 41) * np.sin(x / 97 + 1)).astype(np.float32))
    _footlights(scene, paper)
    lamps = sum(
        np.exp(-(((x - 140 - 200 * i) / 150) ** 2) - ((y - 1500) / 190) ** 2) for i in range(5)
    )
    light = np.array([1.0, 0.78, 0.48], np.float32) * np.asarray(lamps, np.float32)[..., None]
    return np.asarray(scene.colour * (0.92 + 0.42 * light), np.float32)


def light() -> F32:
    """The stage in even light: (1920, 1080, 3), 0 to 1."""
    return _stage()


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *stage-empty*: (1920, 1080, 3) uint8."""
    return finish(_stage() * np.float32(flicker(frame)), 4000 + frame, 0.010)
