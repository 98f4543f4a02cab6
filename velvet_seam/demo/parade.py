"""*rail-parade*: one long take; the camera slides along a paper town to the right, back, and to the right again, five
times in all, and on each pass the fox stands somewhere else.

No two passes are equally long, the camera sets off and stops softly and rests between them, and lamp posts stand nearer
than the town, so that they slide by quicker. How far the camera is in each frame is known.
"""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo import fox, town
from velvet_seam.demo.paper import F32, Scene, ellipse, finish, rgb, texture

WIDTH, HEIGHT = 1080, 1920
LEGS = (54, 46, 60, 43, 52)
"""Frames of each pass."""
REST = 7
WAY = 760.0
"""Pixels that the town slides by on a pass."""
STANDS = (300.0, 1540.0, 610.0, 1230.0, 920.0)
"""Where the fox stands on each pass, along the town."""
NEARER = 1.35


@lru_cache(maxsize=1)
def camera() -> tuple[NDArray[np.float64], tuple[tuple[int, int], ...]]:
    """How far along the camera is in each frame, 0 to 1, and the first and last frame of each pass."""
    path, legs = [0.0] * REST, []
    for n, long in enumerate(LEGS):
        t = (np.arange(long) + 0.5) / long
        went = t + 0.07 * np.sin(2 * np.pi * t + n) - 0.07 * np.sin(n)
        soft = np.clip(np.minimum(t, 1 - t) / 0.12, 0, 1)
        pace = np.gradient(went) * (0.15 + 0.85 * soft)
        along = np.cumsum(pace) / pace.sum()
        legs.append((len(path), len(path) + long - 1))
        path += list(along if n % 2 == 0 else 1 - along)
        path += [path[-1]] * REST
    return np.array(path), tuple(legs)


FRAMES = 2 * REST + sum(LEGS) + REST * (len(LEGS) - 1)


@lru_cache(maxsize=1)
def _town() -> F32:
    wide = town.panorama(2400).colour
    return np.asarray(cv2.resize(wide, (2000, 1920), interpolation=cv2.INTER_AREA), np.float32)


@lru_cache(maxsize=1)
def _posts() -> tuple[F32, F32]:
    width = 2400
    scene = Scene.empty(HEIGHT, width)
    paper = texture(HEIGHT, width, 231, 1.4)
    for n, x in enumerate((160, 760, 1330, 1900, 2330)):
        post = np.array([[x - 11, 860], [x + 11, 860], [x + 17, 1990], [x - 17, 1990]], np.float32)
        scene.lay(post, rgb("#2c2233"), paper=paper, shadow=None, edge=0.2)
        scene.lay(ellipse(x, 812, 54, 66), rgb("#ffd890"), paper=paper, shadow=None, edge=0.1)
        lid = np.array([[x - 62, 770], [x, 700 - 6 * (n % 2)], [x + 62, 770]], np.float32)
        scene.lay(lid, rgb("#2c2233"), paper=paper, shadow=None, edge=0.2)
    return scene.colour, scene.alpha


def _slid(picture: F32, by: float) -> F32:
    matrix = np.array([[1, 0, -by], [0, 1, 0]], np.float32)
    made = cv2.warpAffine(
        picture, matrix, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
    )
    return np.asarray(made, np.float32)


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *rail-parade*: (1920, 1080, 3) uint8."""
    path, legs = camera()
    along = path[frame]
    leg = max((n for n, (first, _) in enumerate(legs) if first - REST // 2 <= frame), default=0)
    out = _slid(_town(), WAY * along + 60)
    puppet = fox._draw("left" if leg % 2 == 0 else "right", frame)
    middle = 372.0 if leg % 2 == 0 else 726.0
    move = np.array([[1, 0, STANDS[leg] - 60 - WAY * along - middle], [0, 1, 190]], np.float32)
    colour, alpha = (
        cv2.warpAffine(one, move, (WIDTH, HEIGHT), flags=cv2.INTER_LINEAR)
        for one in (puppet.colour, puppet.alpha)
    )
    out = colour + out * (1 - np.clip(alpha, 0, 1))[..., None]
    front, cover = (_slid(one, NEARER * WAY * along + 60) for one in _posts())
    out = np.clip(front, 0, 1) + out * (1 - np.clip(cover, 0, 1))[..., None]
    light = np.float32(1 + 0.012 * np.sin(frame / 13))
    return finish(out * light, 12_000 + frame, 0.006)
