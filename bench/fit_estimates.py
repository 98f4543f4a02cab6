"""Find the numbers of the screen key's network anew: ``velvet_seam/core/picture/estimates.npz``.

Clips of made-up things and of cut-outs are made (:func:`bench.screens.fitted_on`), one frame of each is keyed with every
estimate of coverage, and a network of two hidden layers learns to weigh them, from what
:func:`~velvet_seam.core.picture.surroundings.facts` tells of the study pixels around. What counts is each clip's error in
proportion to itself, so that easy clips count as much as hard ones. Some frames of the demo's three clips before a screen
are among them, others than those that are measured: no made-up thing is quite like their cape and their letters. No clip
of :mod:`bench.keys` is, and no cut-out that is kept for the end.

    python -m bench.fit_estimates --cutouts FOLDER --room FOLDER

It takes some half an hour on two cores, and some gigabytes of ``room``; what is there already is not made again.
"""

from __future__ import annotations

import argparse
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.quality import CASES, pictures
from bench.screens import Clip, fitted_on, made
from velvet_seam.core.picture import estimates
from velvet_seam.core.picture.estimates import STRETCH, WEIGHTS
from velvet_seam.core.picture.screen import measure_border
from velvet_seam.core.picture.screen_key import read_screen, screen_key
from velvet_seam.core.picture.study import study
from velvet_seam.core.picture.surroundings import FACTS, facts

F32 = NDArray[np.float32]

CLIPS, EPOCHS, BATCH, RATE = 5300, 24, 8192, 3e-3
HIDDEN = (24, 12)
SAMPLES = 1500
"""Pixels of each clip."""

SOFT = 2.0
"""By how much more an error in cloth and clouds counts: else they become solid with everything else."""

DEMO = 20.0
"""The same for a frame of the demo's clips: there are few of them."""

DEMO_FRAMES = {
    "moth-on-card": (5, 30, 50, 70, 95, 110), "acrobat-on-blue": (4, 10, 30, 40, 50, 70, 80, 90),
    "tonight-card": (2, 20, 28, 34, 40, 55),
}  # fmt: skip

WHOLE, INNER = 1.12, 3.0
"""What coverage within a solid subject is pulled to, so that it does not stay just under 1, and by how much more it
counts."""

LEAST = 1e-5
"""An error that is as good as none."""


@dataclass(frozen=True)
class Samples:
    """Some pixels of a clip: the facts of the four study pixels around each (n, 4, facts), how near each of those is
    (n, 4), coverage made crisp and as solved, what is true, the part of the picture that each stands for, and which lie
    within a solid subject; ``error`` is the clip's with the estimate *made crisp*."""

    facts: NDArray[np.float16]
    near: F32
    crisp: F32
    solved: F32
    truth: F32
    area: F32
    inner: NDArray[np.bool_]
    error: float

    def every(self) -> F32:
        """All estimates (n, 7), that of 0 last."""
        a, c = self.solved, self.crisp
        one = np.ones_like(a)
        return np.stack(
            [c, a, one, np.minimum(2 * a, 1), np.maximum(2 * a - 1, 0), np.clip(a + 3 * (c - a), 0, 1), 0 * one], 1
        )  # fmt: skip


def sampled(picture: NDArray[np.uint8], truth: F32, where: NDArray[np.bool_], seed: int) -> Samples:
    """Pixels of a frame: most of them where it is partly covered or within the subject."""
    colour = tuple(round(c) for c in measure_border([picture]).colour)
    screen, small = read_screen(picture, colour), study(picture)  # type: ignore[arg-type]
    told = facts(small, screen.surface, screen.foreground, int(np.argmax(colour)))
    crisp, solved = (
        screen_key(picture, screen, colour, hold=0.0, **more)[..., 3] / np.float32(255)  # type: ignore[arg-type]
        for more in ({}, {"crisp": 0.0})
    )
    height, width = truth.shape
    inner = cv2.erode((truth > 0.995).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    some = truth > 0.004
    near = cv2.dilate(some.astype(np.uint8), np.ones((31, 31), np.uint8)) > 0
    rng, picked, area = np.random.default_rng(seed), [], []
    for of, part in (
        (some & ~inner, 0.4), (inner, 0.25), (near & ~some, 0.15), (~near & (crisp > 0.02), 0.1),
        (~near & (crisp <= 0.02), 0.1),
    ):  # fmt: skip
        at = np.flatnonzero((of & where).ravel())
        if at.size:
            one = rng.choice(at, min(int(SAMPLES * part), at.size), replace=False)
            picked.append(one)
            area.append(np.full(one.size, at.size / one.size / truth.size, np.float32))
    at = np.concatenate(picked)
    y, x = at // width, at % width
    rows, columns = small.shape[:2]
    v = np.clip((y + 0.5) * rows / height - 0.5, 0, rows - 1)
    u = np.clip((x + 0.5) * columns / width - 0.5, 0, columns - 1)
    y0, x0 = v.astype(int), u.astype(int)
    y1, x1 = np.minimum(y0 + 1, rows - 1), np.minimum(x0 + 1, columns - 1)
    dy, dx = v - y0, u - x0
    around = np.stack([told[:, y0, x0], told[:, y0, x1], told[:, y1, x0], told[:, y1, x1]], 1)
    weights = np.stack([(1 - dy) * (1 - dx), (1 - dy) * dx, dy * (1 - dx), dy * dx], 1)
    return Samples(
        around.transpose(2, 1, 0).astype(np.float16), weights.astype(np.float32), crisp[y, x], solved[y, x],
        truth[y, x], np.concatenate(area), inner[y, x], float(((crisp - truth) ** 2)[where].mean()),
    )  # fmt: skip


def _kept(number: int, clip: Clip, folder: Path, room: Path) -> None:
    to = room / f"{number:04}.npz"
    if not to.exists():
        cv2.setNumThreads(1)
        film = made(clip, folder, 2, (1,))
        truth = film.truth[0][1]
        np.savez(to, **vars(sampled(film.frames[0], truth, np.ones(truth.shape, bool), number)))


def of_demo() -> list[Samples]:
    """Frames of the demo's clips."""
    some = []
    for case in CASES:
        shown = pictures(replace(case, frames=DEMO_FRAMES[case.clip]))
        for frame, picture in zip(DEMO_FRAMES[case.clip], shown, strict=True):
            truth = case.truth(frame)[1].astype(np.float32)
            some.append(sampled(picture, truth, case.where(frame), frame))
    return some


class Network:
    """Layers with shifts, and how far it is on its way (Adam, D. Kingma and J. Ba, 2015)."""

    def __init__(self, sizes: tuple[int, ...], rng: np.random.Generator) -> None:
        self.layers: list[F32] = []
        for before, after in pairwise(sizes):
            self.layers.append(
                rng.normal(0, np.sqrt(2 / before), (before, after)).astype(np.float32)
            )
            self.layers.append(np.zeros(after, np.float32))
        self.layers[-2] *= np.float32(0.3)
        self.layers[-1][0] = 1.5  # begins with what is made crisp
        self._mean = [np.zeros_like(one) for one in self.layers]
        self._square = [np.zeros_like(one) for one in self.layers]
        self._step = 0

    def weights(self, x: F32) -> tuple[list[F32], F32, F32]:
        """What each layer gives, the base of the power, and the weights (n, 7)."""
        held = [x]
        for n in range(0, len(self.layers), 2):
            z = held[-1] @ self.layers[n] + self.layers[n + 1]
            held.append(z if n == len(self.layers) - 2 else np.maximum(z, np.float32(0.1) * z))
        base = np.maximum(1 + held[-1] / 8, np.float32(0.05))
        power = base * base
        power *= power
        power *= power
        return held, base, power / power.sum(-1, keepdims=True)

    def learn(self, held: list[F32], slope: F32, rate: float) -> None:
        """One step, by the slope of the error over the last layer."""
        slopes: list[F32] = [slope] * len(self.layers)
        for n in range(len(self.layers) - 2, -1, -2):
            before = held[n // 2]
            slopes[n], slopes[n + 1] = before.T @ slope, slope.sum(0)
            if n:
                slope = (slope @ self.layers[n].T) * np.where(
                    before > 0, np.float32(1), np.float32(0.1)
                )
        self._step += 1
        for n, one in enumerate(slopes):
            one = np.clip(one, -1, 1)
            self._mean[n] += np.float32(0.1) * (one - self._mean[n])
            self._square[n] += np.float32(0.001) * (one * one - self._square[n])
            mean, square = (
                self._mean[n] / (1 - 0.9**self._step),
                self._square[n] / (1 - 0.999**self._step),
            )
            self.layers[n] -= np.float32(rate) * (mean / (np.sqrt(square) + 1e-6)).astype(
                np.float32
            )


def fit(
    some: list[Samples], by: list[float], epochs: int = EPOCHS, seed: int = 0
) -> dict[str, F32]:
    """The network's numbers, as the program holds them, from the samples of clips; ``by`` says how much each counts."""
    rng = np.random.default_rng(seed)
    clip = np.concatenate([np.full(one.truth.size, n) for n, one in enumerate(some)])
    given = np.concatenate([one.facts for one in some])
    near, area, truth, inner = (
        np.concatenate([getattr(one, name) for one in some])
        for name in ("near", "area", "truth", "inner")
    )
    every = np.concatenate([one.every() for one in some])
    counts = (np.where(inner, INNER, 1.0) * np.array(by)[clip]).astype(np.float32)
    plain = given[::7, 0].astype(np.float32)
    mean, spread = plain.mean(0), plain.std(0) + np.float32(1e-3)
    network = Network((FACTS, *HIDDEN, WEIGHTS + 1), rng)
    error = np.array([one.error for one in some]) + LEAST
    first, batches, step = error.copy(), truth.size // BATCH, 0
    for epoch in range(epochs):
        order, now = rng.permutation(truth.size), np.zeros_like(error)
        for n in range(batches):
            at = order[n * BATCH : (n + 1) * BATCH]
            x = (given[at].astype(np.float32) - mean) / spread
            held, base, weights = network.weights(x.reshape(-1, FACTS))
            share, estimate = near[at][..., None], every[at][:, None]
            made_of = STRETCH * (weights.reshape(BATCH, 4, -1) * share * estimate).sum((1, 2))
            off = np.minimum(made_of, 1) - truth[at]
            np.add.at(now, clip[at], area[at] * off * off)
            off = np.where(inner[at] & (made_of < 0.995), made_of - WHOLE, off)
            off = np.where((made_of > 1) & (off <= 0), 0, off)
            slope = (
                off * area[at] * counts[at] * (2 * STRETCH * batches / error.size / error[clip[at]])
            )
            slope = slope.astype(np.float32)
            over = (slope[:, None, None] * share * estimate).reshape(-1, WEIGHTS + 1)
            over = weights * (over - (over * weights).sum(-1, keepdims=True)) / base * (base > 0.05)
            step += 1
            slow = 0.5 * (1 + np.cos(np.pi * step / (epochs * batches))) * min(1.0, step / 200)
            network.learn(held, over.astype(np.float32), RATE * slow)
        error = 0.5 * error + 0.5 * (now * truth.size / (batches * BATCH) + LEAST)
        print(
            f"{epoch + 1:3} of {epochs}: {np.exp(np.log(error / first).mean()):.3f} of the error made crisp alone",
            flush=True,
        )
    w1, b1, w2, b2, w3, b3 = network.layers
    w1 = w1 / spread[:, None]
    return {"w1": w1.T, "b1": b1 - mean @ w1, "w2": w2.T, "b2": b2, "w3": w3.T, "b3": b3}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cutouts", type=Path, required=True)
    parser.add_argument("--room", type=Path, required=True)
    parser.add_argument("--clips", type=int, default=CLIPS)
    parser.add_argument("--epochs", type=int, default=EPOCHS)
    asked = parser.parse_args()
    asked.room.mkdir(parents=True, exist_ok=True)
    clips = fitted_on(asked.cutouts, asked.clips)
    with Pool() as pool:
        pool.starmap(
            partial(_kept, folder=asked.cutouts, room=asked.room), enumerate(clips), chunksize=4
        )
    some = []
    for number in range(len(clips)):
        with np.load(asked.room / f"{number:04}.npz") as held:
            some.append(Samples(**{name: held[name] for name in held.files}))
    by, demo = [SOFT if one.subject in ("cloth", "cloud") else 1.0 for one in clips], of_demo()
    found = fit([*some, *demo], [*by, *[DEMO] * len(demo)], asked.epochs)
    to = Path(estimates.__file__).with_name("estimates.npz")
    np.savez(to, **{name: np.ascontiguousarray(one, np.float32) for name, one in found.items()})  # type: ignore[arg-type]


if __name__ == "__main__":
    main()
