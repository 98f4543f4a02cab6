"""Fitting the small networks that weigh estimates of coverage: samples of pictures whose coverage is known, and the
learning."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]

BATCH, RATE = 8192, 3e-3
SAMPLES = 1500
"""Pixels of each picture."""

WHOLE, INNER = 1.12, 3.0
"""What coverage within a solid subject is pulled to, so that it does not stay just under 1, and by how much more it
counts."""

LEAST = 1e-5
"""An error that is as good as none."""


@dataclass(frozen=True)
class Samples:
    """Some pixels of a picture: the facts of the four study pixels around each (n, 4, facts), how near each of those is
    (n, 4), every estimate of coverage (n, estimates), what is true, the part of the picture that each stands for, and
    which lie within a solid subject; ``error`` is the picture's with the first estimate."""

    facts: NDArray[np.float16]
    near: F32
    every: F32
    truth: F32
    area: F32
    inner: NDArray[np.bool_]
    error: float


def sampled(told: F32, every: F32, truth: F32, where: NDArray[np.bool_], seed: int) -> Samples:
    """Pixels of a picture: most of them where it is partly covered or within the subject.

    Args:
        told: (facts, h', w') of the study pixels.
        every: (estimates, h, w) of coverage.
        truth: (h, w).
        where: (h, w), what counts at all.
    """
    height, width = truth.shape
    inner = cv2.erode((truth > 0.995).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    some = truth > 0.004
    near = cv2.dilate(some.astype(np.uint8), np.ones((31, 31), np.uint8)) > 0
    rng, picked, area = np.random.default_rng(seed), [], []
    first = every[0]
    for of, part in (
        (some & ~inner, 0.4), (inner, 0.25), (near & ~some, 0.15), (~near & (first > 0.02), 0.1),
        (~near & (first <= 0.02), 0.1),
    ):  # fmt: skip
        at = np.flatnonzero((of & where).ravel())
        if at.size:
            one = rng.choice(at, min(int(SAMPLES * part), at.size), replace=False)
            picked.append(one)
            area.append(np.full(one.size, at.size / one.size / truth.size, np.float32))
    at = np.concatenate(picked)
    y, x = at // width, at % width
    rows, columns = told.shape[1:]
    v = np.clip((y + 0.5) * rows / height - 0.5, 0, rows - 1)
    u = np.clip((x + 0.5) * columns / width - 0.5, 0, columns - 1)
    y0, x0 = v.astype(int), u.astype(int)
    y1, x1 = np.minimum(y0 + 1, rows - 1), np.minimum(x0 + 1, columns - 1)
    dy, dx = v - y0, u - x0
    around = np.stack([told[:, y0, x0], told[:, y0, x1], told[:, y1, x0], told[:, y1, x1]], 1)
    weights = np.stack([(1 - dy) * (1 - dx), (1 - dy) * dx, dy * (1 - dx), dy * dx], 1)
    return Samples(
        around.transpose(2, 1, 0).astype(np.float16), weights.astype(np.float32),
        np.ascontiguousarray(every[:, y, x].T), truth[y, x], np.concatenate(area), inner[y, x],
        float(((first - truth) ** 2)[where].mean()),
    )  # fmt: skip


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
        self.layers[-1][0] = 1.5  # begins with the first estimate
        self._mean = [np.zeros_like(one) for one in self.layers]
        self._square = [np.zeros_like(one) for one in self.layers]
        self._step = 0

    def weights(self, x: F32) -> tuple[list[F32], F32, F32]:
        """What each layer gives, the base of the power, and the weights (n, estimates)."""
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
    some: list[Samples],
    by: list[float],
    stretch: float,
    epochs: int,
    seed: int = 0,
    *,
    hidden: tuple[int, ...],
) -> dict[str, F32]:
    """The network's numbers, as the program holds them, from the samples of pictures; ``by`` says how much each counts,
    ``stretch`` what the weighed coverage is multiplied by. The last estimate has no weight of its own in the program."""
    rng = np.random.default_rng(seed)
    clip = np.concatenate([np.full(one.truth.size, n) for n, one in enumerate(some)])
    given = np.concatenate([one.facts for one in some])
    near, area, truth, inner = (
        np.concatenate([getattr(one, name) for one in some])
        for name in ("near", "area", "truth", "inner")
    )
    every = np.concatenate([one.every for one in some])
    told, estimates = given.shape[2], every.shape[1]
    counts = (np.where(inner, INNER, 1.0) * np.array(by)[clip]).astype(np.float32)
    plain = given[::7, 0].astype(np.float32)
    mean, spread = plain.mean(0), plain.std(0) + np.float32(1e-3)
    network = Network((told, *hidden, estimates), rng)
    error = np.array([one.error for one in some]) + LEAST
    first, batches, step = error.copy(), truth.size // BATCH, 0
    for epoch in range(epochs):
        order, now = rng.permutation(truth.size), np.zeros_like(error)
        for n in range(batches):
            at = order[n * BATCH : (n + 1) * BATCH]
            x = (given[at].astype(np.float32) - mean) / spread
            held, base, weights = network.weights(x.reshape(-1, told))
            share, estimate = near[at][..., None], every[at][:, None]
            made_of = stretch * (weights.reshape(BATCH, 4, -1) * share * estimate).sum((1, 2))
            off = np.minimum(made_of, 1) - truth[at]
            np.add.at(now, clip[at], area[at] * off * off)
            off = np.where(inner[at] & (made_of < 0.995), made_of - WHOLE, off)
            off = np.where((made_of > 1) & (off <= 0), 0, off)
            slope = (
                off * area[at] * counts[at] * (2 * stretch * batches / error.size / error[clip[at]])
            )
            slope = slope.astype(np.float32)
            over = (slope[:, None, None] * share * estimate).reshape(-1, estimates)
            over = weights * (over - (over * weights).sum(-1, keepdims=True)) / base * (base > 0.05)
            step += 1
            slow = 0.5 * (1 + np.cos(np.pi * step / (epochs * batches))) * min(1.0, step / 200)
            network.learn(held, over.astype(np.float32), RATE * slow)
        error = 0.5 * error + 0.5 * (now * truth.size / (batches * BATCH) + LEAST)
        print(
            f"{epoch + 1:3} of {epochs}: {np.exp(np.log(error / first).mean()):.3f} of the error of the first estimate",
            flush=True,
        )
    w1, b1, w2, b2, w3, b3 = network.layers
    w1 = w1 / spread[:, None]
    return {"w1": w1.T, "b1": b1 - mean @ w1, "w2": w2.T, "b2": b2, "w3": w3.T, "b3": b3}
