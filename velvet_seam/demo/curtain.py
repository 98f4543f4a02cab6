"""*curtain-pass*: a velvet curtain is pulled across the stage, fast, with a soft edge."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo import stage
from velvet_seam.demo.paper import F32, finish, rgb, texture

WIDTH, HEIGHT, FRAMES = 1080, 1920, 50
ENTERS, SPEED, WIDE = 8, 60.0, 900.0
"""The frame at which its leading edge is at the left border; pixels a frame; pixels from edge to edge."""

CLEAR = ENTERS + 36
"""From this frame on nothing of the curtain, nor of the stage behind its trailing edge, is seen."""


def leading(frame: float, y: F32) -> F32:
    """Where the curtain's leading edge is: pixels from the left."""
    sway = 38 * np.sin(y / 230 + 0.21 * frame) + 13 * np.sin(y / 71 - 0.4 * frame)
    return np.asarray(SPEED * (frame - ENTERS) + sway - 55, np.float32)


def trailing(frame: float, y: F32) -> F32:
    """Where its trailing edge is."""
    sway = 34 * np.sin(y / 260 - 0.17 * frame) + 11 * np.sin(y / 83 + 0.5 * frame)
    return np.asarray(SPEED * (frame - ENTERS) - WIDE + sway, np.float32)


def picture(frame: int) -> NDArray[np.uint8]:
    """The clip's frame: (1920, 1080, 3) uint8."""
    behind = stage.picture(frame).astype(np.float32) / 255
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    left, right = trailing(frame, y[:, :1]), leading(frame, y[:, :1])
    # an edge that crosses 60 pixels while the frame is lit is as wide as that
    cover = np.clip((x - left) / SPEED + 0.5, 0, 1) * np.clip((right - x) / SPEED + 0.5, 0, 1)
    along = (x - left) / (right - left)
    fold = 0.66 + 0.26 * np.sin(along * 46 + y / 340) + 0.08 * np.sin(along * 103 - y / 150)
    light = fold * (0.82 + 0.18 * np.exp(-(((y - 760) / 760) ** 2)))
    cloth = rgb("#8b2145") * (light * texture(HEIGHT, WIDTH, 71, 1.2))[..., None]
    shade = np.clip(1 - np.abs(x - right - 60) / 160, 0, 1) * (x > right) * 0.4
    joined = behind * (1 - shade[..., None]) * (1 - cover[..., None]) + cloth * cover[..., None]
    return finish(joined, 900 + frame)
