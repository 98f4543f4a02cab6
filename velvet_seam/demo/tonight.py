"""*tonight-card*: cut cream letters on an orange card, held in the hand.

Troubles put in on purpose: jitter of the hand, a thumb at the border, light that falls off.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from velvet_seam.demo.paper import F32, Scene, ellipse, finish, rgb, spline, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 75
ORANGE, CREAM = rgb("#cf6a2c"), rgb("#f6ead2")
_FONT = Path(__file__).parent.parent / "web" / "static" / "fonts" / "fraunces.woff2"
_FINE = 2


@lru_cache(maxsize=1)
def _letters() -> F32:
    """Coverage of the lettering at twice the size of a frame."""
    picture = Image.new("L", (WIDTH * _FINE, HEIGHT * _FINE))
    draw = ImageDraw.Draw(picture)
    for text, size, x, y in (
        ("Tonight!", 236, 540, 760),
        ("at eight", 118, 560, 1010),
        ("THE TIN LANTERN", 62, 540, 1190),
    ):
        font = ImageFont.truetype(str(_FONT), size * _FINE)
        draw.text((x * _FINE, y * _FINE), text, font=font, fill=255, anchor="mm")
    rule = [(290, 1100), (790, 1104)]
    draw.line([(a * _FINE, b * _FINE) for a, b in rule], fill=255, width=5 * _FINE)
    return np.asarray(picture, np.float32) / 255


def held(frame: int) -> tuple[float, float, float]:
    """Where the hand holds the card: pixels across and down, degrees clockwise."""
    t = frame / 25
    shake = np.random.default_rng(300 + frame).normal(0, 0.5, 3)
    return (
        float(9 * np.sin(2.1 * t) + 4 * np.sin(5.3 * t) + shake[0]),
        float(7 * np.sin(1.7 * t + 1) + 3 * np.sin(6.1 * t) + shake[1]),
        float(-4 + 0.9 * np.sin(1.3 * t) + 0.06 * shake[2]),
    )


def _moved(picture: F32, frame: int, fine: int) -> F32:
    dx, dy, turn = held(frame)
    matrix = cv2.getRotationMatrix2D((WIDTH / 2 * fine - 0.5, HEIGHT / 2 * fine - 0.5), -turn, 1.0)
    matrix[:, 2] += (dx * fine, dy * fine)
    size = (picture.shape[1], picture.shape[0])
    return np.asarray(cv2.warpAffine(picture, matrix, size, flags=cv2.INTER_LINEAR,
                                     borderMode=cv2.BORDER_REFLECT_101), np.float32)  # fmt: skip


@lru_cache(maxsize=1)
def card() -> F32:
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    lamp = np.exp(-(((x - 420) / 1000) ** 2) - ((y - 760) / 1200) ** 2)
    light = (0.68 + 0.40 * lamp) * texture(HEIGHT, WIDTH, 71, 1.2)
    return np.asarray(ORANGE * light[..., None], np.float32)


@lru_cache(maxsize=4)
def truth(frame: int) -> tuple[F32, F32]:
    """The lettering as it really is: premultiplied colour and coverage, without the thumb."""
    fine = _moved(_letters(), frame, _FINE)
    alpha = np.asarray(cv2.resize(fine, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA), np.float32)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    lamp = np.exp(-(((x - 420) / 1000) ** 2) - ((y - 760) / 1200) ** 2)
    colour = CREAM * ((0.72 + 0.28 * lamp) * texture(HEIGHT, WIDTH, 72, 0.8))[..., None]
    return np.asarray(colour * alpha[..., None], np.float32), alpha


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *tonight-card*: (1920, 1080, 3) uint8."""
    ground = _moved(card(), frame, 1)
    colour, alpha = truth(frame)
    soft = cv2.GaussianBlur(alpha, (0, 0), 4)
    ground = ground * (1 - 0.25 * np.roll(soft, (4, 3), (0, 1)))[..., None]
    tint = ORANGE * np.float32(0.04) * alpha[..., None]  # the card's own light on the letters
    scene = Scene.of(colour * np.float32(0.96) + tint + ground * (1 - alpha[..., None]))
    dx, dy, _ = held(frame)
    thumb = spline([(930, 1990), (905, 1780), (930, 1640), (990, 1600), (1046, 1650), (1070, 1990)])
    thumb += np.array([dx * 0.9, dy * 0.9], np.float32)
    scene.lay(
        thumb, rgb("#c98a68"), paper=texture(HEIGHT, WIDTH, 73, 0.7), shadow=(-12, 10, 16, 0.4)
    )
    scene.lay(ellipse(984 + dx * 0.9, 1664 + dy * 0.9, 30, 40, 8), rgb("#e3b49a"), shadow=None)
    return finish(scene.colour, 6000 + frame, 0.009)
