"""Find the numbers anew by which strokes are weighed on the frame that they are painted on:
``velvet_seam/core/roto/stroke_telling.npz``.

A simulated hand draws rough lines within and around the subject of a frame of :mod:`bench.roto_films`, and some more where
the region that plain rules find is wrong. What they tell of every pixel is kept with the truth.

    python -m bench.fit_strokes --cutouts FOLDER --photos FOLDER --room FOLDER

It takes about a quarter of an hour on two cores; what is in ``room`` already is not made again.
"""

from __future__ import annotations

import argparse
from functools import partial
from pathlib import Path

import cv2
import numpy as np

from bench.roto import Where, line_in, mended
from bench.roto_films import Sources, film_to_fit
from bench.small_network import Samples, fit, gathered
from bench.subjects import rng_of
from velvet_seam.core.roto import network
from velvet_seam.core.roto.first import Marks, by_rule, told_by_strokes
from velvet_seam.core.roto.seen import seen

FRAMES, FROM = 1200, 50_000
"""How many, and the number of the first: none is of a film of :mod:`bench.fit_telling`."""

EPOCHS, LEAST, SAMPLES = 30, 60, 1500
"""Rounds of the fit, pixels of a subject below which a frame is none, and pixels that are kept of it for each time."""


def _begun(truth: Where, rng: np.random.Generator) -> Marks:
    """The first strokes of a hand: one through the subject, or a short one in it; around it none, some, or all along the
    border."""
    keep = line_in(truth, rng, float(rng.choice([1.0, 2.0, 4.0])))
    if rng.random() < 0.4:
        rows, columns = np.nonzero(keep)
        n = int(rng.integers(rows.size))
        y, x = np.indices(truth.shape)
        reach = rng.uniform(0.1, 0.5) * np.sqrt(truth.sum())
        keep &= np.hypot(y - rows[n], x - columns[n]) <= reach
    drop = np.zeros_like(truth)
    for _ in range(int(rng.choice([0, 1, 2, 2, 2, 3]))):
        drop |= line_in(~truth, rng)
    if rng.random() < 0.25:
        ring = np.ones_like(truth)
        ring[3:-3, 3:-3] = False
        drop |= ring & ~truth
    return Marks.of(keep, drop)


def sampled(of: Sources, number: int) -> Samples | None:
    rng = rng_of(6, number)
    film = film_to_fit(of, number, 1, 2)
    truth, f = film.truth(0), seen(film.frames[0]).f
    if truth.sum() < LEAST:
        return None
    none = np.zeros_like(truth)
    marks, made = _begun(truth, rng), []
    size = (max(1, f.shape[1] // 2), max(1, f.shape[0] // 2))
    small = np.asarray(cv2.resize(f, size, interpolation=cv2.INTER_AREA), np.float32)
    true: Where = cv2.resize(truth.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.5
    found: Where = none
    for more in range(int(rng.choice([1, 1, 3, 6]))):
        if more:
            marks = mended(marks, found, truth, rng)
        half = marks.halved()
        if not half.keep.any():
            break
        region, learnt, own = by_rule(small, half)
        told = told_by_strokes(small, half, region, learnt, own)
        made.append(Samples.some(told, true.ravel(), int(true.sum()), SAMPLES, rng))
        found = (
            cv2.resize(region.astype(np.float32), truth.shape[::-1], interpolation=cv2.INTER_LINEAR)
            > 0.5
        )
        if (found == truth).all():
            break
    return Samples.together(made) if made else None


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cutouts", type=Path, required=True)
    parser.add_argument("--photos", type=Path, required=True)
    parser.add_argument("--room", type=Path, required=True)
    parser.add_argument("--frames", type=int, default=FRAMES)
    asked = parser.parse_args()
    of = Sources.of(asked.cutouts, asked.photos)
    numbers = range(FROM, FROM + asked.frames)
    layers = fit(gathered(partial(sampled, of), numbers, asked.room), EPOCHS)
    np.savez(Path(network.__file__).with_name("stroke_telling.npz"), *layers)


if __name__ == "__main__":
    main()
