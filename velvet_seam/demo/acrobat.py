"""*acrobat-on-blue*: a trapeze puppet before blue cloth, with fine threads and a see-through cape.

Troubles put in on purpose: threads two pixels wide, coverage that is never whole in the cape, folds
in the cloth, blue light on the rim, movement blur at the ends of the swing.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo.paper import F32, Scene, cover, ellipse, finish, rgb, spline, stroke, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 100
SHUTTER = 4
BLUE = rgb("#2f56b0")
PIVOT = (540.0, -420.0)
CAPE_COVERAGE = 0.42


def swing(time: float) -> float:
    """Lean of the trapeze in degrees at a time in seconds; a swing takes four seconds."""
    return float(13.5 * np.sin(2 * np.pi * time / 4.0 + 0.35))


def _place(points: F32, lean: float) -> F32:
    """From the trapeze at rest, its bar's middle at (540, 700), to where it swings."""
    a = np.radians(lean)
    c, s = np.cos(a), np.sin(a)
    d = points - np.array(PIVOT, np.float32)
    return np.stack(
        [PIVOT[0] + d[:, 0] * c - d[:, 1] * s, PIVOT[1] + d[:, 0] * s + d[:, 1] * c], 1
    ).astype(np.float32)


def _veil(scene: Scene, outline: F32, colour: F32, coverage: float, folds: F32) -> None:
    """A piece of gauze: it lets through what is behind it."""
    part = cover(outline, *scene.alpha.shape, margin=2)
    if part is None:
        return
    h, w = part.values.shape
    area = np.s_[part.top : part.top + h, part.left : part.left + w]
    c = part.values * np.clip(coverage * folds[area], 0, 1)
    scene.colour[area] = colour * c[..., None] + scene.colour[area] * (1 - c)[..., None]
    scene.alpha[area] = c + scene.alpha[area] * (1 - c)


@dataclass(frozen=True)
class _Puppet:
    """The puppet on its sheet of paper at a time in seconds."""

    scene: Scene
    paper: F32
    time: float

    @property
    def lean(self) -> float:
        return swing(self.time)

    @property
    def lag(self) -> float:
        """How far what hangs loosely is behind, in degrees."""
        return swing(self.time - 0.16) - self.lean

    def put(self, points: F32) -> F32:
        return _place(np.asarray(points, np.float32), self.lean)


def _trapeze(puppet: _Puppet) -> None:
    """The two threads, the cape that hangs before them, and the bar."""
    scene, paper, put, lean = puppet.scene, puppet.paper, puppet.put, puppet.lean
    for x in (430, 650):
        thread = np.linspace((x, -500), (x, 706), 40, dtype=np.float32)
        scene.lay(stroke(put(thread), 2.4), rgb("#d8cfb8"), shadow=None, edge=0.0)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    folds = (1 + 0.22 * np.sin((x + 0.35 * y) / 21 + lean * 0.2)).astype(np.float32)
    sway = -puppet.lag * 16
    cape = spline([(516, 600), (566, 604), (640 + 0.4 * sway, 760), (700 + sway, 980),
                   (640 + 1.2 * sway, 1120), (560 + 1.1 * sway, 1050), (480 + sway, 1140),
                   (430 + 0.8 * sway, 940), (470 + 0.3 * sway, 740)])  # fmt: skip
    _veil(scene, put(cape), rgb("#f0d9c8"), CAPE_COVERAGE, folds)
    bar = np.linspace((404, 706), (676, 706), 20, dtype=np.float32)
    scene.lay(stroke(put(bar), 17), rgb("#8a5a34"), paper=paper, shadow=None, edge=0.2)


def _limbs(puppet: _Puppet, side: int) -> None:
    """An arm up to the bar and a leg down, -1 left or 1 right."""
    scene, paper, put, time = puppet.scene, puppet.paper, puppet.put, puppet.time
    arm = spline(
        [(540 + 26 * side, 606), (540 + 70 * side, 640), (540 + 74 * side, 708)], closed=False
    )
    scene.lay(
        stroke(put(arm), np.linspace(30, 24, len(arm))),
        rgb("#d98a4c"),
        paper=paper,
        shadow=(2, 3, 3, 0.3),
    )
    bend = 22 * np.sin(2 * np.pi * time / 1.7 + side)
    leg = spline([(540 + 18 * side, 800), (540 + (40 + bend) * side, 900),
                  (540 + (26 + 1.6 * bend) * side, 1010)], closed=False)  # fmt: skip
    scene.lay(
        stroke(put(leg), np.linspace(40, 22, len(leg))),
        rgb("#b5343c"),
        paper=paper,
        shadow=(2, 3, 3, 0.35),
    )
    scene.lay(
        put(ellipse(540 + (30 + 1.6 * bend) * side, 1022, 25, 13)),
        rgb("#3a1f1c"),
        paper=paper,
        shadow=None,
    )


def _body(puppet: _Puppet) -> None:
    """The suit with its buttons, and the head without a face."""
    scene, paper, put = puppet.scene, puppet.paper, puppet.put
    body = spline(
        [
            (540, 590),
            (584, 610),
            (590, 700),
            (578, 800),
            (540, 830),
            (502, 800),
            (490, 700),
            (496, 610),
        ]
    )
    scene.lay(put(body), rgb("#c8404a"), paper=paper, shadow=(3, 5, 4, 0.35))
    for k in range(5):
        scene.lay(put(ellipse(540, 640 + 36 * k, 7, 7)), rgb("#f2c661"), shadow=None, edge=0.2)
    scene.lay(put(ellipse(540, 540, 46, 52)), rgb("#eeb88a"), paper=paper, shadow=(3, 5, 4, 0.35))


def _hair(puppet: _Puppet) -> None:
    """The hair with loose strands, a pixel or two wide, and the face."""
    scene, paper, put, lag = puppet.scene, puppet.paper, puppet.put, puppet.lag
    hair = spline(
        [
            (494, 540),
            (498, 488),
            (540, 470),
            (584, 488),
            (588, 540),
            (566, 512),
            (540, 506),
            (512, 512),
        ]
    )
    scene.lay(put(hair), rgb("#3a2318"), paper=paper, shadow=None)
    rng = np.random.default_rng(12)
    for _ in range(26):
        a = rng.uniform(np.pi * 1.05, np.pi * 1.95)
        root = np.array([540 + 44 * np.cos(a), 522 + 46 * np.sin(a)])
        tip = root + rng.uniform(24, 62) * np.array([np.cos(a) - 0.02 * lag, np.sin(a) + 0.35])
        line = np.linspace(root, tip, 12).astype(np.float32)
        line[:, 0] += np.linspace(0, 1, 12) ** 2 * (4 * lag + rng.uniform(-9, 9))
        scene.lay(
            stroke(put(line), np.linspace(2.2, 0.8, 12)), rgb("#3a2318"), shadow=None, edge=0.0
        )
    for side in (-1, 1):
        scene.lay(put(ellipse(540 + 17 * side, 540, 5, 6)), rgb("#2a1611"), shadow=None, edge=0.0)
        scene.lay(put(ellipse(540 + 26 * side, 558, 8, 6)), rgb("#e08a74"), shadow=None, edge=0.0)


def _draw(time: float, paper: F32) -> Scene:
    puppet = _Puppet(Scene.empty(HEIGHT, WIDTH), paper, time)
    _trapeze(puppet)
    for side in (-1, 1):
        _limbs(puppet, side)
    _body(puppet)
    _hair(puppet)
    return puppet.scene


@lru_cache(maxsize=1)
def cloth() -> F32:
    """The cloth alone, lit from the upper right, in soft folds."""
    rng = np.random.default_rng(19)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    lamp = np.exp(-(((x - 760) / 950) ** 2) - ((y - 700) / 1300) ** 2)
    small = rng.standard_normal((HEIGHT // 240 + 3, WIDTH // 90 + 3)).astype(np.float32)
    folds = cv2.resize(small, (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)
    light = (0.70 + 0.42 * lamp) * (1 + 0.05 * folds) * texture(HEIGHT, WIDTH, 41)
    cool = np.array([0.92, 1.0, 1.05], np.float32)
    return np.asarray(BLUE * light[..., None] * (1 + (cool - 1) * lamp[..., None]), np.float32)


@lru_cache(maxsize=4)
def truth(frame: int) -> tuple[F32, F32]:
    """The puppet as it really is: premultiplied colour and coverage."""
    paper = texture(HEIGHT, WIDTH, 42, 1.3)
    colour = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    alpha = np.zeros((HEIGHT, WIDTH), np.float32)
    for sub in range(SHUTTER):
        scene = _draw((frame + 0.5 * sub / SHUTTER) / 25, paper)
        colour += scene.colour
        alpha += scene.alpha
    return colour / SHUTTER, alpha / SHUTTER


def lit(frame: int, screen: F32) -> F32:
    """The puppet before a screen, with the screen's light on its rim."""
    colour, alpha = truth(frame)
    inner = cv2.GaussianBlur(alpha, (0, 0), 5)
    rim = np.clip(alpha - inner * inner, 0, 1)[..., None] * np.float32(0.30)
    spilled = colour * (1 - 0.25 * rim) + BLUE * rim * np.float32(0.5) * alpha[..., None]
    return np.asarray(spilled + screen * (1 - alpha[..., None]), np.float32)


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *acrobat-on-blue*: (1920, 1080, 3) uint8."""
    light = np.float32(1 + 0.012 * np.sin(frame * 1.1) * np.sin(frame * 0.31))
    return finish(lit(frame, cloth() * light), 5000 + frame, 0.009)
