"""Made-up things with exact coverage, as unlike each other as they can be: what the screen key is fitted on.

Each has its own outline, colours and texture by its seed, so that many of them cover more than a few drawings would:
solid blobs and signs, threads and nets, fur, clouds, cloth, clutter, and one before the other.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.subjects import F32, Cut, over, rng_of, smooth_noise

KINDS = ("blob", "sign", "threads", "fur", "cloud", "cloth", "clutter", "both")
_LETTERS = "AEGHKMNRSTWXZ&?%"


def _tones(rng: np.random.Generator, count: int) -> F32:
    """Colours of a thing: any, often dark, pale or of one hue."""
    made, hue, way = [], rng.uniform(0, 180), rng.integers(4)
    for _ in range(count):
        if way == 0:  # of one hue
            hsv = ((hue + rng.normal(0, 8)) % 180, rng.uniform(60, 255), rng.uniform(40, 250))
        elif way == 1:  # of little colour
            hsv = (
                rng.uniform(0, 180),
                rng.uniform(0, 50),
                rng.choice([rng.uniform(4, 60), rng.uniform(170, 255)]),
            )
        else:
            hsv = (rng.uniform(0, 180), rng.uniform(0, 255), rng.uniform(10, 255))
        one = np.uint8([[hsv]])  # type: ignore[call-overload]
        made.append(cv2.cvtColor(one, cv2.COLOR_HSV2RGB)[0, 0] / 255)
    return np.asarray(made, np.float32)


def texture(rng: np.random.Generator, size: int, seed: int) -> F32:
    """Colour everywhere: patches, soft or hard, shaded, with light from one side."""
    tones = _tones(rng, int(rng.integers(1, 5)))
    picture = np.broadcast_to(tones[0], (size, size, 3)).copy()
    for n, tone in enumerate(tones[1:]):
        where = smooth_noise(size, size, size * rng.choice([0.02, 0.06, 0.15, 0.4]), seed + 31 * n)
        hard = rng.choice([1.0, 4.0, 20.0])
        share = np.clip(0.5 + hard * (where - rng.normal(0, 0.5)), 0, 1)[..., None]
        picture = picture + share * (tone - picture)
    y, x = np.mgrid[:size, :size].astype(np.float32) / size - 0.5
    way = rng.uniform(0, 2 * np.pi)
    shade = 1 + rng.uniform(0, 1.1) * (x * np.cos(way) + y * np.sin(way))
    shade = shade + rng.uniform(0, 0.2) * smooth_noise(
        size, size, size * rng.choice([0.01, 0.05, 0.2]), seed + 7
    )
    return np.asarray(np.clip(picture * shade[..., None], 0, 1), np.float32)


def _outline(rng: np.random.Generator, size: int, reach: float) -> NDArray[np.float64]:
    """A closed outline round the middle, smooth or jagged."""
    way = np.linspace(0, 2 * np.pi, 240, endpoint=False)
    r = np.ones_like(way)
    for n in range(1, 9):
        r += rng.normal(0, 0.3) / n ** rng.choice([0.9, 1.5]) * np.cos(n * way + rng.uniform(0, 6))
    r = np.clip(r, 0.25, 1.7) * reach * rng.choice([1.0, 1.0, 1.6]) * size
    return np.stack([size / 2 + r * np.cos(way), size / 2 + r * np.sin(way)], 1)


def _filled(size: int, lines: list[NDArray[np.float64]], soft: float) -> F32:
    mask = np.zeros((4 * size, 4 * size), np.uint8)
    for line in lines:  # even-odd, so that a second one may be a hole
        cv2.fillPoly(mask, [np.round(line * 4).astype(np.int32)], 255)
    made = cv2.resize(mask, (size, size), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    return np.asarray(cv2.GaussianBlur(made, (0, 0), soft) if soft > 0.3 else made, np.float32)


def _in(alpha: F32, colour: F32) -> Cut:
    return np.asarray(colour * alpha[..., None], np.float32), alpha


def _blob(rng: np.random.Generator, size: int, t: float, seed: int) -> Cut:
    alpha = _filled(
        size, [_outline(rng, size, rng.uniform(0.12, 0.3))], rng.choice([0.0, 0.7, 1.5, 5.0])
    )
    for _ in range(int(rng.integers(0, 4))):
        hole = _outline(rng, size, rng.uniform(0.01, 0.06)) + rng.normal(0, 0.1 * size, 2)
        alpha = alpha * (1 - _filled(size, [hole], 0.7))
    return _in(alpha, texture(rng, size, seed))


def _sign(rng: np.random.Generator, size: int, t: float, seed: int) -> Cut:
    mask = np.zeros((4 * size, 4 * size), np.uint8)
    for _ in range(int(rng.integers(1, 7))):
        x, y = rng.uniform(0.2, 0.8, 2) * 4 * size
        thick = max(2, int(4 * rng.choice([1.0, 2.0, 0.01 * size, 0.03 * size])))
        if rng.random() < 0.6:
            text = "".join(rng.choice(list(_LETTERS), int(rng.integers(1, 6))))
            scale = rng.uniform(0.02, 0.09) * size / 5
            face = int(rng.choice([0, 1, 2, 3, 4, 6, 7]))
            cv2.putText(
                mask, text, (int(x - 0.7 * size), int(y)), face, scale, 255, thick, cv2.LINE_AA
            )
        else:
            a = rng.uniform(0, 180)
            box = cv2.boxPoints(((x, y), tuple(rng.uniform(0.02, 0.5, 2) * 2 * size), a))
            cv2.fillPoly(mask, [np.round(box).astype(np.int32)], 255 if rng.random() < 0.8 else 0)
    alpha = cv2.resize(mask, (size, size), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    return _in(np.asarray(alpha, np.float32), texture(rng, size, seed))


def _threads(rng: np.random.Generator, size: int, t: float, seed: int) -> Cut:
    mask = np.zeros((4 * size, 4 * size), np.uint8)
    wide, net = rng.choice([0.5, 1.0, 1.5, 2.5, 4.0]), rng.random() < 0.4
    gap, a = rng.uniform(0.02, 0.1) * size, rng.uniform(0, np.pi)
    for n in range(int(rng.integers(8, 60))):
        s = np.linspace(-0.5, 0.5, 30)
        if net:
            way, off = a + (n % 2) * rng.choice([np.pi / 2, 1.1]), (n // 2 - 8) * gap / size
        else:
            way, off = rng.uniform(0, np.pi), rng.normal(0, 0.2)
        bend = rng.normal(0, 0.0 if net else 0.15)
        x = 0.5 + 0.8 * s * np.cos(way) - (off + bend * s * s) * np.sin(way)
        y = 0.5 + 0.8 * s * np.sin(way) + (off + bend * s * s) * np.cos(way)
        line = np.round(np.stack([x, y], 1) * 4 * size * 16).astype(np.int32)
        cv2.polylines(mask, [line], False, 255, max(1, round(4 * wide)), cv2.LINE_AA, 4)
    alpha = cv2.resize(mask, (size, size), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    return _in(np.asarray(alpha, np.float32), texture(rng, size, seed))


def _fur(rng: np.random.Generator, size: int, t: float, seed: int) -> Cut:
    outline = _outline(rng, size, rng.uniform(0.12, 0.25))
    picture, body = texture(rng, size, seed), _filled(size, [outline], 0.7)
    mask = np.zeros((2 * size, 2 * size), np.uint8)
    long, wide = rng.uniform(0.02, 0.2) * size, rng.choice([1, 1, 2])
    for _ in range(int(rng.integers(200, 2500))):
        n = int(rng.integers(240))
        point, away = outline[n], outline[n] - size / 2
        way = np.arctan2(away[1], away[0]) + rng.normal(0, 0.5)
        s = np.linspace(-0.3, 1, 6)[:, None]
        bend = np.array([-np.sin(way), np.cos(way)]) * rng.normal(0, 0.3)
        line = point + long * rng.uniform(0.4, 1) * s * (
            np.array([np.cos(way), np.sin(way)]) + bend * s
        )
        cv2.polylines(
            mask, [np.round(line * 2 * 16).astype(np.int32)], False, 255, int(wide), cv2.LINE_AA, 4
        )
    hair = cv2.resize(mask, (size, size), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    shades = np.clip(picture * (1 + 0.4 * smooth_noise(size, size, 3, seed + 3)[..., None]), 0, 1)
    return over(
        _in(np.asarray(hair, np.float32), np.asarray(shades, np.float32)), _in(body, picture)
    )


def _cloud(rng: np.random.Generator, size: int, t: float, seed: int) -> Cut:
    thick = sum(
        smooth_noise(size, size, size * s, seed + n) * w
        for n, (s, w) in enumerate(((0.3, 1.0), (0.12, 0.6), (0.04, rng.uniform(0, 0.5))))
    )
    y, x = np.mgrid[:size, :size].astype(np.float32) / size - 0.5
    hold = np.exp(-((x / rng.uniform(0.1, 0.3)) ** 2) - (y / rng.uniform(0.1, 0.35)) ** 2)
    most, gain = rng.choice([0.4, 0.7, 1.0]), rng.uniform(0.6, 2.0)
    alpha = np.asarray(
        np.clip(gain * hold * (0.6 + 0.5 * np.asarray(thick)), 0, 1) * most, np.float32
    )
    tones = _tones(rng, 2)
    if rng.random() < 0.4:  # brighter where it is thick
        tones[1] = np.clip(tones[0] + rng.uniform(0.2, 0.8), 0, 1)
    deep = (alpha / most)[..., None]
    return _in(alpha, np.asarray(tones[0] + deep * (tones[1] - tones[0]), np.float32))


def _cloth(rng: np.random.Generator, size: int, t: float, seed: int) -> Cut:
    hang = _filled(size, [_outline(rng, size, rng.uniform(0.18, 0.3))], 0.7)
    y, x = np.mgrid[:size, :size].astype(np.float32) / size
    way, many = rng.uniform(0, np.pi), rng.uniform(10, 70)
    folds = np.sin((x * np.cos(way) + y * np.sin(way)) * many + 3 * np.sin(4 * y))
    alpha = hang * np.clip(rng.uniform(0.1, 0.85) + rng.uniform(0, 0.25) * folds, 0, 1)
    tones = _tones(rng, 1)
    shade = 1 + rng.uniform(0, 0.2) * smooth_noise(size, size, 0.05 * size, seed)
    cloth = _in(
        np.asarray(alpha, np.float32), np.clip(tones[0] * shade[..., None], 0, 1).astype(np.float32)
    )
    if rng.random() < 0.5:
        inner = _filled(size, [_outline(rng, size, rng.uniform(0.06, 0.15))], 0.7)
        return over(cloth, _in(inner, texture(rng, size, seed + 2)))
    return cloth


def _clutter(rng: np.random.Generator, size: int, t: float, seed: int) -> Cut:
    mask = np.zeros((2 * size, 2 * size), np.uint8)
    spread, big = rng.uniform(0.1, 0.25), rng.uniform(0.01, 0.06)
    for _ in range(int(rng.integers(20, 200))):
        x, y = rng.normal(size, spread * 2 * size, 2)
        axes = (
            int(big * 2 * size * rng.uniform(0.5, 1.5)) + 1,
            int(big * 2 * size * rng.uniform(0.1, 0.8)) + 1,
        )
        cv2.ellipse(mask, (int(x), int(y)), axes, rng.uniform(0, 180), 0, 360, 255, -1, cv2.LINE_AA)
    alpha = cv2.resize(mask, (size, size), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    return _in(np.asarray(alpha, np.float32), texture(rng, size, seed))


def _both(rng: np.random.Generator, size: int, t: float, seed: int) -> Cut:
    kinds = [str(one) for one in rng.permutation(KINDS[:-1])[:2]]
    return over(thing(kinds[0], size, t, seed + 1), thing(kinds[1], size, t, seed + 2))


_MADE: dict[str, Callable[[np.random.Generator, int, float, int], Cut]] = {
    "blob": _blob, "sign": _sign, "threads": _threads, "fur": _fur, "cloud": _cloud, "cloth": _cloth,
    "clutter": _clutter, "both": _both,
}  # fmt: skip


def thing(kind: str, size: int, t: float, seed: int) -> Cut:
    """A made-up thing in a square of so many pixels: premultiplied R'G'B' and coverage."""
    colour, alpha = _MADE[kind](rng_of(seed, 77), size, t, seed)
    edge = np.ones(size, np.float32)  # a square's own edge must not be seen
    edge[:6], edge[-6:] = np.linspace(0, 1, 6), np.linspace(1, 0, 6)
    hold = edge[:, None] * edge
    return np.asarray(colour * hold[..., None], np.float32), np.asarray(alpha * hold, np.float32)
