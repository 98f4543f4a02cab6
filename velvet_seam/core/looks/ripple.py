"""Ripples and turbulence."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.looks.base import Area, Ground, Group, Work
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds

STEP = 8
"""The field is computed at every eighth pixel and is smooth between."""


class Ripple(Area):
    """Pixels moved by a smooth field that drifts: heat, water, paper that breathes. A sum of sine waves in directions
    by the seed, so that any frame can be asked for by itself."""

    label: ClassVar[str] = "Ripple"
    says: ClassVar[str] = "As seen through water or hot air"
    find: ClassVar[str] = "turbulence displace wave heat haze water wobble"
    group: ClassVar[Group] = "shape"

    kind: Literal["ripple"] = "ripple"
    amount: Annotated[
        Animated,
        Bounds(0, 1000, "px", "Amount", "How far pixels are moved, in pixels of the canvas", step=0.5, shown=(0, 60), of="canvas"),
    ] = 8.0  # fmt: skip
    size: Annotated[
        Animated,
        Bounds(8, 4000, "px", "Size", "Of a wave, in pixels of the canvas", shown=(8, 600), of="canvas"),
    ] = 140.0  # fmt: skip
    rate: Annotated[
        Animated,
        Bounds(0, 20, "/s", "Rate", "How often a wave passes in a second", step=0.05, shown=(0, 3)),
    ] = 0.5
    seed: Annotated[
        Animated,
        Bounds(0, 1_000_000, "", "Seed", "Another whole number, other waves", shown=(0, 100)),
    ] = 1.0

    def work(self, at: At, ground: Ground) -> Work | None:
        far = at(self.amount) * ground.per
        if not far:
            return None
        turn = at.mean(self.rate, ground.age) * ground.seconds
        waves = (far, at(self.size) * ground.per, turn, at.whole(self.seed))
        return Work(_rippled, (waves, (ground.left, ground.top)))

    def reach(self, at: At) -> float:
        return 2.4 * at(self.amount) + 2

    def moves(self) -> bool:
        return True


def _field(
    waves: tuple[float, float, float, int], corner: tuple[int, int], size: tuple[int, int]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """How far each pixel is moved across and down."""
    far, wave, turn, seed = waves
    rng = np.random.Generator(np.random.Philox(key=seed << 8 | 34))
    width, height = size
    # the grid is that of the whole picture, of which this may be a part
    left, top = corner[0] % STEP, corner[1] % STEP
    x = np.arange(0, width + left + STEP, STEP, dtype=np.float64) + corner[0] - left
    y = np.arange(0, height + top + STEP, STEP, dtype=np.float64)[:, None] + corner[1] - top
    found = []
    for _ in range(2):
        total = np.zeros((y.shape[0], len(x)))
        for angle, phase, pitch in rng.random((5, 3)):
            way, k = 2 * np.pi * angle, 2 * np.pi / (wave * (0.6 + 0.9 * pitch))
            along = x * np.cos(way) + y * np.sin(way)
            total += np.sin(k * along + 2 * np.pi * (phase + turn * (0.6 + 0.8 * pitch)))
        grid = (far * total / 2.2).astype(np.float32)
        wide, high = grid.shape[1] * STEP, grid.shape[0] * STEP
        shift = np.array([[STEP, 0, 0], [0, STEP, 0]], np.float64)
        smooth = cv2.warpAffine(
            grid, shift, (wide, high), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )
        found.append(np.asarray(smooth[top : top + height, left : left + width], np.float32))
    return found[0], found[1]


def _rippled(
    waves: tuple[float, float, float, int], corner: tuple[int, int], picture: Picture
) -> Picture:
    height, width = picture.shape[:2]
    dx, dy = _field(waves, corner, (width, height))
    x = dx + np.arange(width, dtype=np.float32)
    y = dy + np.arange(height, dtype=np.float32)[:, None]
    made = cv2.remap(
        np.ascontiguousarray(picture), x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    return np.asarray(made, np.uint8)
