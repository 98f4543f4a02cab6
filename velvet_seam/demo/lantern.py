"""*lantern-walk*: a hooded paper figure carries a tin lantern across the stage, behind a post and out again.

What is carried swings, bobs with the steps and comes nearer; where it is in each frame is known.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo import stage
from velvet_seam.demo.paper import F32, Scene, ellipse, finish, rgb, spline, stroke, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 120
POST = (640.0, 800.0)
"""The post stands from here to here, across."""

PANE = np.array([[-46, -40], [46, -40], [40, 74], [-40, 74]], np.float64)
"""The corners of the lantern's lit pane, in its own pixels, clockwise from the top left."""


def place(frame: float) -> NDArray[np.float64]:
    """3 × 3, from the lantern's own pixels to those of the picture."""
    t = frame / (FRAMES - 1)
    x, y = 190 + 770 * t, 990 + 60 * t + 13 * abs(np.sin(frame * 0.21)) + 6 * np.sin(frame * 0.05)
    turn = np.radians(11 * np.sin(frame * 0.17) + 4 * np.sin(frame * 0.41))
    scale = 0.95 + 0.4 * t
    c, s = scale * np.cos(turn), scale * np.sin(turn)
    return np.array([[c, -s, x], [s, c, y], [0, 0, 1.0]])


def pane(frame: float) -> NDArray[np.float64]:
    """Where the corners of the pane are in a frame, whether it is seen or not: (4, 2)."""
    made = np.column_stack([PANE, np.ones(4)]) @ place(frame).T
    return np.asarray(made[:, :2])


def _put(matrix: NDArray[np.float64], points: object) -> F32:
    own = np.asarray(points, np.float64)
    return (np.column_stack([own, np.ones(len(own))]) @ matrix.T)[:, :2].astype(np.float32)


def _figure(scene: Scene, frame: int, paper: F32) -> None:
    """The one who carries it, behind the lantern."""
    at = place(frame)
    x, y, size = at[0, 2] - 150, at[1, 2] + 160, 0.9 + 0.35 * frame / FRAMES
    step = 9 * np.sin(frame * 0.42)

    def own(points: Sequence[tuple[float, float]]) -> F32:
        return np.asarray(np.array(points) * size + [x, y], np.float32)

    cloak = [
        (-20, -250),
        (60, -190),
        (96, 60),
        (130 + step, 350),
        (-150 + step, 350),
        (-112, 60),
        (-84, -190),
    ]
    hood = [(-22, -300), (52, -236), (40, -150), (-30, -130), (-84, -170), (-78, -250)]
    scene.lay(
        spline([tuple(one) for one in own(cloak).tolist()]),
        rgb("#37506a"),
        paper=paper,
        shadow=(10, 8, 10, 0.4),
    )
    scene.lay(
        spline([tuple(one) for one in own(hood).tolist()]),
        rgb("#2b3f55"),
        paper=paper,
    )
    scene.lay(
        ellipse(x + 14 * size, y - 205 * size, 34 * size, 42 * size),
        rgb("#e8cfae"),
        paper=paper,
        shadow=None,
    )
    hand = _put(at, [[0, -150]])[0]
    arm = spline(
        [
            tuple(own([(40, -110)])[0]),
            tuple(own([(110, -60)])[0]),
            (float(hand[0]), float(hand[1])),
        ],
        closed=False,
    )
    scene.lay(
        stroke(arm, np.linspace(44, 26, len(arm)).astype(np.float32) * np.float32(size)),
        rgb("#37506a"),
        paper=paper,
    )
    scene.lay(
        ellipse(float(hand[0]), float(hand[1]), 19 * size, 19 * size),
        rgb("#e8cfae"),
        paper=paper,
        shadow=None,
    )


def _lantern(scene: Scene, frame: int, paper: F32) -> None:
    at = place(frame)
    scale = float(np.hypot(at[0, 0], at[1, 0]))

    def lay(points: object, colour: str, **more: Any) -> None:
        scene.lay(_put(at, points), rgb(colour), paper=paper, **more)

    lay(stroke(ellipse(0, -122, 26, 28), 7), "#9fa5a3", edge=0.2)
    lay([(-66, -62), (0, -112), (66, -62)], "#7d8683", edge=0.25)
    lay(
        [(-64, -62), (64, -62), (54, 96), (-54, 96)], "#8f9895", edge=0.25, shadow=(8, 12, 10, 0.45)
    )
    lay(PANE, "#ffd777", shadow=None, edge=-0.12)
    for k in range(3):
        lay(
            [(-46 + 31 * k, -40), (-42 + 31 * k, -40), (-38 + 27 * k, 74), (-42 + 27 * k, 74)],
            "#6a726f",
            shadow=None,
        )
    lay([(-44, 12), (44, 12), (43, 18), (-43, 18)], "#6a726f", shadow=None)
    lay(spline([(0, 62), (-13, 36), (-4, 6), (0, -14), (6, 8), (14, 38)]), "#ff9b3a", shadow=None)
    lay(spline([(0, 58), (-6, 40), (0, 18), (7, 40)]), "#fff3c8", shadow=None)
    lay([(-60, 96), (60, 96), (68, 118), (-68, 118)], "#767f7c", edge=0.25)
    for n in range(5):
        lay(ellipse(-44 + 22 * n, 107, 5, 5), "#d9dedb", shadow=None, edge=0.2)
    glow = np.asarray(at[:2, 2] + at[:2, :2] @ [0, 20])
    y, x = np.mgrid[0:HEIGHT:4, 0:WIDTH:4].astype(np.float32)
    away = np.hypot(x - glow[0], y - glow[1])
    flicker = 1 + 0.05 * np.sin(frame * 0.9) * np.sin(frame * 0.37)
    light = (0.34 * np.exp(-away / (150 * scale)) * flicker).astype(np.float32)
    warm = np.array([1.0, 0.72, 0.36], np.float32)
    large = np.repeat(np.repeat(light, 4, 0), 4, 1)[:HEIGHT, :WIDTH]
    scene.colour += large[..., None] * warm * (0.35 + scene.colour)


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *lantern-walk*: (1920, 1080, 3) uint8."""
    paper = texture(HEIGHT, WIDTH, 171, 1.4)
    scene = Scene.of(stage.light() * np.float32(0.72))
    _figure(scene, frame, paper)
    _lantern(scene, frame, paper)
    left, right = POST
    post = np.array([[left, 230], [right, 230], [right + 6, 1660], [left - 6, 1660]], np.float32)
    scene.lay(post, rgb("#4d2f24"), paper=paper, shadow=(14, 0, 18, 0.5), edge=0.2)
    for n in range(7):
        y = 300 + 190 * n
        band = np.array(
            [[left - 4, y], [right + 4, y + 46], [right + 4, y + 74], [left - 4, y + 28]],
            np.float32,
        )
        scene.lay(band, rgb("#9a3b48"), paper=paper, shadow=None, edge=0.15)
    return finish(scene.colour * np.float32(stage.flicker(frame)), 7100 + frame, 0.008)
