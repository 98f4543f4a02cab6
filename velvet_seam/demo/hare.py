"""*hare*: a paper hare alone before a plain ochre ground; she looks about, speaks, and points with an ear."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo.paper import F32, Scene, ellipse, finish, rgb, spline, stroke, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 100


@lru_cache(maxsize=1)
def _ground() -> F32:
    y = np.linspace(0, 1, HEIGHT, dtype=np.float32)[:, None, None]
    ground = rgb("#cda45c") * (1.03 - 0.16 * y)
    return (np.repeat(ground, WIDTH, axis=1) * texture(HEIGHT, WIDTH, 71, 0.9)[..., None]).astype(
        np.float32
    )


def _turned(points: F32, degrees: float, about: tuple[float, float]) -> F32:
    a = np.radians(degrees)
    d = np.asarray(points, np.float32) - np.array(about, np.float32)
    turn = np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]], np.float32)
    return (d @ turn + np.array(about, np.float32)).astype(np.float32)


@dataclass(frozen=True)
class _Puppet:
    """The hare on her sheet of paper at a time `t` in seconds."""

    scene: Scene
    paper: F32
    t: float

    def lay(self, points: F32, colour: str, **more: object) -> None:
        shadowed = {"shadow": (3, 6, 5, 0.32), **more}
        self.scene.lay(points, rgb(colour), paper=self.paper, **shadowed)  # type: ignore[arg-type]

    def head(self, points: F32) -> F32:
        """Points of the head, nodding."""
        return _turned(points, float(4 * np.sin(1.7 * self.t)), (540, 900))


def _body(hare: _Puppet) -> None:
    """The body in its shirt, under all else."""
    lay = hare.lay
    body = [(540.0, 880.0), (690, 960), (742, 1220), (720, 1560), (540, 1640), (360, 1560), (338, 1220), (390, 960)]  # fmt: skip
    lay(spline(body), "#b9a58c")
    lay(
        spline([(540, 960), (620, 1060), (640, 1300), (540, 1480), (440, 1300), (460, 1060)]),
        "#f0e4cf",
        shadow=None,
    )


def _limbs(hare: _Puppet, side: int) -> None:
    """Paw, foot and ear of one side, -1 left or 1 right; the right ones move more."""
    lay, head, t = hare.lay, hare.head, hare.t
    paw = spline(
        [(540 + side * 120, 1080), (540 + side * 190, 1220), (540 + side * 140, 1330)],
        closed=False,
    )
    lift = side * (26 * np.sin(2.3 * t) + 18) if side > 0 else 6 * np.sin(1.9 * t)
    lay(
        _turned(
            stroke(paw, np.linspace(74, 58, len(paw), dtype=np.float32)),
            float(lift),
            (540 + side * 120, 1080),
        ),
        "#ad977d",
    )
    lay(ellipse(540 + side * 110, 1630, 96, 46), "#9c866d")
    ear = spline([(540 + side * 40, 690), (540 + side * 120, 560), (540 + side * 134, 330), (540 + side * 70, 380), (540 + side * 16, 620)])  # fmt: skip
    bend = side * (10 + 7 * np.sin(2.6 * t + side)) + (
        24 * max(0.0, np.sin(1.3 * t)) if side > 0 else 0
    )
    lay(head(_turned(ear, float(bend), (540 + side * 50, 700))), "#b9a58c")
    inner = spline(
        [
            (540 + side * 52, 640),
            (540 + side * 104, 540),
            (540 + side * 112, 410),
            (540 + side * 66, 560),
        ]
    )
    lay(head(_turned(inner, float(bend), (540 + side * 50, 700))), "#dfa795", shadow=None)


def _face(hare: _Puppet) -> None:
    """What looks and speaks, above the ears."""
    lay, head, t = hare.lay, hare.head, hare.t
    speak = 0.5 + 0.5 * np.sin(9 * t) * (np.sin(1.1 * t) > -0.2)
    face = [
        (540.0, 640.0),
        (668, 690),
        (700, 800),
        (640, 900),
        (540, 940),
        (440, 900),
        (380, 800),
        (412, 690),
    ]
    lay(head(spline(face)), "#c4b096")
    for side in (-1, 1):
        lay(head(ellipse(540 + side * 66, 866, 72, 52)), "#f3e8d5", shadow=None)
        lay(head(ellipse(540 + side * 78, 768, 22, 28)), "#2b1c18", shadow=None, edge=0)
        lay(head(ellipse(540 + side * 72, 758, 7, 8)), "#f6ead6", shadow=None, edge=0)
        for n in range(3):
            line = np.array(
                [[540 + side * 50, 866 + 9 * n], [540 + side * 214, 836 + 26 * n]], np.float32
            )
            lay(head(stroke(line, 3.2)), "#6f5c48", shadow=None, edge=0)
    lay(head(ellipse(540, 838, 26, 17)), "#8b4a4a", shadow=None)
    lay(head(ellipse(540, 894, 24, 5 + 17 * float(speak))), "#51262a", shadow=None)


@lru_cache(maxsize=4)
def truth(frame: int) -> tuple[F32, F32]:
    """The hare alone: premultiplied colour and coverage."""
    hare = _Puppet(Scene.empty(HEIGHT, WIDTH), texture(HEIGHT, WIDTH, 72, 1.3), frame / 25)
    _body(hare)
    for side in (-1, 1):
        _limbs(hare, side)
    _face(hare)
    return hare.scene.colour, np.clip(hare.scene.alpha, 0, 1)


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *hare*: (1920, 1080, 3) uint8."""
    colour, alpha = truth(frame)
    return finish(_ground() * (1 - alpha[..., None]) + colour, 7000 + frame)
