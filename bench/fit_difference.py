"""Find the numbers of the difference key's network anew: ``velvet_seam/core/picture/difference.npz``.

Pictures before clean plates are made (:func:`bench.before_plates.taken`), keyed with every estimate of coverage, and a
network of two hidden layers learns to weigh them, from what
:func:`~velvet_seam.core.picture.difference_facts.facts` tells of the study pixels around. What counts is each picture's
error in proportion to itself. No cut-out that :mod:`bench.differences` keeps for the end is among them, and no photograph
of :data:`bench.before_plates.KEPT_PHOTOS`.

    python -m bench.fit_difference --cutouts FOLDER --photos FOLDER --room FOLDER
"""

from __future__ import annotations

import argparse
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np

from bench.before_plates import KEPT_PHOTOS, Picture, taken
from bench.weighing import F32, Samples, fit, sampled
from velvet_seam.core.picture import difference_estimates
from velvet_seam.core.picture.difference_estimates import STRETCH
from velvet_seam.core.picture.difference_key import TOLERANCE, told_before
from velvet_seam.core.picture.plate_light import light_between

PICTURES, HIDDEN, EPOCHS = 3000, (32, 16), 24

SOFT = 2.0
"""By how much more an error in cloth and clouds counts: else they become solid with everything else."""


def way_of(picture: Picture, plate: Picture, gain: F32, near: F32) -> F32:
    """How much of the way from the plate to the subject nearby each pixel lies: (h, w)."""
    height, width = picture.shape[:2]
    lit = np.minimum(plate[..., :3] * (gain / np.float32(255)), 1)
    apart = cv2.resize(near[..., :3], (width, height), interpolation=cv2.INTER_LINEAR) - lit
    along = ((picture[..., :3] / np.float32(255) - lit) * apart).sum(2)
    return np.clip(along / ((apart * apart).sum(2) + 0.002), 0, 1).astype(np.float32)


def _kept(number: int, cutouts: list[Path], photos: list[Path], room: Path) -> None:
    to = room / f"{number:04}.npz"
    if to.exists():
        return
    cv2.setNumThreads(1)
    made = taken(number, cutouts, photos)
    gain, size = light_between(made.picture, made.plate), made.picture.shape[1::-1]
    comes = (
        None
        if made.flutters is None or not made.flutters.often.any()
        else made.flutters.at_size(size)
    )
    near, told = told_before(TOLERANCE, made.picture, made.plate, gain, comes)
    way = way_of(made.picture, made.plate, gain, near)
    one = np.ones_like(way)
    every = np.stack([way, np.minimum(2 * way, 1), np.maximum(2 * way - 1, 0), one, 0 * one])
    samples = sampled(told, every, made.truth, np.ones(way.shape, bool), number)
    np.savez(to, **vars(samples), soft=made.soft)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    for name in ("cutouts", "photos", "room"):
        parser.add_argument(f"--{name}", type=Path, required=True)
    parser.add_argument("--pictures", type=int, default=PICTURES)
    parser.add_argument("--epochs", type=int, default=EPOCHS)
    asked = parser.parse_args()
    asked.room.mkdir(parents=True, exist_ok=True)
    cutouts = [one for n, one in enumerate(sorted(asked.cutouts.glob("*.png"))) if n % 3 != 2]
    photos = [one for one in sorted(asked.photos.glob("*.png")) if one.stem not in KEPT_PHOTOS]
    with Pool() as pool:
        made = partial(_kept, cutouts=cutouts, photos=photos, room=asked.room)
        pool.map(made, range(asked.pictures), chunksize=4)
    some, by = [], []
    for number in range(asked.pictures):
        with np.load(asked.room / f"{number:04}.npz") as held:
            some.append(Samples(**{name: held[name] for name in held.files if name != "soft"}))
            by.append(SOFT if held["soft"] else 1.0)
    found = fit(some, by, STRETCH, asked.epochs, hidden=HIDDEN)
    to = Path(difference_estimates.__file__).with_name("difference.npz")
    np.savez(to, **{name: np.ascontiguousarray(one, np.float32) for name, one in found.items()})  # type: ignore[arg-type]


if __name__ == "__main__":
    main()
