"""Films with exact coverage for fitting what a region is carried by: cut-outs and made-up things that drift, turn, grow,
swing and bend, before photographs or made-up grounds that pan or stand still, sharp or blurred by their movement, sometimes
with another thing that passes behind, sometimes before a ground of their own colours, with grain and JPEG.

No cut-out that is kept for the end is among them (every third, as in :mod:`bench.roto`).
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.roto import Film
from bench.subjects import F32, cutout, rng_of
from bench.things import texture, thing

SOLID = ("blob", "sign", "threads", "fur", "clutter", "both", "blob", "clutter")
SIZES = ((540, 960), (540, 960), (960, 540), (540, 540))
LARGEST = 900
"""Pixels of a cut-out along its longer side."""


@dataclass(frozen=True)
class Sources:
    """What films are made of: cut-outs, and photographs for grounds; where there are none, made-up things and grounds."""

    cutouts: list[Path]
    photos: list[Path]

    @classmethod
    def of(cls, cutouts: Path, photos: Path) -> Sources:
        every = sorted(cutouts.glob("*.png"))
        return cls([one for n, one in enumerate(every) if n % 3 != 2], sorted(photos.glob("*.png")))


def _subject(of: Sources, number: int, rng: np.random.Generator) -> F32:
    """R, G, B and coverage (h, w, 4) of a cut-out or of a made-up thing, with a margin."""
    if of.cutouts and number % 2 == 0:
        colour, alpha = cutout(of.cutouts[int(rng.integers(len(of.cutouts)))])
    else:
        colour, alpha = thing(SOLID[int(rng.integers(len(SOLID)))], 512, 0.0, 900_000 + number)
    both = np.dstack([colour, alpha])
    k = LARGEST / max(alpha.shape)
    if k < 1:
        both = cv2.resize(both, None, fx=k, fy=k, interpolation=cv2.INTER_AREA)
    if rng.random() < 0.5:
        both = both[:, ::-1]
    rows, columns = np.nonzero(both[..., 3] > 0.1)
    if rows.size:
        both = both[rows.min() : rows.max() + 1, columns.min() : columns.max() + 1]
    return np.ascontiguousarray(
        cv2.copyMakeBorder(both, 40, 40, 40, 40, cv2.BORDER_CONSTANT), np.float32
    )


def _ground(of: Sources, size: tuple[int, int], rng: np.random.Generator, seed: int) -> F32:
    """A ground somewhat larger than the picture."""
    width, height = (int(1.25 * one) + 1 for one in size)
    if of.photos and rng.random() < 0.65:
        made = (
            cv2.imread(str(of.photos[int(rng.integers(len(of.photos)))]))[..., ::-1].astype(
                np.float32
            )
            / 255
        )
        if rng.random() < 0.5:
            made = made[:, ::-1]
        if rng.random() < 0.3:
            made = made[..., rng.permutation(3)]
        k = max(width / made.shape[1], height / made.shape[0]) * rng.uniform(1.0, 1.6)
        made = cv2.resize(made, None, fx=k, fy=k, interpolation=cv2.INTER_CUBIC)
        y, x = (
            int(rng.integers(max(1, whole - part + 1)))
            for whole, part in zip(made.shape[:2], (height, width), strict=True)
        )
        made = made[y : y + height, x : x + width]
    else:
        made = cv2.resize(texture(rng, 512, seed), (width, height), interpolation=cv2.INTER_CUBIC)
    return np.ascontiguousarray(np.clip(made, 0, 1), np.float32)


def _in_its_colours(ground: F32, subject: F32) -> F32:
    own = subject[subject[..., 3] > 0.9][:, :3]
    if not own.size:
        return ground
    even = (ground - ground.mean((0, 1))) / (ground.std((0, 1)) + np.float32(0.05))
    return np.asarray(np.clip(even * own.std(0) + own.mean(0), 0, 1), np.float32)


@dataclass(frozen=True)
class _Way:
    """How a thing moves over the picture: a drift and a spin in a frame at 25 a second, growth, a swing and a bend."""

    size: tuple[int, int]
    scale: float
    at: NDArray[np.float64]
    drift: NDArray[np.float64]
    spin: float
    swing: float
    grow: float
    bend: float
    phase: NDArray[np.float64]

    def shown(self, thing: F32, t: float) -> F32:
        """The thing at a time, in frames from the middle of the film."""
        tall, wide = thing.shape[:2]
        if self.bend:
            y, x = np.mgrid[:tall, :wide].astype(np.float32)
            far = np.float32(self.bend / self.scale)
            thing = cv2.remap(
                thing,
                x + far * np.sin(y * np.float32(5 / tall) + np.float32(t / 4 + self.phase[0])),
                y + far * np.sin(x * np.float32(5 / wide) + np.float32(t / 5 + self.phase[1])),
                cv2.INTER_LINEAR,
            )
        if self.scale < 0.6:
            thing = cv2.GaussianBlur(thing, (0, 0), 0.35 / self.scale)
        turn = cv2.getRotationMatrix2D(
            (wide / 2, tall / 2),
            self.spin * t + 0.3 * self.swing * np.sin(t / 5 + self.phase[2]),
            self.scale * (1 + self.grow * t),
        )
        aside = (self.swing * np.sin(t / 4 + self.phase[3]), 0.0)
        turn[:, 2] += (np.array(self.size) - (wide, tall)) / 2 + self.at + self.drift * t + aside
        return np.asarray(cv2.warpAffine(thing, turn, self.size), np.float32)


def _way(thing: F32, size: tuple[int, int], rng: np.random.Generator, behind: bool) -> _Way:
    tall, wide = thing.shape[:2]
    fits = 0.6 * min(size[0] / wide, size[1] / tall)
    moves = 0.0 if not behind and rng.random() < 0.1 else 1.0  # some stand still
    return _Way(
        size, fits * rng.uniform(0.5, 1.1), rng.uniform(-0.3, 0.3, 2) * size * behind,
        moves * rng.uniform(-6, 6, 2) * rng.choice([0.3, 1]), moves * rng.uniform(-1.5, 1.5) * rng.choice([0.3, 1, 2]),
        moves * rng.uniform(0, 30), moves * rng.uniform(-0.006, 0.006), moves * rng.choice([0, 0, 4, 10]) * rng.uniform(0.5, 1),
        rng.uniform(0, 6, 4),
    )  # fmt: skip


def film_to_fit(of: Sources, number: int, count: int, stride: int) -> Film:
    """A film of so many frames, each so many 25ths of a second after the one before."""
    rng = rng_of(77_001, number)
    size = SIZES[int(rng.integers(len(SIZES)))]
    subject, ground = _subject(of, number, rng), _ground(of, size, rng, number)
    if rng.random() < 0.25:
        ground = _in_its_colours(ground, subject)
    way, pan = _way(subject, size, rng, False), rng.uniform(-3, 3, 2) * rng.integers(2)
    passing = _subject(of, number + 1, rng) if rng.random() < 0.35 else None
    passes = _way(subject if passing is None else passing, size, rng, True)
    open_for = (0.6 * stride if rng.random() < 0.35 else 0.0) * np.linspace(0, 1, 5)
    grain, quality = rng.uniform(1, 6), int(rng.choice([60, 80, 90]))
    flicker = rng.choice([0, 0, 0.06])

    def at(t: float) -> F32:
        left, top = (
            (whole - part) / 2 + move * t
            for whole, part, move in zip(ground.shape[1::-1], size, pan, strict=True)
        )
        below = cv2.warpAffine(
            ground, np.array([[1, 0, -left], [0, 1, -top]]), size, borderMode=cv2.BORDER_REFLECT
        )
        if passing is not None:
            other = passes.shown(passing, t)
            below = other[..., :3] + (1 - other[..., 3:]) * below
        own = way.shown(subject, t)
        return np.dstack([own[..., :3] + (1 - own[..., 3:]) * below, own[..., 3]])

    frames, cover = [], []
    for n in range(count):
        t = (n - count / 2) * stride
        whole = np.mean([at(t + late) for late in np.unique(open_for)], 0)
        light = whole[..., :3] * (1 + flicker * np.sin(t))
        noisy = np.clip(light * 255 + rng.normal(0, grain, light.shape), 0, 255).astype(np.uint8)
        _, coded = cv2.imencode(".jpg", noisy[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])
        shown = cv2.imdecode(coded, cv2.IMREAD_COLOR)[..., ::-1]
        frames.append(np.dstack([shown, np.full(shown.shape[:2], 255, np.uint8)]))
        cover.append(np.asarray(whole[..., 3], np.float32))
    return Film(str(number), frames, cover)
