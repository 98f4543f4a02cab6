"""*fox-in-fur*: a fox with fur, drawn hair by hair, looks around before the busy stage. Every hair's coverage is known."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.demo import stage
from velvet_seam.demo.paper import F32, ellipse, finish, rgb, spline

WIDTH, HEIGHT, FRAMES = 1080, 1920, 75
FINE = 3
"""Hairs are drawn so much larger; a pixel's coverage is the mean."""

NECK = (540.0, 1180.0)
"""What the head turns about."""

BODY = [(540.0, 1060.0), (720, 1130), (830, 1320), (880, 1600), (900, 1960), (180, 1960), (200, 1600), (250, 1320), (360, 1130)]  # fmt: skip
HEAD = [(540.0, 700.0), (640, 712), (730, 790), (760, 900), (700, 1010), (620, 1090), (540, 1130), (460, 1090), (380, 1010), (320, 900), (350, 790), (440, 712)]  # fmt: skip
EAR = [(600.0, 740.0), (650, 620), (742, 500), (768, 640), (752, 790), (690, 800)]
CHEEK = [(545.0, 1120.0), (560, 1010), (640, 950), (752, 910), (716, 1010), (640, 1085)]
CHEST = [
    (540.0, 1120.0),
    (640, 1200),
    (660, 1400),
    (600, 1640),
    (540, 1700),
    (480, 1640),
    (420, 1400),
    (440, 1200),
]


def _mirrored(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    return [(WIDTH - x, y) for x, y in points]


@dataclass(frozen=True)
class Coat:
    """Hairs of one part: roots (n, 2), directions (n, 2), lengths and widths (n,), colours (n, 3)."""

    head: bool
    under: F32
    plain: F32
    roots: F32
    ways: F32
    lengths: F32
    widths: F32
    colours: F32


def _coat(
    points: list[tuple[float, float]], colour: str, count: int, length: float, seed: int, head: bool,
    fall: tuple[float, float] = (0.0, 0.6),
) -> Coat:  # fmt: skip
    """Hairs all over a part, away from its middle and with ``fall``; longer at its rim."""
    rng, outline = np.random.default_rng(seed), spline(points)
    mask = np.zeros((HEIGHT, WIDTH), np.uint8)
    cv2.fillPoly(mask, [np.rint(outline).astype(np.int32)], 1)
    deep = cv2.distanceTransform(mask, cv2.DIST_L2, 5)
    inside = np.argwhere(mask)[:, ::-1].astype(np.float32)
    rim = deep[mask > 0] < 0.6 * length
    some, edge = (place[rng.integers(0, len(place), count // 2)] for place in (inside, inside[rim]))
    roots = np.concatenate([some, edge]) + rng.uniform(-0.5, 0.5, (count // 2 * 2, 2))
    roots = roots[np.argsort(deep[roots[:, 1].clip(0, HEIGHT - 1).astype(int),
                                  roots[:, 0].clip(0, WIDTH - 1).astype(int)])]  # fmt: skip
    away = roots - outline.mean(0)
    ways = away / (np.linalg.norm(away, axis=1, keepdims=True) + 1e-3) + fall
    ways += rng.normal(0, 0.28, ways.shape)
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    tone = rng.normal(1, 0.13, (len(roots), 1)) + rng.normal(0, 0.02, (len(roots), 3))
    return Coat(
        head, outline, rgb(colour) * np.float32(0.82), roots.astype(np.float32), ways.astype(np.float32),
        rng.uniform(0.45, 1.15, len(roots)).astype(np.float32) * np.float32(length),
        rng.uniform(1.0, 2.6, len(roots)).astype(np.float32), (rgb(colour) * tone).clip(0, 1).astype(np.float32),
    )  # fmt: skip


@lru_cache(maxsize=1)
def coats() -> tuple[Coat, ...]:
    """All of its fur, the hindmost first."""
    return (
        _coat(BODY, "#a8522a", 5200, 92, 1, False),
        _coat(CHEST, "#eadbc0", 2200, 80, 2, False, (0, 1.0)),
        *(_coat(ear, "#8a3f22", 1100, 44, 3 + n, True, (0, -0.5)) for n, ear in enumerate((EAR, _mirrored(EAR)))),
        _coat(HEAD, "#bb6231", 4200, 58, 5, True, (0, 0.2)),
        *(_coat(part, "#f0e2c8", 1300, 66, 6 + n, True, (0.35 - 0.7 * n, 0.5))
          for n, part in enumerate((CHEEK, _mirrored(CHEEK)))),
    )  # fmt: skip


def turn(frame: float) -> float:
    """By how much the head is turned, in degrees."""
    return float(5 * np.sin(frame / 25 * 1.6) + 1.5 * np.sin(frame / 25 * 4.3))


def _moved(points: NDArray[np.floating], frame: float, head: bool) -> F32:
    a = np.radians(turn(frame)) if head else 0.0
    c, s = np.cos(a), np.sin(a)
    breath = np.array([0, 3 * np.sin(frame / 25 * 2.2)])
    return np.asarray((points - NECK) @ np.array([[c, s], [-s, c]]) + NECK + breath, np.float32)


def _fine(points: F32) -> NDArray[np.int32]:
    return np.rint((points * FINE) * 16).astype(np.int32)


def _lay(canvas: NDArray[np.uint8], coat: Coat, frame: float) -> None:
    """Hairs of three pieces each, ever thinner; their tips lag behind the head and are moved by a draught."""
    cv2.fillPoly(
        canvas, [_fine(_moved(coat.under, frame, coat.head))], _ink(coat.plain), cv2.LINE_8, 4
    )
    draught = 0.10 * np.sin(frame / 25 * 3.1 + coat.roots[:, 1] / 130 + coat.roots[:, 0] / 210)
    lag = 0.05 * (turn(frame - 3) - turn(frame)) if coat.head else 0.0
    parts = [
        _moved(coat.roots + coat.ways * (coat.lengths * share)[:, None]
               + np.stack([(draught + lag) * share**2, 0.16 * share**2 * np.ones_like(draught)], 1) * coat.lengths[:, None],
               frame, coat.head)
        for share in (0.0, 0.4, 0.72, 1.0)
    ]  # fmt: skip
    lines = np.stack([_fine(one) for one in parts], 1)
    inks = [_ink(colour) for colour in coat.colours]
    for line, ink, width in zip(lines, inks, coat.widths, strict=True):
        for n, thin in enumerate((1.0, 0.75, 0.4)):
            thick = max(1, round(FINE * float(width) * thin))
            cv2.line(canvas, tuple(line[n]), tuple(line[n + 1]), ink, thick, cv2.LINE_8, 4)


def _ink(colour: F32) -> tuple[float, ...]:
    return (*(float(v) for v in np.rint(colour * 255)), 255.0)


def _face(canvas: NDArray[np.uint8], frame: float) -> None:
    for points, colour in (
        (ellipse(456, 872, 30, 34), "#241512"), (ellipse(624, 872, 30, 34), "#241512"),
        (ellipse(448, 860, 9, 10), "#f4ead8"), (ellipse(616, 860, 9, 10), "#f4ead8"),
        (ellipse(540, 1052, 44, 32), "#1d1213"), (ellipse(530, 1042, 12, 7), "#6d5d5c"),
    ):  # fmt: skip
        cv2.fillPoly(canvas, [_fine(_moved(points, frame, True))], _ink(rgb(colour)), cv2.LINE_8, 4)


@lru_cache(maxsize=4)
def truth(frame: int) -> tuple[F32, F32]:
    """The fox alone: premultiplied colour and coverage."""
    canvas = np.zeros((HEIGHT * FINE, WIDTH * FINE, 4), np.uint8)
    for coat in coats():
        _lay(canvas, coat, frame)
    _face(canvas, frame)
    whole = cv2.resize(canvas, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)
    small: F32 = whole.astype(np.float32) * np.float32(1 / 255)
    return small[..., :3], small[..., 3]


def picture(frame: int) -> NDArray[np.uint8]:
    """Frame of *fox-in-fur*: (1920, 1080, 3) uint8."""
    colour, alpha = truth(frame)
    ground: F32 = stage.picture(0).astype(np.float32) * np.float32(stage.flicker(frame) / 255)
    return finish(ground * (1 - alpha[..., None]) + colour, 9000 + frame)
