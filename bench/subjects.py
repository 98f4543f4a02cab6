"""Subjects with exact coverage: photo cut-outs, and drawn soft things such as fur, smoke and a veil."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
Cut = tuple[F32, F32]
"""Premultiplied R'G'B' (h, w, 3) and coverage (h, w), 0 to 1."""


def rng_of(*of: int) -> np.random.Generator:
    return np.random.default_rng(of)


def smooth_noise(height: int, width: int, size: float, seed: int) -> F32:
    """Smooth noise of mean 0 and spread 1, of some size."""
    small = max(size / 4, 1.0)
    h, w = int(height / small) + 3, int(width / small) + 3
    made = cv2.GaussianBlur(
        rng_of(seed).normal(0, 1, (h, w)).astype(np.float32), (0, 0), size / small / 2
    )
    made = cv2.resize(made, (width, height), interpolation=cv2.INTER_CUBIC)
    return np.asarray((made - made.mean()) / max(float(made.std()), 1e-6), np.float32)


def _strokes(height: int, width: int, lines: list[tuple[NDArray[np.float64], float, Any]]) -> Cut:
    """Thin lines with their colours, two samples a pixel each way."""
    mask = np.zeros((2 * height, 2 * width), np.uint8)
    colour = np.zeros((2 * height, 2 * width, 3), np.float32)
    for points, wide, tone in lines:
        line = [np.round(points * 2 * 16).astype(np.int32)]
        cv2.polylines(mask, line, False, 255, max(1, round(2 * wide)), cv2.LINE_AA, 4)
        cv2.polylines(colour, line, False, tone, max(1, round(2 * wide)) + 2, cv2.LINE_8, 4)
    own = mask.astype(np.float32)[..., None] / 255
    both = cv2.resize(
        np.concatenate([colour * own, own], 2), (width, height), interpolation=cv2.INTER_AREA
    )
    return np.asarray(both[..., :3], np.float32), np.asarray(both[..., 3], np.float32)


def over(top: Cut, below: Cut) -> Cut:
    rest = 1 - top[1]
    return top[0] + below[0] * rest[..., None], top[1] + below[1] * rest


def _disc(height: int, width: int, x: float, y: float, r: float, soft: float = 0.7) -> F32:
    yy, xx = np.mgrid[:height, :width].astype(np.float32)
    return np.asarray(
        np.clip((r - np.hypot(xx + 0.5 - x, yy + 0.5 - y)) / (2 * soft) + 0.5, 0, 1), np.float32
    )


def _painted(alpha: F32, colour: tuple[float, float, float], shade: F32) -> Cut:
    tone = np.clip(np.array(colour, np.float32) * (1 + shade[..., None]), 0, 1)
    return np.asarray(tone * alpha[..., None], np.float32), alpha


def _furry(
    size: int, t: float, seed: int, long: float, count: int, tone: tuple[float, float, float]
) -> Cut:
    rng, mid, r = rng_of(seed, 5), size / 2, 0.3 * size
    shade = 0.25 * smooth_noise(size, size, 0.05 * size, seed)
    body = _painted(_disc(size, size, mid, mid, r), tone, shade)
    lines = []
    for _ in range(count):
        a, k = rng.uniform(0, 2 * np.pi), rng.uniform(0.5, 1)
        bend = rng.normal(0, 0.35) + 0.15 * np.sin(5 * t + 3 * a)
        s = np.linspace(0, 1, 7)
        way = a + bend * s
        reach = r * (rng.uniform(0.75, 1) + long * k * s)
        points = np.stack([mid + reach * np.cos(way), mid + reach * np.sin(way)], 1)
        own = np.clip(np.array(tone) * rng.uniform(0.55, 1.35), 0, 1)
        lines.append((points, float(rng.choice([0.5, 1.0, 1.5])), tuple(float(c) for c in own)))
    return over(_strokes(size, size, lines), body)


def _smoke(size: int, t: float, seed: int, tone: tuple[float, float, float], most: float) -> Cut:
    y, x = np.mgrid[:size, :size].astype(np.float32) / size
    rise = round(t * 0.25 * size)
    thick = sum(
        np.roll(smooth_noise(2 * size, size, size * s, seed + n), -rise * (n + 1), 0)[:size] * w
        for n, (s, w) in enumerate(((0.3, 1.0), (0.12, 0.6), (0.05, 0.35)))
    )
    hold = (
        np.exp(-(((x - 0.5) / (0.1 + 0.2 * (1 - y))) ** 2))
        * np.clip(y * 4, 0, 1)
        * np.clip((1 - y) * 8, 0, 1)
    )
    alpha = np.clip(hold * (0.75 + 0.5 * np.asarray(thick)), 0, 1) * most
    return _painted(
        np.asarray(alpha, np.float32), tone, 0.1 * smooth_noise(size, size, 0.1 * size, seed + 9)
    )


def _flame(size: int, t: float, seed: int) -> Cut:
    (_, alpha) = _smoke(size, 4 * t, seed, (1, 1, 1), 1.0)
    hot = np.clip(alpha * 1.3, 0, 1)
    tone = np.stack([0.75 + 0.25 * hot, 0.2 + 0.75 * hot, 0.05 + 0.5 * hot**2], 2)
    return np.asarray(tone * alpha[..., None], np.float32), alpha


def _spokes(size: int, t: float, seed: int) -> Cut:
    mid, r = size / 2, 0.38 * size
    parts, done = 8, []
    for part in range(parts):  # blurred by its turn
        turn = 2.2 * (t + 0.02 * part / parts)
        ring = [
            (
                mid + r * np.stack([np.cos(a := np.linspace(0, 2 * np.pi, 90)), np.sin(a)], 1),
                0.022 * size,
                (0.55, 0.16, 0.12),
            )
        ]
        for n in range(14):
            a = turn + 2 * np.pi * n / 14
            ring.append(
                (
                    mid + np.array([[0, 0], [r * np.cos(a), r * np.sin(a)]]),
                    0.006 * size,
                    (0.8, 0.66, 0.3),
                )
            )
        done.append(
            over(
                _painted(
                    _disc(size, size, mid, mid, 0.06 * size),
                    (0.4, 0.3, 0.25),
                    0 * _disc(size, size, 0, 0, 1),
                ),
                _strokes(size, size, ring),
            )
        )
    return np.mean([c for c, _ in done], 0), np.mean([a for _, a in done], 0)


def _leaves(size: int, t: float, seed: int) -> Cut:
    rng = rng_of(seed, 3)
    mask = np.zeros((2 * size, 2 * size), np.uint8)
    colour = np.zeros((2 * size, 2 * size, 3), np.float32)
    for _ in range(150):
        x, y = rng.normal(size, 0.27 * size, 2)
        a, r = rng.uniform(0, np.pi) + 0.1 * np.sin(3 * t + x), rng.uniform(0.03, 0.07) * size
        tone = np.clip(
            np.array([0.55, 0.3, 0.12]) * rng.uniform(0.5, 1.6) + [0, rng.uniform(0, 0.2), 0], 0, 1
        )
        leaf = cv2.ellipse2Poly(
            (int(x), int(y)), (int(2 * r), int(0.6 * r)), int(np.degrees(a)), 0, 360, 12
        )
        cv2.fillConvexPoly(mask, leaf, 255, cv2.LINE_AA)
        cv2.fillConvexPoly(colour, cv2.convexHull(leaf), tuple(float(c) for c in tone))
    cover = mask.astype(np.float32)[..., None] / 255
    both = cv2.resize(
        np.concatenate([colour * cover, cover], 2), (size, size), interpolation=cv2.INTER_AREA
    )
    return np.asarray(both[..., :3], np.float32), np.asarray(both[..., 3], np.float32)


def _veil(size: int, t: float, seed: int) -> Cut:
    y, x = np.mgrid[:size, :size].astype(np.float32) / size
    sway = 0.03 * np.sin(6 * y + 4 * t)
    hang = (
        np.clip((0.33 - np.abs(x - 0.5 - sway)) * 0.5 * size, 0, 1)
        * np.clip((y - 0.15) * size, 0, 1)
        * np.clip((0.95 - y) * size, 0, 1)
    )
    folds = 0.4 + 0.2 * np.sin((x - sway) * 55 + 3 * np.sin(4 * y)) * np.clip(y, 0.2, 1)
    alpha = np.asarray(hang * folds, np.float32)
    cloth = _painted(alpha, (0.9, 0.82, 0.86), 0.1 * smooth_noise(size, size, 0.04 * size, seed))
    head = _painted(
        _disc(size, size, 0.5 * size, 0.36 * size, 0.14 * size),
        (0.72, 0.5, 0.4),
        0.15 * smooth_noise(size, size, 0.05 * size, seed + 2),
    )
    return over(cloth, head)


def _glass(size: int, t: float, seed: int) -> Cut:
    mid = 0.5 * size
    outer, inner = (
        _disc(size, size, mid, mid, 0.34 * size),
        _disc(size, size, mid, mid, 0.31 * size, 5),
    )
    alpha = np.asarray(outer * (0.72 - 0.58 * inner), np.float32)
    shine = _disc(size, size, mid - 0.1 * size, mid - 0.12 * size, 0.05 * size, 6)
    body = _painted(alpha, (0.55, 0.62, 0.6), 0.1 * smooth_noise(size, size, 0.1 * size, seed))
    return over(_painted(0.9 * shine, (0.97, 0.97, 0.95), 0 * shine), body)


def _ball(size: int, t: float, seed: int) -> Cut:
    shade = 0.35 * smooth_noise(size, size, 0.06 * size, seed)
    return _painted(_disc(size, size, size / 2, size / 2, 0.2 * size), (0.8, 0.22, 0.2), shade)


def drawn(kind: str, size: int, t: float, seed: int) -> Cut:
    """A drawn thing in a square, at a time in seconds."""
    return _DRAWN[kind](size, t, seed)


_DRAWN: dict[str, Callable[[int, float, int], Cut]] = {
    "fur": lambda size, t, seed: _furry(size, t, seed, 0.4, 2600, (0.45, 0.3, 0.18)),
    "hair": lambda size, t, seed: _furry(size, t, seed, 0.75, 900, (0.3, 0.2, 0.14)),
    "smoke": lambda size, t, seed: _smoke(size, t, seed, (0.78, 0.78, 0.8), 0.75),
    "flame": _flame, "spokes": _spokes, "leaves": _leaves, "veil": _veil, "glass": _glass, "ball": _ball,
}  # fmt: skip


def cutout(path: Path) -> Cut:
    read = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    alpha = read[..., 3].astype(np.float32) / 255
    return np.asarray(
        read[..., 2::-1].astype(np.float32) / 255 * alpha[..., None], np.float32
    ), alpha
