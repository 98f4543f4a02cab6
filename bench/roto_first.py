"""What strokes find on the frame that is painted first, by themselves and with what the camera's movement leaves over.

Cut-outs move over photographs as in :mod:`bench.roto`, or half of them does, or they stand still, or stand still while
another thing passes; the same simulated user draws. Every third subject is unseen: no number was chosen on it.

    python -m bench.roto_first --cutouts FOLDER --photos FOLDER [--unseen]
"""

from __future__ import annotations

import argparse
import os
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np

from bench.roto import FRAMES, RATE, SIZE, Film, Where, film, halves, iou, line_in, mended, swings
from bench.subjects import F32, cutout, rng_of
from velvet_seam.core.roto.first import Marks, found
from velvet_seam.core.roto.moved import looked
from velvet_seam.core.roto.residual import around
from velvet_seam.core.roto.seen import Seen, seen

STROKES = (3, 4, 6, 8, 12)
KINDS = ("first", "middle", "half", "still", "passing")
MIDDLE = 12
SCENES = 2
"""Of every subject and kind."""


def staged(number: int, kind: str, subjects: list[Path], photo: Path) -> Film:
    """A subject that stands where the ground stands, all of it or one half, perhaps with another thing passing behind."""
    rng, (width, height) = rng_of(number, 4242, KINDS.index(kind)), SIZE
    ground = cv2.imread(str(photo))[..., ::-1].astype(np.float32) / 255
    k = max(width / ground.shape[1], height / ground.shape[0]) * 1.25
    ground = cv2.resize(ground, None, fx=k, fy=k, interpolation=cv2.INTER_CUBIC)
    own = _thing(subjects[number % len(subjects)], rng.uniform(0.7, 1))
    others = [one for n, one in enumerate(subjects) if n % 3 != 2]
    other = _thing(others[int(rng.integers(len(others)))], 0.6)
    pan, speed = rng.uniform(-2, 2, 2) * (number % 2), rng.uniform(4, 9) * rng.choice([-1, 1])
    parts, (joint, far) = (halves(own) if kind == "half" else [own]), swings(own, number)
    frames, cover = [], []
    for t in range(FRAMES):
        aside = pan * (t - MIDDLE)
        margin = (np.array(ground.shape[1::-1]) - SIZE) / 2 + aside
        pixels = cv2.warpAffine(ground, _shift(*-margin), SIZE, borderMode=cv2.BORDER_REFLECT)
        if kind == "passing":
            middle = (width - other.shape[1]) / 2 + speed * (t - MIDDLE)
            walker = cv2.warpAffine(other, _shift(middle, 0.25 * height - other.shape[0] / 2), SIZE)
            pixels = walker[..., :3] + (1 - walker[..., 3:]) * pixels
        place = _shift((width - own.shape[1]) / 2 - aside[0], 0.55 * height - own.shape[0] / 2 - aside[1])  # fmt: skip
        shown = np.zeros((height, width, 4), np.float32)
        for part in parts:
            one = cv2.warpAffine(part, place, SIZE)
            shown = one + (1 - one[..., 3:]) * shown
            bend = cv2.getRotationMatrix2D(joint, far * np.sin((t - MIDDLE) / 5), 1)
            place = place @ np.vstack([bend, [0, 0, 1]])
        mixed = shown[..., :3] + (1 - shown[..., 3:]) * pixels
        noisy = np.clip(mixed * 255 + rng.normal(0, 3, mixed.shape), 0, 255).astype(np.uint8)
        _, coded = cv2.imencode(".jpg", noisy[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 80])
        rgb = cv2.imdecode(coded, cv2.IMREAD_COLOR)[..., ::-1]
        frames.append(np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)]))
        cover.append(np.asarray(shown[..., 3], np.float32))
    return Film(subjects[number % len(subjects)].stem, frames, cover)


def _thing(path: Path, size: float) -> F32:
    """A cut-out (h, w, 4) that fills so much of what a subject may fill of the picture."""
    both = np.dstack(cutout(path))
    k = size * 0.6 * min(SIZE[1] / both.shape[0], SIZE[0] / both.shape[1])
    return np.asarray(cv2.resize(both, None, fx=k, fy=k, interpolation=cv2.INTER_AREA), np.float32)


def _shift(x: float, y: float) -> np.ndarray:
    return np.array([[1, 0, x], [0, 1, y]], np.float64)


def overlaps(of: Film, number: int, at: int) -> list[list[float]]:
    """The overlap of a frame's region with the truth after so many strokes: by themselves, and with what is left over."""
    looks, truth = [seen(one) for one in of.frames], of.truth(at)
    sides = around(at, 0, len(looks) - 1, Fraction(RATE))
    here = looked(looks[at], *([looks[n] for n in side] for side in sides))
    return [_after(one, truth, number) for one in (looks[at], here)]


def _after(look: Seen, truth: Where, number: int) -> list[float]:
    rng, made = rng_of(number, 5), []
    marks = Marks.of(line_in(truth, rng), line_in(~truth, rng) | line_in(~truth, rng))
    for strokes in range(STROKES[0], STROKES[-1] + 1):
        region = found(look.f, marks, moved=look.moved) > 0
        if strokes in STROKES:
            made.append(iou(region, truth))
        if (region != truth).any():
            marks = mended(marks, region, truth, rng)
    return made


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cutouts", type=Path, required=True)
    parser.add_argument("--photos", type=Path, required=True)
    parser.add_argument("--unseen", action="store_true", help="the part that nothing is chosen on")
    given = parser.parse_args()
    subjects, photos = (sorted(one.glob("*.png")) for one in (given.cutouts, given.photos))
    print(
        f"machine load {os.getloadavg()[0]:.1f}; {'unseen' if given.unseen else 'seen'}; mean IoU after {STROKES} strokes"
    )
    for kind in KINDS:
        rows = []
        for n in range(SCENES * len(subjects)):
            if (n % len(subjects) % 3 == 2) != given.unseen:
                continue
            photo = photos[int(rng_of(n, 7).integers(len(photos)))]
            moves = kind in ("first", "middle")
            of = film(n, subjects[n % len(subjects)], photo) if moves else staged(n, kind, subjects, photo)  # fmt: skip
            rows.append(overlaps(of, n, MIDDLE if kind == "middle" else 0))
        alone, both = np.mean(rows, 0)
        print(f"  {kind:8} {len(rows)} scenes  by themselves " + " ".join(f"{v:.3f}" for v in alone)
              + "; with what is left over " + " ".join(f"{v:.3f}" for v in both), flush=True)  # fmt: skip


if __name__ == "__main__":
    main()
