"""*dancer-backlit*: a dark paper dancer before a lit sheet whose light falls off to the corners;
*ink-in-milk*: slow dark clouds in white, a texture to fill shapes with."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo.paper import F32, Scene, ellipse, finish, rgb, spline, stroke, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 100


@lru_cache(maxsize=1)
def sheet() -> F32:
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    fall = np.exp(-(((x - 540) / 760) ** 2) - ((y - 860) / 1150) ** 2)
    folds = 1 + 0.025 * np.sin(x / 57 + 0.6 * np.sin(y / 330))
    light = (0.38 + 0.60 * fall) * folds * texture(HEIGHT, WIDTH, 51, 0.6)
    return np.asarray(rgb("#fff2d8") * light[..., None], np.float32)


@lru_cache(maxsize=4)
def truth(frame: int) -> tuple[F32, F32]:
    """The dancer: premultiplied colour (nearly black) and coverage."""
    t = 2 * np.pi * frame / FRAMES
    scene = Scene.empty(HEIGHT, WIDTH)
    dark = rgb("#1c1418")
    lean, lift, spin = 34 * np.sin(t), 50 * np.sin(2 * t), np.sin(t + 0.6)
    hip, neck = np.array([540 - lean, 1080]), np.array([540 + lean, 720])

    def limb(points: list[tuple[float, float]], wide: float, thin: float) -> None:
        line = spline([(float(a), float(b)) for a, b in points], closed=False)
        scene.lay(stroke(line, np.linspace(wide, thin, len(line))), dark, shadow=None, edge=0)
        scene.lay(ellipse(*points[-1], thin / 2, thin / 2), dark, shadow=None, edge=0)

    limb([tuple(hip), (470 - 0.5 * lean, 1330), (500 - lean, 1590)], 86, 38)
    limb([tuple(hip), (650 + 0.7 * lift, 1250 - lift), (760 + lift, 1400 - 2.4 * lift)], 84, 36)
    skirt = spline([(hip[0] - 70, hip[1] - 60), (hip[0] + 70, hip[1] - 60), (hip[0] + 230 + 40 * spin, hip[1] + 150),
                    (hip[0] + 120, hip[1] + 190 - 20 * spin), (hip[0], hip[1] + 215), (hip[0] - 130, hip[1] + 185 + 20 * spin),
                    (hip[0] - 230 + 40 * spin, hip[1] + 140)])  # fmt: skip
    scene.lay(skirt, dark, shadow=None, edge=0)
    limb([tuple(hip), tuple((hip + neck) / 2 + [12, 0]), tuple(neck)], 128, 92)
    limb(
        [
            (neck[0] - 40, neck[1] + 20),
            (350 + lean, 640 - lift),
            (300 + 0.4 * lift, 470 - 1.2 * lift),
        ],
        46,
        24,
    )
    limb(
        [
            (neck[0] + 40, neck[1] + 20),
            (740 + lean, 700 + 0.6 * lift),
            (830 - 0.3 * lift, 560 + lift),
        ],
        46,
        24,
    )
    limb([tuple(neck), (neck[0], neck[1] - 60)], 44, 40)
    head = (neck[0] + 0.2 * lean, neck[1] - 132)
    scene.lay(ellipse(*head, 66, 78, 0.4 * lean), dark, shadow=None, edge=0)
    scene.lay(
        ellipse(head[0] - 34 * np.sign(lean + 0.1), head[1] - 66, 40, 34), dark, shadow=None, edge=0
    )
    rng = np.random.default_rng(3)
    for _ in range(16):
        a = rng.uniform(0, 2 * np.pi)
        root = np.array(head) + 60 * np.array([np.cos(a), np.sin(a)])
        tip = root + rng.uniform(16, 46) * np.array([np.cos(a + 0.3 * spin), np.sin(a)])
        scene.lay(
            stroke(np.linspace(root, tip, 8).astype(np.float32), 2.2), dark, shadow=None, edge=0
        )
    return scene.colour, scene.alpha


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *dancer-backlit*: (1920, 1080, 3) uint8."""
    colour, alpha = truth(frame)
    behind = sheet()
    glow = cv2.GaussianBlur(behind, (0, 0), 12) * np.float32(0.05)
    out = colour + glow * alpha[..., None] + behind * (1 - alpha[..., None])
    return finish(out, 10_000 + frame, 0.010)


@lru_cache(maxsize=1)
def _clouds() -> list[F32]:
    rng = np.random.default_rng(66)
    fields = []
    for cell in (360, 170, 80, 36):
        small = rng.standard_normal((HEIGHT // cell + 4, WIDTH // cell + 4)).astype(np.float32)
        fields.append(
            np.asarray(
                cv2.resize(small, (WIDTH + 240, HEIGHT + 240), interpolation=cv2.INTER_CUBIC),
                np.float32,
            )
        )
    return fields


def ink(frame: int) -> NDArray[np.uint8]:
    """Frame of *ink-in-milk*: blue-black clouds that bend each other as they drift."""
    t = np.float32(frame / FRAMES * 2 * np.pi)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    whole = np.zeros((HEIGHT, WIDTH), np.float32)
    bend, other = (
        cv2.remap(
            field, x + 120 + np.float32(30 * np.cos(t + k)), y + 120 + np.float32(30 * np.sin(t + k)),
            cv2.INTER_LINEAR,
        )
        for k, field in enumerate(_clouds()[:2])
    )  # fmt: skip
    for n, field in enumerate(_clouds()):
        u = x + 120 + np.float32(26 * np.cos(t + n)) + 55 * bend
        v = y + 120 + np.float32(26 * np.sin(t + 2 * n)) + 70 * other
        whole += cv2.remap(
            field, u, v, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT
        ) * np.float32(0.62**n)
    ink_part = 1 / (1 + np.exp(-2.3 * (whole - 0.15)))
    milk, blue = rgb("#f4efe6"), rgb("#182348")
    picture = milk * (1 - ink_part[..., None]) + blue * ink_part[..., None]
    return finish(np.asarray(picture, np.float32), 11_000 + frame, 0.006)
