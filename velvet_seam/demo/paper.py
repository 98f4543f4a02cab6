"""Cut paper: shapes with coverage, texture, a lit edge and a soft shadow.

Everything is drawn in float32, display-referred RGB in 0 to 1, and from seeds: the same call draws
the same picture, so a test can draw the truth of any frame again.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
OVERSAMPLE = 4


def rgb(colour: str) -> F32:
    """``#rrggbb`` as three values in 0 to 1."""
    return np.array([int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)], np.float32)


def spline(points: list[tuple[float, float]], per: int = 10, closed: bool = True) -> F32:
    """A smooth outline through points (Catmull–Rom): (n, 2)."""
    p = np.array(points, np.float32)
    if closed:
        p = np.concatenate([p[-1:], p, p[:2]])
    else:
        p = np.concatenate([2 * p[:1] - p[1:2], p, 2 * p[-1:] - p[-2:-1]])
    t = np.linspace(0, 1, per, endpoint=False, dtype=np.float32)[:, None]
    out = []
    for a, b, c, d in zip(p, p[1:], p[2:], p[3:], strict=False):
        out.append(
            0.5
            * (
                2 * b
                + (c - a) * t
                + (2 * a - 5 * b + 4 * c - d) * t**2
                + (3 * b - a - 3 * c + d) * t**3
            )
        )
    return np.concatenate(out).astype(np.float32)


def ellipse(cx: float, cy: float, rx: float, ry: float, turn: float = 0, n: int = 64) -> F32:
    """An oval outline; ``turn`` in degrees clockwise."""
    a = np.linspace(0, 2 * np.pi, n, endpoint=False)
    x, y = rx * np.cos(a), ry * np.sin(a)
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    return np.stack([cx + x * c - y * s, cy + x * s + y * c], 1).astype(np.float32)


def stroke(points: F32, widths: float | F32) -> F32:
    """The outline of a line with a width that may change along it."""
    d = np.gradient(points, axis=0)
    n = np.stack([-d[:, 1], d[:, 0]], 1) / (np.linalg.norm(d, axis=1, keepdims=True) + 1e-6)
    w = np.broadcast_to(np.asarray(widths, np.float32), (len(points),))[:, None] / 2
    return np.concatenate([points + n * w, (points - n * w)[::-1]]).astype(np.float32)


@lru_cache(maxsize=32)
def texture(height: int, width: int, seed: int, strength: float = 1.0) -> F32:
    """Paper: a factor around 1 with fibres, grain and faint blotches; (height, width)."""
    rng = np.random.default_rng(seed)
    fine = rng.standard_normal((height, width), np.float32)
    grain = cv2.GaussianBlur(fine, (0, 0), 0.9)
    fibre = cv2.GaussianBlur(fine, (0, 0), sigmaX=7, sigmaY=0.7) + cv2.GaussianBlur(
        np.ascontiguousarray(fine[::-1]), (0, 0), sigmaX=0.8, sigmaY=9
    )
    small = rng.standard_normal((height // 32 + 2, width // 32 + 2)).astype(np.float32)
    blotch = cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC)

    def even(field: F32) -> F32:
        return field / (field.std() + 1e-6)

    out = 0.016 * even(grain) + 0.014 * even(fibre) + 0.012 * even(blotch)
    return (1 + strength * out).astype(np.float32)


@dataclass
class Coverage:
    """Part of a picture covered by a shape: values in 0 to 1 at an offset."""

    left: int
    top: int
    values: F32


def cover(outline: F32, height: int, width: int, margin: int = 0) -> Coverage | None:
    """Coverage of a closed outline, by counting 4 × 4 points a pixel; None outside the picture."""
    x0 = max(0, int(np.floor(outline[:, 0].min())) - margin)
    y0 = max(0, int(np.floor(outline[:, 1].min())) - margin)
    x1 = min(width, int(np.ceil(outline[:, 0].max())) + margin + 1)
    y1 = min(height, int(np.ceil(outline[:, 1].max())) + margin + 1)
    if x1 <= x0 or y1 <= y0:
        return None
    fine = np.zeros(((y1 - y0) * OVERSAMPLE, (x1 - x0) * OVERSAMPLE), np.uint8)
    points = (outline - (x0, y0)) * OVERSAMPLE - 0.5
    cv2.fillPoly(fine, [np.rint(points * 16).astype(np.int32)], 255, shift=4)
    small = cv2.resize(fine, (x1 - x0, y1 - y0), interpolation=cv2.INTER_AREA)
    return Coverage(x0, y0, small.astype(np.float32) / 255)


@dataclass
class Scene:
    """A picture under construction: premultiplied RGB and coverage, both in 0 to 1."""

    colour: F32
    alpha: F32

    @classmethod
    def empty(cls, height: int, width: int) -> Scene:
        return cls(np.zeros((height, width, 3), np.float32), np.zeros((height, width), np.float32))

    @classmethod
    def of(cls, picture: F32) -> Scene:
        return cls(picture.astype(np.float32).copy(), np.ones(picture.shape[:2], np.float32))

    def shade(self, part: Coverage, dx: float, dy: float, blur: float, strength: float) -> None:
        """Darken what is there by the soft shadow of a shape."""
        pad = int(blur * 3) + 2
        wide = cv2.copyMakeBorder(part.values, pad, pad, pad, pad, cv2.BORDER_CONSTANT)
        soft = cv2.GaussianBlur(wide, (0, 0), blur)
        x, y = part.left - pad + round(dx), part.top - pad + round(dy)
        h, w = self.alpha.shape
        x0, y0 = max(0, x), max(0, y)
        x1, y1 = min(w, x + soft.shape[1]), min(h, y + soft.shape[0])
        if x1 > x0 and y1 > y0:
            piece = 1 - strength * soft[y0 - y : y1 - y, x0 - x : x1 - x, None]
            self.colour[y0:y1, x0:x1] *= piece

    def lay(
        self,
        outline: F32,
        colour: F32,
        *,
        paper: F32 | None = None,
        shadow: tuple[float, float, float, float] | None = (5, 9, 8, 0.42),
        edge: float = 0.10,
        fade: F32 | None = None,
    ) -> None:
        """Lay a piece of coloured paper on what is there.

        Args:
            outline: (n, 2) points.
            colour: three values, or a picture (height, width, 3) to cut the piece from.
            paper: texture of the scene's size.
            shadow: offset x, offset y, softness (all pixels) and strength, or None.
            edge: how much the cut edge catches the light from the top left.
            fade: factor of the scene's size, for a shape lit unevenly.
        """
        part = cover(outline, *self.alpha.shape, margin=2)
        if part is None:
            return
        if shadow:
            self.shade(part, *shadow)
        c = part.values
        area = np.s_[part.top : part.top + c.shape[0], part.left : part.left + c.shape[1]]
        lit = np.ones_like(c)
        if edge:
            soft = cv2.GaussianBlur(c, (0, 0), 1.6)
            shift = np.float32([[1, 0, 2.2], [0, 1, 2.2]])
            lit += edge * (soft - cv2.warpAffine(soft, shift, (c.shape[1], c.shape[0]))) * 2
        if paper is not None:
            lit = lit * paper[area]
        if fade is not None:
            lit = lit * fade[area]
        fill = colour[area] if colour.ndim == 3 else colour
        rest = 1 - c
        self.colour[area] = fill * (lit * c)[..., None] + self.colour[area] * rest[..., None]
        self.alpha[area] = c + self.alpha[area] * rest


def finish(picture: F32, seed: int, grain: float = 0.008) -> NDArray[np.uint8]:
    """To (height, width, 3) uint8 with the grain of a small camera."""
    noise = np.random.default_rng(seed).standard_normal(picture.shape[:2], np.float32)
    noise = cv2.GaussianBlur(noise, (0, 0), 0.8) * np.float32(grain * 1.8)
    return np.clip((picture + noise[..., None]) * 255 + 0.5, 0, 255).astype(np.uint8)
