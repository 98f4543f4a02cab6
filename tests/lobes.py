"""A drawn scene whose coverage is known, for the tests of roto."""

from __future__ import annotations

import cv2
import numpy as np

from velvet_seam.core.roto.features import solve_size
from velvet_seam.core.roto.first import Marks


def iou(a: np.ndarray, b: np.ndarray) -> float:
    return float((a & b).sum() / max((a | b).sum(), 1))


def texture(
    height: int, width: int, seed: int, tone: tuple[float, float, float], rough: float = 0.12
) -> np.ndarray:
    rng = np.random.default_rng(seed)
    noise = cv2.resize(
        rng.normal(0, 1, (height // 6 + 2, width // 6 + 2, 3)),
        (width, height),
        interpolation=cv2.INTER_CUBIC,
    )
    return np.clip(np.array(tone) + rough * noise, 0, 1)


def scene(
    t: float = 0.0, size: tuple[int, int] = (360, 540), seed: int = 1
) -> tuple[np.ndarray, np.ndarray]:
    """A soft-edged body of three lobes before texture, which drifts and turns: picture and coverage."""
    width, height = size
    y, x = np.mgrid[:height, :width].astype(np.float32)
    cover = np.zeros((height, width), np.float32)
    mid = np.array([width * 0.45 + 2.2 * t, height * 0.5 - 1.1 * t])
    for n in range(3):
        a = 2.1 * n + 0.02 * t
        spot = mid + 0.13 * min(size) * np.array([np.cos(a), np.sin(a)])
        soft = np.clip((0.15 * min(size) - np.hypot(x - spot[0], y - spot[1])) / 2.0 + 0.5, 0, 1)
        cover = np.maximum(cover, soft)
    own = texture(height, width, seed, (0.75, 0.45, 0.25))
    own = cv2.warpAffine(
        own, np.array([[1, 0, 2.2 * t], [0, 1, -1.1 * t]]), size, borderMode=cv2.BORDER_REFLECT
    )
    ground = texture(height, width, seed + 1, (0.35, 0.45, 0.5))
    mixed = own * cover[..., None] + ground * (1 - cover[..., None])
    mixed += np.random.default_rng(int(t) + 7).normal(0, 0.012, mixed.shape)
    return np.dstack([np.rint(np.clip(mixed, 0, 1) * 255), np.full((height, width), 255)]).astype(
        np.uint8
    ), cover


def small(cover: np.ndarray) -> np.ndarray:
    height, width = solve_size(*cover.shape)
    return cv2.resize(cover, (width, height), interpolation=cv2.INTER_AREA) > 0.5


def scribbled(there: np.ndarray) -> Marks:
    """A short line in the middle of a region, and the border of the picture."""
    keep, drop = np.zeros_like(there), np.zeros_like(there)
    y, x = (round(float(v)) for v in np.argwhere(there).mean(0))
    keep[y - 8 : y + 9, x - 1 : x + 2] = True
    drop[:3], drop[-3:], drop[:, :3], drop[:, -3:] = True, True, True, True
    return Marks.of(keep & there, drop & ~there)
