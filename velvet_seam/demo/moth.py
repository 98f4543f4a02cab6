"""*moth-on-card*: a jointed paper moth on a stick, held before a green card.

Troubles put in on purpose: uneven light, wrinkles, a card that ends inside the frame, the stick,
motion blur on the wings, green on the rim.
"""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo.paper import F32, Scene, ellipse, finish, rgb, spline, stroke, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 150
SHUTTER = 5
"""Sub-frames averaged into one picture, over half the frame's time."""

CARD_RIGHT, CARD_BOTTOM = 1022, 1846
GREEN = rgb("#3f9a48")

_FORE = [
    (18, -26), (70, -118), (168, -214), (292, -262), (392, -246), (430, -186), (404, -116),
    (362, -62), (318, -18), (240, 18), (142, 30), (58, 22), (16, 6),
]  # fmt: skip
_HIND = [
    (14, 8), (82, 26), (176, 34), (262, 40), (318, 78), (326, 138), (286, 194), (232, 232),
    (176, 258), (128, 238), (90, 186), (54, 118), (22, 54),
]  # fmt: skip


def _wing_pieces() -> list[tuple[F32, str, float, bool]]:
    """Outlines of one wing pair's pieces, in order: points, colour, cut-edge light, hind wing."""
    pieces: list[tuple[F32, str, float, bool]] = []

    def add(points: F32, colour: str, hind: bool, edge: float = 0.10) -> None:
        pieces.append((points, colour, edge, hind))

    hind = spline(_HIND)
    add(hind, "#a85a26", True)
    add(_shrunk(hind, 0.86, (150, 120)), "#c8763a", True)
    add(spline([(70, 52), (150, 66), (214, 100), (218, 150), (160, 178), (108, 140)]),
        "#7c3420", True)  # fmt: skip
    add(ellipse(176, 124, 30, 26, 20), "#e9b25c", True)
    add(ellipse(178, 125, 14, 12, 20), "#3b1a20", True)
    for at in ((292, 166), (252, 212), (196, 236)):
        add(ellipse(*at, 10, 9), "#efd9a6", True, 0.05)
    fore = spline(_FORE)
    add(fore, "#b9702c", False)
    add(_shrunk(fore, 0.88, (228, -110)), "#dc9a4e", False)
    add(spline([(64, -50), (150, -150), (246, -206), (268, -178), (196, -112), (110, -30)]),
        "#c07b34", False)  # fmt: skip
    add(spline([(318, -232), (380, -222), (402, -178), (384, -128), (352, -160), (338, -196)]),
        "#8c3c24", False)  # fmt: skip
    add(ellipse(258, -96, 54, 48, -24), "#f1cf8a", False)
    add(ellipse(260, -97, 40, 36, -24), "#6d2430", False)
    add(ellipse(264, -100, 17, 15, -24), "#1f1014", False)
    add(ellipse(256, -108, 5, 5), "#fbe9c0", False, 0)
    for k in range(4):
        add(ellipse(350 - 30 * k, -64 + 21 * k, 9, 8), "#f1dcae", False, 0.05)
    for k, (x, y) in enumerate(((110, -66), (146, -104), (186, -138))):
        ray = stroke(spline([(38 + 6 * k, -10), (x, y), (x + 40, y - 26)], closed=False),
                     np.linspace(7, 3, 20))  # fmt: skip
        add(ray, "#8f4f22", False, 0.04)
    return pieces


def _shrunk(points: F32, by: float, about: tuple[float, float]) -> F32:
    return ((points - about) * by + about).astype(np.float32)


_PIECES = _wing_pieces()


def pose(time: float) -> dict[str, float]:
    """Where the moth is at a time in seconds: position, lean, and how far its wings are folded."""
    beat = 2 * np.pi * time
    glide = 0.5 + 0.5 * np.sin(beat * 0.31 + 0.6)
    flap = np.sin(beat * (1.55) + 0.5 * np.sin(beat * 0.4))
    return {
        "x": 505 + 66 * np.sin(beat * 0.19 + 0.4) + 16 * np.sin(beat * 0.62),
        "y": 860 + 74 * np.sin(beat * 0.27) - 15 * flap,
        "lean": 7 * np.sin(beat * 0.22 + 1.0) + 2.2 * np.sin(beat * 0.9),
        "fold": 0.76 + 0.24 * flap * (0.55 + 0.45 * glide),
    }


def _turned(points: F32, where: dict[str, float]) -> F32:
    a = np.radians(where["lean"])
    c, s = np.cos(a), np.sin(a)
    x = where["x"] + points[:, 0] * c - points[:, 1] * s
    y = where["y"] + points[:, 0] * s + points[:, 1] * c
    return np.stack([x, y], 1).astype(np.float32)


def _draw(where: dict[str, float], paper: F32) -> Scene:
    """The moth alone, without its stick, on nothing."""
    scene = Scene.empty(HEIGHT, WIDTH)
    fold = where["fold"]
    for side in (-1, 1):
        tilt = fold * (1 - 0.05 * side * np.sin(np.radians(where["lean"])))
        for hind in (True, False):
            # a wing that folds up shows less of itself, stands higher and catches less light
            squash = np.array([side * tilt, 1.0], np.float32)
            light = 0.62 + 0.38 * tilt if side > 0 else 0.70 + 0.32 * tilt
            for points, colour, edge, of_hind in _PIECES:
                if of_hind != hind:
                    continue
                bent = points * squash
                bent[:, 1] -= (1 - tilt) * np.abs(points[:, 0]) * 0.16
                scene.lay(
                    _turned(bent, where),
                    rgb(colour) * np.float32(light),
                    paper=paper,
                    edge=edge,
                    shadow=(3, 5, 4, 0.30),
                )
    body = spline([(0, -96), (17, -78), (22, -44), (20, 0), (19, 60), (14, 122), (0, 168),
                   (-14, 122), (-19, 60), (-20, 0), (-22, -44), (-17, -78)])  # fmt: skip
    scene.lay(_turned(body, where), rgb("#4a2a1c"), paper=paper, shadow=(4, 7, 5, 0.45))
    for k in range(6):
        y, w = 6 + 25 * k, 17 - 2.2 * k
        band = spline([(-w, y), (0, y + 6), (w, y), (w - 1, y + 8), (0, y + 14), (-w + 1, y + 8)])
        scene.lay(_turned(band, where), rgb("#7a4a2a"), paper=paper, shadow=None, edge=0.06)
    for side in (-1, 1):
        feeler = spline([(6 * side, -96), (34 * side, -150), (92 * side, -186), (128 * side, -172)],
                        closed=False, per=14)  # fmt: skip
        width = np.linspace(6.5, 3.0, len(feeler)).astype(np.float32)
        scene.lay(_turned(stroke(feeler, width), where), rgb("#3a1f18"), shadow=None, edge=0.05)
        scene.lay(_turned(ellipse(128 * side, -172, 7, 7), where), rgb("#3a1f18"), shadow=None)
        eye = ellipse(9 * side, -86, 8, 9)
        scene.lay(_turned(eye, where), rgb("#d9a441"), paper=paper, shadow=(1, 2, 2, 0.4))
        for x, y in ((15, -28), (14, 22)):
            pin = ellipse(x * side, y, 6.5, 6.5)
            scene.lay(_turned(pin, where), rgb("#c9962f"), shadow=(1.5, 2.5, 2, 0.5), edge=0.22)
            dot = ellipse(x * side - 1.5, y - 1.5, 2.0, 2.0)
            scene.lay(_turned(dot, where), rgb("#fbe6a8"), shadow=None, edge=0)
    return scene


@lru_cache(maxsize=1)
def _card() -> tuple[F32, F32]:
    """The lit card with its wrinkles over the whole frame, and where it lies."""
    rng = np.random.default_rng(4)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    lamp = np.exp(-(((x - 330) / 900) ** 2) - ((y - 640) / 1250) ** 2)
    light = 0.66 + 0.46 * lamp
    height = np.zeros((HEIGHT, WIDTH), np.float32)
    for cell, depth in ((300, 34.0), (120, 9.0)):
        size = (WIDTH // cell + 3, HEIGHT // cell + 3)
        field = rng.standard_normal((size[1], size[0])).astype(np.float32)
        height += depth * cv2.resize(field, (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)
    for _ in range(7):  # long creases
        a, off = rng.uniform(0, np.pi), rng.uniform(-500, 500)
        d = (x - 540) * np.cos(a) + (y - 960) * np.sin(a) - off
        height += rng.choice([-1, 1]) * 6 * np.exp(-np.abs(d) / 26)
    gx, gy = cv2.Sobel(height, cv2.CV_32F, 1, 0), cv2.Sobel(height, cv2.CV_32F, 0, 1)
    wrinkle = cv2.GaussianBlur(np.clip(-(gx + gy) * 0.016, -0.11, 0.11), (0, 0), 2.0)
    card = GREEN * (light * (1 + wrinkle) * texture(HEIGHT, WIDTH, 21))[..., None]
    warm = np.array([1.05, 1.0, 0.9], np.float32)
    card *= 1 + (warm - 1) * lamp[..., None]
    table = rgb("#3a2b24") * texture(HEIGHT, WIDTH, 22, 2.0)[..., None]
    table = table * (0.6 + 0.5 * lamp)[..., None]
    wobble = 3 * np.sin(y[:, :1] / 160) + 2 * np.sin(y[:, :1] / 47)
    inside = np.clip(CARD_RIGHT + wobble - x, 0, 1) * np.clip(
        CARD_BOTTOM + 3 * np.sin(x / 130) - y, 0, 1
    )
    shadow = cv2.GaussianBlur(inside, (0, 0), 9)
    shadow = np.roll(shadow, (10, 7), (0, 1))
    table *= (1 - 0.5 * shadow)[..., None]
    picture = card * inside[..., None] + table * (1 - inside[..., None])
    return picture.astype(np.float32), inside.astype(np.float32)


@lru_cache(maxsize=4)
def truth(frame: float) -> tuple[F32, F32]:
    """The moth of a frame as it really is: premultiplied colour and coverage, without the stick."""
    paper = texture(HEIGHT, WIDTH, 23, 1.3)
    colour = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    alpha = np.zeros((HEIGHT, WIDTH), np.float32)
    for sub in range(SHUTTER):
        scene = _draw(pose((frame + 0.5 * sub / SHUTTER) / 25), paper)
        colour += scene.colour
        alpha += scene.alpha
    return colour / SHUTTER, alpha / SHUTTER


def picture(frame: float, seed: int | None = None, grain: float = 0.009) -> NDArray[np.uint8]:
    """Frame of *moth-on-card*: (1920, 1080, 3) uint8; a part of a frame with a seed for its grain."""
    card, _ = _card()
    colour, alpha = truth(frame)
    scene = Scene.of(card * np.float32(1 + 0.010 * np.sin(frame * 0.9) * np.sin(frame * 0.23)))
    where = pose(frame / 25)
    rod = np.array([[where["x"] + 2, where["y"] + 40], [560, HEIGHT + 40]], np.float32)
    scene.lay(stroke(rod, 10), rgb("#6a4a30"), shadow=(20, 34, 14, 0.30), edge=0.3)
    soft = cv2.GaussianBlur(alpha, (0, 0), 26)
    scene.colour *= (1 - 0.34 * np.roll(soft, (58, 34), (0, 1)))[..., None]
    # light thrown back by the card: most on the rim, a little everywhere
    inner = cv2.GaussianBlur(alpha, (0, 0), 5)
    rim = np.clip(alpha - inner * inner, 0, 1)[..., None] * np.float32(0.42)
    lit = (
        colour * (1 - 0.25 * rim)
        + GREEN * rim * np.float32(0.62)
        + GREEN * np.float32(0.035) * alpha[..., None]
    )
    out = lit + scene.colour * (1 - alpha[..., None])
    return finish(out, 1000 + int(frame) if seed is None else seed, grain)
