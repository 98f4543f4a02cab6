"""Fitting the small networks of roto from what is told of pixels whose truth is known."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields
from functools import partial
from itertools import pairwise
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.network import LEAK, Layers

HIDDEN, BATCH, RATE = (24, 12), 8192, 3e-3


@dataclass(frozen=True)
class Samples:
    """What is told of some pixels, (n, facts), whether each is the subject's, and how much it counts: as the part of its
    subject's area that it stands for, so that a thin thing counts as much as a large one."""

    told: NDArray[np.float16]
    truth: NDArray[np.bool_]
    counts: NDArray[np.float32]

    @classmethod
    def some(
        cls, told: NDArray[np.float32], truth: NDArray[np.bool_], area: int, count: int, rng: np.random.Generator
    ) -> Samples:  # fmt: skip
        """So many pixels of a frame whose subject has an area."""
        at = rng.choice(truth.size, min(count, truth.size), replace=False)
        counts = truth.size / max(at.size, 1) / max(area, 150)
        return cls(told[at].astype(np.float16), truth[at], np.full(at.size, counts, np.float32))

    @classmethod
    def together(cls, every: list[Samples]) -> Samples:
        return cls(*(np.concatenate([getattr(one, f.name) for one in every]) for f in fields(cls)))


Sampling = Callable[[int], Samples | None]


def gathered(sampling: Sampling, numbers: range, room: Path) -> Samples:
    """Samples of every number, made on all cores; what is in ``room`` already is not made again."""
    room.mkdir(parents=True, exist_ok=True)
    with Pool() as pool:
        pool.map(partial(_kept, sampling=sampling, room=room), numbers, chunksize=4)
    made = []
    for one in sorted(room.glob("*.npz")):
        with np.load(one) as held:
            made.append(Samples(**{name: held[name] for name in held.files}))
    return Samples.together(made)


def _kept(number: int, sampling: Sampling, room: Path) -> None:
    to = room / f"{number:05}.npz"
    if not to.exists():
        cv2.setNumThreads(1)
        made = sampling(number)
        if made is not None:
            np.savez(to, **vars(made))


def passed(network: Layers, told: NDArray[np.float32]) -> list[NDArray[np.float32]]:
    """What is given to every layer, and what the last one gives: (n, values) each."""
    held = [told]
    for n in range(0, len(network), 2):
        z = held[-1] @ network[n] + network[n + 1]
        held.append(z if n == len(network) - 2 else np.maximum(z, np.float32(LEAK) * z))
    return held


def fit(every: Samples, epochs: int, seed: int = 0) -> Layers:
    """The network's numbers: weights and shifts in turn (Adam, D. Kingma and J. Ba, 2015), by the logarithm of what it
    holds likely for what is true."""
    rng, truth = np.random.default_rng(seed), every.truth.astype(np.float32)
    counts = np.minimum(every.counts, np.quantile(every.counts, 0.99))
    counts = (counts / counts.mean()).astype(np.float32)
    plain = every.told[::7].astype(np.float32)
    mean, spread = plain.mean(0), plain.std(0) + np.float32(1e-3)
    layers: Layers = []
    for before, after in pairwise((every.told.shape[1], *HIDDEN, 1)):
        layers.append(rng.normal(0, np.sqrt(2 / before), (before, after)).astype(np.float32))
        layers.append(np.zeros(after, np.float32))
    means, squares = ([np.zeros_like(one) for one in layers] for _ in range(2))
    batches, step = truth.size // BATCH, 0
    for epoch in range(epochs):
        order, lost = rng.permutation(truth.size), 0.0
        for n in range(batches):
            at = order[n * BATCH : (n + 1) * BATCH]
            held = passed(layers, (every.told[at].astype(np.float32) - mean) / spread)
            sure = 1 / (1 + np.exp(-held[-1][:, 0]))
            lost += float((((sure > 0.5) != every.truth[at]) * counts[at]).mean()) / batches
            slope = ((sure - truth[at]) * counts[at] / BATCH)[:, None].astype(np.float32)
            step += 1
            slow = 0.5 * (1 + np.cos(np.pi * step / (epochs * batches))) * min(1.0, step / 200)
            for k in range(len(layers) - 2, -1, -2):
                given = held[k // 2]
                slopes = (given.T @ slope, slope.sum(0))
                slope = (slope @ layers[k].T) * np.where(given > 0, np.float32(1), np.float32(LEAK))
                for m, one in zip((k, k + 1), slopes, strict=True):
                    means[m] += 0.1 * (one - means[m])
                    squares[m] += 0.001 * (one * one - squares[m])
                    ahead = means[m] / (1 - 0.9**step)
                    wide = np.sqrt(squares[m] / (1 - 0.999**step)) + 1e-7
                    layers[m] -= (RATE * slow * ahead / wide).astype(np.float32)
        print(f"{epoch + 1:3} of {epochs}: {100 * lost:.2f} % wrong", flush=True)
    layers[0] = layers[0] / spread[:, None]
    layers[1] = layers[1] - mean @ layers[0]
    return layers
