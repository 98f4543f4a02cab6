"""Find the numbers of the screen key's network anew: ``velvet_seam/core/picture/estimates.npz``.

Clips of made-up things and of cut-outs are made (:func:`bench.screens.fitted_on`), one frame of each is keyed with every
estimate of coverage, and a network of two hidden layers learns to weigh them, from what
:func:`~velvet_seam.core.picture.surroundings.facts` tells of the study pixels around. What counts is each clip's error in
proportion to itself, so that easy clips count as much as hard ones. Some frames of the demo's three clips before a screen
are among them, others than those that are measured: no made-up thing is quite like their cape and their letters. No clip
of :mod:`bench.keys` is, and no cut-out that is kept for the end.

    python -m bench.fit_estimates --cutouts FOLDER --room FOLDER

It takes some hour on two cores, and some gigabytes of ``room``; what is there already is not made again.
"""

from __future__ import annotations

import argparse
from dataclasses import replace
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.quality import CASES, pictures
from bench.screens import Clip, fitted_on, made
from bench.weighing import F32, Samples, fit, sampled
from velvet_seam.core.picture import estimates
from velvet_seam.core.picture.estimates import STRETCH
from velvet_seam.core.picture.screen import measure_border
from velvet_seam.core.picture.screen_key import read_screen, screen_key
from velvet_seam.core.picture.study import study
from velvet_seam.core.picture.surroundings import facts

CLIPS, HIDDEN, EPOCHS = 10100, (40, 16), 16

SOFT = 3.0
"""By how much more an error in cloth and clouds counts: else they become solid with everything else."""

DEMO = 40.0
"""The same for a frame of the demo's clips: there are few of them."""

DEMO_FRAMES = {
    "moth-on-card": (5, 30, 50, 70, 95, 110), "acrobat-on-blue": (4, 10, 30, 40, 50, 70, 80, 90),
    "tonight-card": (2, 20, 28, 34, 40, 55),
}  # fmt: skip


def estimated(
    picture: NDArray[np.uint8], truth: F32, where: NDArray[np.bool_], seed: int
) -> Samples:
    """Pixels of a frame before a screen, with all that the screen key estimates of them."""
    colour = tuple(round(c) for c in measure_border([picture]).colour)
    screen, small = read_screen(picture, colour), study(picture)  # type: ignore[arg-type]
    told = facts(small, screen.surface, screen.foreground, int(np.argmax(colour)))
    c, a = (
        screen_key(picture, screen, colour, hold=0.0, **more)[..., 3] / np.float32(255)  # type: ignore[arg-type]
        for more in ({}, {"crisp": 0.0})
    )
    one = np.ones_like(a)
    every = np.stack(
        [c, a, one, np.minimum(2 * a, 1), np.maximum(2 * a - 1, 0), np.clip(a + 3 * (c - a), 0, 1), 0 * one]
    )  # fmt: skip
    return sampled(told, every, truth, where, seed)


def _kept(number: int, clip: Clip, folder: Path, room: Path) -> None:
    to = room / f"{number:04}.npz"
    if not to.exists():
        cv2.setNumThreads(1)
        film = made(clip, folder, 2, (1,))
        truth = film.truth[0][1]
        np.savez(to, **vars(estimated(film.frames[0], truth, np.ones(truth.shape, bool), number)))


def of_demo() -> list[Samples]:
    """Frames of the demo's clips."""
    some = []
    for case in CASES:
        shown = pictures(replace(case, frames=DEMO_FRAMES[case.clip]))
        for frame, picture in zip(DEMO_FRAMES[case.clip], shown, strict=True):
            truth = case.truth(frame)[1].astype(np.float32)
            some.append(estimated(picture, truth, case.where(frame), frame))
    return some


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
    found = fit([*some, *demo], [*by, *[DEMO] * len(demo)], STRETCH, asked.epochs, hidden=HIDDEN)
    to = Path(estimates.__file__).with_name("estimates.npz")
    np.savez(to, **{name: np.ascontiguousarray(one, np.float32) for name, one in found.items()})  # type: ignore[arg-type]


if __name__ == "__main__":
    main()
