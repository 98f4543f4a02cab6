"""Whether what a carried region is doubted for is wrong: precision and recall of the frames to be looked at.

The films are those of ``bench/roto.py``, longer and three of each subject, begun with the true region. A frame is wrong
where its region has an overlap with the true one below 0.95. Every third subject is unseen: neither the threshold nor what
is left of a stray was chosen on it.

    python -m bench.roto_doubt --cutouts FOLDER --photos FOLDER [--unseen]
"""

from __future__ import annotations

import argparse
from fractions import Fraction
from pathlib import Path

import numpy as np

from bench import roto
from bench.roto import F32, RATE, SIZE, STRIDE, film, iou, looks_at
from bench.subjects import rng_of
from velvet_seam.core.roto.carry import between, carried
from velvet_seam.core.roto.doubt import LOOK, apart, doubt, strayed
from velvet_seam.core.roto.first import inside_of
from velvet_seam.core.roto.telling import painted_sample

FRAMES, WRONG = 39, 0.95
SCENES = (0, 50, 100)
"""What is added to a subject's number, for another photograph and another movement."""


def judged(
    number: int, subject: Path, photo: Path, rate: int, stride: int, jointed: bool = False
) -> tuple[list[tuple[float, float]], list[tuple[float, float]]]:
    """Of one film, (doubt, overlap) of every second frame: carried from the first, and mixed of first and last."""
    of = film(number, subject, photo, rate, jointed)
    last = (len(of.frames) - 1) // stride * stride
    every = looks_at(of, Fraction(rate))
    looks = {n: every[n] for n in range(0, last + 1, stride)}
    truths = {n: of.truth(n) for n in looks}
    ahead: dict[int, F32] = {0: inside_of(truths[0])}
    back: dict[int, F32] = {last: inside_of(truths[last])}
    first, end = (painted_sample(one[n], looks[n]) for one, n in ((ahead, 0), (back, last)))
    far, alone = 0.0, []
    for n in range(stride, last + 1, stride):
        ahead[n] = carried(ahead[n - stride], looks[n - stride], looks[n], first)
        far = strayed(ahead[n - stride], looks[n - stride], ahead[n], looks[n], first, far)
        alone.append((doubt(ahead[n], far), iou(ahead[n] > 0, truths[n])))
    for n in range(last - stride, -1, -stride):
        back[n] = carried(back[n + stride], looks[n + stride], looks[n], end)
    mixed = []
    for n in range(stride, last, stride):
        both = between(ahead[n], back[n], n / last)
        mixed.append((apart(both, ahead[n], back[n]), iou(both > 0, truths[n])))
    return alone, mixed


def told(rows: list[tuple[float, float]]) -> str:
    doubts, overlaps = np.array(rows).T
    wrong, flagged = overlaps < WRONG, doubts > LOOK
    both = int((wrong & flagged).sum())
    return (
        f"{len(rows)} frames, overlap {overlaps.mean():.3f}, {wrong.mean():.0%} wrong, {flagged.mean():.0%} to be looked at: "
        f"precision {both / max(flagged.sum(), 1):.2f}, recall {both / max(wrong.sum(), 1):.2f}"
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cutouts", type=Path, required=True)
    parser.add_argument("--photos", type=Path, required=True)
    parser.add_argument("--unseen", action="store_true", help="the part that nothing is chosen on")
    parser.add_argument("--rate", type=int, default=RATE, help="frames a second")
    parser.add_argument(
        "--stride", type=int, default=STRIDE, help="frames over which it is carried"
    )
    parser.add_argument("--size", type=int, nargs=2, default=SIZE, help="of a picture")
    parser.add_argument("--scenes", type=int, default=len(SCENES))
    parser.add_argument("--jointed", action="store_true", help="half of each subject swings")
    given = parser.parse_args()
    roto.FRAMES, roto.SIZE = FRAMES, tuple(given.size)
    photos = sorted(given.photos.glob("*.png"))
    alone: list[tuple[float, float]] = []
    mixed: list[tuple[float, float]] = []
    for n, subject in enumerate(sorted(given.cutouts.glob("*.png"))):
        if (n % 3 == 2) != given.unseen:
            continue
        for more in SCENES[: given.scenes]:
            number = n + more
            photo = photos[int(rng_of(number).integers(len(photos)))]
            one, two = judged(number, subject, photo, given.rate, given.stride, given.jointed)
            alone += one
            mixed += two
        print(f"  {subject.stem:20} {told(alone[-len(one) * given.scenes :])}", flush=True)
    print(f"carried from one painted frame: {told(alone)}")
    print(f"between two: {told(mixed)}")


if __name__ == "__main__":
    main()
