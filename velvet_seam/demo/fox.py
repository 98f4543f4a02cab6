"""*fox-left*, *fox-right*, *fox-knocked*: the same fox on the little stage, in two takes and a troubled one.

Troubles put in on purpose: between the takes the camera was nudged by a few pixels, and in the
second the light is warmer and a third of a stop brighter; the candles flicker in both.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo import stage
from velvet_seam.demo.paper import F32, Scene, ellipse, finish, rgb, spline, stroke, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 100
Side = Literal["left", "right"]
NUDGE: dict[str, tuple[float, float]] = {"left": (0.0, 0.0), "right": (6.4, -3.7)}
"""How far the camera's picture of the stage lies from that of *stage-empty*, in pixels."""
STOPS: dict[str, float] = {"left": 0.0, "right": 1 / 3}
WARM: dict[str, tuple[float, float, float]] = {"left": (1, 1, 1), "right": (1.06, 1.0, 0.90)}
_GAMMA = 2.2


def light(side: Side, frame: int) -> F32:
    """The light of a take at a frame, as factors of display-referred R, G, B."""
    gain = 2 ** (STOPS[side] / _GAMMA) * stage.flicker(frame + (17 if side == "right" else 0))
    return np.array(WARM[side], np.float32) * np.float32(gain)


@dataclass(frozen=True)
class _Puppet:
    """The fox of a take on its sheet of paper, at a time `t` in seconds."""

    scene: Scene
    paper: F32
    side: Side
    t: float

    @property
    def cx(self) -> int:
        """Where its middle stands, in pixels from the left."""
        return 372 if self.side == "left" else 726

    def put(
        self,
        points: list[tuple[float, float]] | F32,
        turn: float = 0.0,
        about: tuple[float, float] = (0, 0),
    ) -> F32:
        """Points around the fox's middle, turned by degrees, and mirrored in the right take."""
        p = np.asarray(points, np.float32)
        a = np.radians(turn)
        d = p - np.array(about, np.float32)
        q = np.stack(
            [d[:, 0] * np.cos(a) - d[:, 1] * np.sin(a), d[:, 0] * np.sin(a) + d[:, 1] * np.cos(a)],
            1,
        )
        q = q + np.array(about, np.float32)
        face = 1 if self.side == "left" else -1
        return np.stack([self.cx + face * q[:, 0], 1100 + q[:, 1]], 1).astype(np.float32)

    def lay(self, points: F32, colour: str, **more: Any) -> None:
        self.scene.lay(points, rgb(colour), paper=self.paper, **more)


def _tail(fox: _Puppet) -> None:
    """The bushy tail with its white tip, which wags."""
    put, lay, tail = fox.put, fox.lay, 16 * np.sin(3.1 * fox.t)
    bush = spline(
        [(-70, 330), (-150, 300), (-206, 200), (-190, 90), (-150, 60), (-120, 160), (-70, 250)]
    )
    lay(put(bush, turn=tail, about=(-60, 330)), "#c8622c", shadow=None)
    lay(
        put(
            spline([(-190, 92), (-206, 60), (-178, 20), (-150, 60), (-158, 104)]),
            turn=tail,
            about=(-60, 330),
        ),
        "#f3e2c6",
        shadow=None,
    )


def _body(fox: _Puppet) -> None:
    """The body with its white shirt, the feet, the arm that waves and the one that hangs."""
    put, lay, wave = fox.put, fox.lay, 34 * np.sin(3.7 * fox.t) - 40
    body = spline(
        [(0, 40), (72, 90), (96, 230), (84, 380), (0, 400), (-84, 380), (-96, 230), (-72, 90)]
    )
    lay(put(body), "#cc6a30", shadow=(3, 5, 4, 0.3))
    lay(
        put(spline([(0, 90), (44, 150), (48, 280), (0, 360), (-48, 280), (-44, 150)])),
        "#f3e2c6",
        shadow=None,
    )
    for x in (-46, 46):
        lay(put(ellipse(x, 396, 42, 20)), "#8e431e", shadow=(2, 4, 3, 0.3))
    arm = spline([(64, 130), (130, 150), (170, 120)], closed=False)
    lay(
        put(stroke(arm, np.linspace(40, 28, len(arm))), turn=wave, about=(64, 130)),
        "#c2602a",
        shadow=(2, 4, 3, 0.3),
    )
    still = spline([(-64, 130), (-112, 190), (-96, 262)], closed=False)
    lay(put(stroke(still, np.linspace(40, 28, len(still)))), "#c2602a", shadow=(2, 4, 3, 0.3))


def _head(fox: _Puppet) -> None:
    """Ears, face, eyes and nose, nodding, and the scarf below."""
    put, lay, nod = fox.put, fox.lay, 5 * np.sin(2 * fox.t)
    head: dict[str, Any] = {"turn": nod, "about": (0.0, 50.0)}
    for s in (-1, 1):
        lay(put([(s * 26, -84), (s * 96, -190), (s * 104, -50)], **head), "#b9562a", shadow=None)
        lay(put([(s * 48, -90), (s * 88, -156), (s * 90, -66)], **head), "#f0cfae", shadow=None)
    lay(
        put(
            spline(
                [
                    (0, -108),
                    (92, -80),
                    (112, -14),
                    (52, 48),
                    (0, 66),
                    (-52, 48),
                    (-112, -14),
                    (-92, -80),
                ]
            ),
            **head,
        ),
        "#d4733a",
        shadow=(3, 5, 4, 0.3),
    )
    for s in (-1, 1):
        lay(
            put(spline([(s * 8, 10), (s * 104, -14), (s * 56, 46), (s * 8, 62)]), **head),
            "#f6e8d0",
            shadow=None,
        )
        lay(put(ellipse(s * 40, -30, 9, 12), **head), "#2a1611", shadow=None, edge=0)
        lay(put(ellipse(s * 43, -34, 3, 3), **head), "#f6e8d0", shadow=None, edge=0)
    lay(put(ellipse(0, 54, 15, 11), **head), "#2a1611", shadow=None)
    scarf = spline([(-70, 70), (0, 92), (70, 70), (66, 104), (0, 128), (-66, 104)])
    lay(put(scarf), "#3f6f8c", shadow=(2, 4, 3, 0.3))


def _draw(side: Side, frame: int) -> Scene:
    t = frame / 25 + (1.3 if side == "right" else 0)
    fox = _Puppet(Scene.empty(HEIGHT, WIDTH), texture(HEIGHT, WIDTH, 91, 1.3), side, t)
    _tail(fox)
    _body(fox)
    _head(fox)
    rod = np.array([[fox.cx, 1490], [fox.cx + 3, 1990]], np.float32)
    fox.scene.lay(stroke(rod, 9), rgb("#4a3423"), shadow=None)
    return fox.scene


def _nudged(picture: F32, side: Side) -> F32:
    dx, dy = NUDGE[side]
    matrix = np.array([[1, 0, dx], [0, 1, dy]], np.float32)
    size = (picture.shape[1], picture.shape[0])
    return np.asarray(cv2.warpAffine(picture, matrix, size, flags=cv2.INTER_CUBIC,
                                     borderMode=cv2.BORDER_REPLICATE), np.float32)  # fmt: skip


@lru_cache(maxsize=4)
def truth(side: Side, frame: int) -> tuple[F32, F32]:
    """The fox as the camera of its take saw it: premultiplied colour (before the light) and
    coverage, both nudged with the camera."""
    scene = _draw(side, frame)
    return _nudged(scene.colour, side), np.clip(_nudged(scene.alpha, side), 0, 1)


def picture(frame: int, side: Side = "left") -> NDArray[np.uint8]:
    """Frame of a take: (1920, 1080, 3) uint8."""
    colour, alpha = truth(side, frame)
    ground = _nudged(stage._stage(), side)
    soft = cv2.GaussianBlur(alpha, (0, 0), 20)
    ground = ground * (1 - 0.3 * np.roll(soft, (16, 12), (0, 1)))[..., None]
    out = (colour + ground * (1 - alpha[..., None])) * light(side, frame)
    return finish(out, (8000 if side == "left" else 9000) + frame, 0.010)


KNOCKED = 50
"""From this frame of *fox-knocked* on the camera stands elsewhere, and a lamp is out."""

KNOCK, DIMMED = (5.3, -2.6), -0.4
"""Pixels by which its picture has moved then, and stops by which it is darker."""


def knocked(frame: int) -> NDArray[np.uint8]:
    """Frame of *fox-knocked*: the first take once more; half way somebody knocks against the camera, and a lamp goes
    out."""
    colour, alpha = truth("left", frame)
    soft = cv2.GaussianBlur(alpha, (0, 0), 20)
    ground = stage.light() * (1 - 0.3 * np.roll(soft, (16, 12), (0, 1)))[..., None]
    out = (colour + ground * (1 - alpha[..., None])) * light("left", frame)
    if frame >= KNOCKED:
        move = np.array([[1, 0, KNOCK[0]], [0, 1, KNOCK[1]]], np.float32)
        moved = cv2.warpAffine(
            out, move, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
        )
        out = np.asarray(moved, np.float32) * np.float32(2 ** (DIMMED / _GAMMA))
    return finish(out, 8500 + frame, 0.010)


def left(frame: int) -> NDArray[np.uint8]:
    return picture(frame, "left")


def right(frame: int) -> NDArray[np.uint8]:
    return picture(frame, "right")
