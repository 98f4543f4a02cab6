"""Roto on clips with exact coverage: cut-outs that move, turn, swing and grow over photographs, camera still or panning,
with the strokes of a simulated user.

The user draws one rough line inside the subject and two around it on the first frame; then again and again goes to the
frame that is worst and draws a line where it is most wrong, thinner than what is wrong; or, with ``--one-frame``, goes on
with the first frame alone. Regions are carried and mixed as the application does it. Every third clip is unseen: no number
was chosen on it, though its cut-out stood in other scenes by which some were.

    python -m bench.roto --cutouts FOLDER --photos FOLDER [--unseen]
"""

from __future__ import annotations

import argparse
import os
import warnings
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.subjects import F32, cutout, rng_of
from velvet_seam.core.roto.carry import between, carried, corrected
from velvet_seam.core.roto.features import SHORT, SHORT_SIDES, solve_size
from velvet_seam.core.roto.first import Marks, found, inside_of
from velvet_seam.core.roto.moved import looked
from velvet_seam.core.roto.residual import around
from velvet_seam.core.roto.seen import Seen, seen
from velvet_seam.core.roto.soft import band_of, soft_matte
from velvet_seam.core.roto.telling import painted_sample

Where = NDArray[np.bool_]
FRAMES, STRIDE, SIZE, RATE = 26, 2, (540, 960), 25
"""How many frames at 25 a second, over how many a region is carried, and the size of a picture."""


@dataclass(frozen=True)
class Film:
    """Frames (h, w, 4) uint8 and their coverage."""

    name: str
    frames: list[NDArray[np.uint8]]
    cover: list[F32]

    def truth(self, n: int, short: int = SHORT) -> Where:
        tall, wide = self.cover[n].shape
        height, width = solve_size(tall, wide, short)
        return cv2.resize(self.cover[n], (width, height), interpolation=cv2.INTER_AREA) > 0.5


def film(number: int, subject: Path, photo: Path, rate: int = RATE, jointed: bool = False) -> Film:
    """The same movement at any rate; where it is ``jointed``, one half of the subject swings at the other by 15 to 40
    degrees to either side."""
    rng, (width, height) = rng_of(number, 31), SIZE
    ground = cv2.imread(str(photo))[..., ::-1].astype(np.float32) / 255
    k = max(width / ground.shape[1], height / ground.shape[0]) * 1.25
    ground = cv2.resize(ground, None, fx=k, fy=k, interpolation=cv2.INTER_CUBIC)
    colour, alpha = cutout(subject)
    tall, wide = alpha.shape
    k = min(0.6 * height / tall, 0.6 * width / wide) * rng.uniform(0.7, 1)
    both = np.dstack([colour, alpha])
    moved = width / 540
    pan, speed = moved * rng.uniform(-3, 3, 2) * (number % 2), moved * rng.uniform(-6, 6, 2)
    spin, swing = rng.uniform(-1.5, 1.5), rng.uniform(0, 30)
    parts, (joint, far) = (halves(both) if jointed else [both]), swings(both, number)
    frames, cover = [], []
    for t in np.arange(0, FRAMES, RATE / rate):
        left, top = (
            (a - b) / 2 + p * (t - 12)
            for a, b, p in zip(ground.shape[1::-1], SIZE, pan, strict=True)
        )
        below = cv2.warpAffine(
            ground, np.array([[1, 0, -left], [0, 1, -top]]), SIZE, borderMode=cv2.BORDER_REFLECT
        )
        turn = cv2.getRotationMatrix2D(
            (wide / 2, tall / 2),
            spin * (t - 12) + 0.3 * swing * np.sin(t / 5),
            k * (1 + 0.004 * (t - 12)),
        )
        turn[:, 2] += [
            (width - wide) / 2 + speed[0] * (t - 12) + moved * swing * np.sin(t / 4),
            (height - tall) / 2 + speed[1] * (t - 12),
        ]
        own = np.zeros((height, width, 4), np.float32)
        for one in parts:
            shown = cv2.warpAffine(
                one, turn, SIZE, flags=cv2.INTER_AREA if k < 1 else cv2.INTER_LINEAR
            )
            own = shown + (1 - shown[..., 3:]) * own
            bend = cv2.getRotationMatrix2D(joint, far * np.sin((t - 12) / 5), 1)
            turn = turn @ np.vstack([bend, [0, 0, 1]])
        mixed = own[..., :3] + (1 - own[..., 3:]) * below
        noisy = np.clip(mixed * 255 + rng.normal(0, 3, mixed.shape), 0, 255).astype(np.uint8)
        _, coded = cv2.imencode(".jpg", noisy[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 80])
        shown = cv2.imdecode(coded, cv2.IMREAD_COLOR)[..., ::-1]
        frames.append(np.dstack([shown, np.full(shown.shape[:2], 255, np.uint8)]))
        cover.append(own[..., 3])
    return Film(subject.stem, frames, cover)


def halves(both: F32) -> list[F32]:
    """A thing (h, w, 4) in two, along its longer side."""
    first = both.copy()
    first[
        np.s_[both.shape[0] // 2 :]
        if both.shape[0] > both.shape[1]
        else np.s_[:, both.shape[1] // 2 :]
    ] = 0
    return [first, both - first]


def swings(both: F32, number: int) -> tuple[tuple[float, float], float]:
    """Column and row at which one half swings, amid what the two share, and by how many degrees."""
    tall, wide = both.shape[:2]
    across = both[tall // 2, :, 3] if tall > wide else both[:, wide // 2, 3]
    middle = float(np.flatnonzero(across > 0.5).mean()) if (across > 0.5).any() else across.size / 2
    joint = (middle, tall / 2) if tall > wide else (wide / 2, middle)
    return joint, float(rng_of(number, 991).uniform(15, 40))


def line_in(region: Where, rng: np.random.Generator, width: float = 2.0) -> Where:
    """A rough stroke inside a region: from one place deep in it to another, by way of a third."""
    deep = cv2.distanceTransform(np.pad(region, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    places = np.argwhere(deep > max(min(0.5 * deep.max(), 3 * width), 1.0))
    if not len(places):
        places = np.argwhere(deep >= deep.max())
    at = [places[int(np.argmax(deep[tuple(places.T)]))]]
    for _ in range(2):
        apart = np.min([np.hypot(*(places - one).T) for one in at], 0)
        at.append(places[int(rng.choice(np.argsort(apart)[-max(1, len(places) // 8) :]))])
    out = np.zeros(region.shape, np.uint8)
    for a, b in ((at[1], at[0]), (at[0], at[2])):
        for s in np.linspace(0, 1, 2 * int(np.hypot(*(b - a))) + 2):
            y, x = (int(v) for v in a + s * (b - a))
            if deep[y, x] > width:
                cv2.circle(out, (x, y), round(width / 2), 1, -1)
    out[tuple(at[0])] = 1
    return (out > 0) & region


def mended(held: Marks | None, region: Where, truth: Where, rng: np.random.Generator) -> Marks:
    """Strokes, and one more where a region is most wrong."""
    wrong = region != truth
    deep = cv2.distanceTransform(np.pad(wrong, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    place = np.unravel_index(int(np.argmax(deep)), deep.shape)
    _, labels = cv2.connectedComponents(wrong.astype(np.uint8), connectivity=4)
    stroke = line_in(labels == labels[place], rng, 1.0)
    none = np.zeros_like(stroke)
    held = held or Marks(none, none)
    keep = bool(truth[place])
    return Marks.of(
        (held.keep | stroke) if keep else held.keep & ~stroke,
        held.drop & ~stroke if keep else held.drop | stroke,
    )


def iou(a: Where, b: Where) -> float:
    every = (a | b).sum()
    return float((a & b).sum() / every) if every else 1.0


def looks_at(of: Film, rate: Fraction = Fraction(RATE), short: int = SHORT) -> list[Seen]:
    """All frames of a film as roto looks at them."""
    bare, made = [seen(one, short) for one in of.frames], []
    for n, here in enumerate(bare):
        before, after = around(n, 0, len(bare) - 1, rate)
        made.append(looked(here, [bare[m] for m in before], [bare[m] for m in after]))
    return made


class User:
    """Strokes of one film, and the regions that come of them."""

    def __init__(self, of: Film, stride: int = STRIDE, short: int = SHORT) -> None:
        self.film, self.stride, self.rng = of, stride, rng_of(len(of.name), 5)
        self.looks = looks_at(of, short=short)
        self.truths = [of.truth(n, short) for n in range(FRAMES)]
        first, width = self.truths[0], 2.0 * short / SHORT
        around = (line_in(~first, self.rng, width) for _ in range(2))
        self.marks = {0: Marks.of(line_in(first, self.rng, width), np.logical_or(*around))}
        self.strokes = 3

    def regions(self) -> list[F32]:
        """Of every frame: found on the first, put right on the others that are painted, carried from the nearest of them,
        or mixed of two."""
        made = {0: found(self.looks[0].f, self.marks[0], moved=self.looks[0].moved)}
        painted = {0: painted_sample(made[0], self.looks[0])}
        ways: dict[tuple[int, int], F32] = {}

        def to(whence: int, n: int) -> F32:
            if whence == n:
                return made[n]
            if (whence, n) not in ways:
                stops = (abs(n - whence) - 1) // self.stride * self.stride
                at = whence + (stops if n > whence else -stops)
                ways[whence, n] = carried(
                    to(whence, at), self.looks[at], self.looks[n], painted[whence]
                )
            return ways[whence, n]

        nodes = sorted(self.marks)
        for before, n in pairwise(nodes):
            made[n] = corrected(to(before, n), self.looks[n], self.marks[n])
            painted[n] = painted_sample(made[n], self.looks[n])
        for before, after in pairwise([*nodes, None]):
            for n in range(before + 1, FRAMES if after is None else after):
                made[n] = to(before, n)
                if after is not None:
                    part = (n - before) / (after - before)
                    made[n] = between(made[n], to(after, n), part)
        return [made[n] for n in range(FRAMES)]

    def again(self, regions: list[F32], one_frame: bool = False) -> None:
        """A stroke where the worst frame is most wrong, or where the first one is."""
        n = 0 if one_frame else int(np.argmin(self.overlaps(regions)))
        self.marks[n] = mended(self.marks.get(n), regions[n] > 0, self.truths[n], self.rng)
        self.strokes += 1

    def overlaps(self, regions: list[F32]) -> list[float]:
        return [iou(one > 0, true) for one, true in zip(regions, self.truths, strict=True)]

    def finals(self, regions: list[F32]) -> list[float]:
        """Overlap of the final mattes with the coverage at full size, both where they are over a half."""
        return [
            iou(soft_matte(frame, one)[..., 3] > 127, cover > 0.5)
            for one, frame, cover in zip(regions, self.film.frames, self.film.cover, strict=True)
        ]


def final(of: Film, n: int) -> tuple[float, float, float]:
    """The final matte's mean squared error × 1000 where the region is the true one: feathered, closed form on the same
    band, and this."""
    from pymatting import estimate_alpha_cf

    inside, cover = inside_of(of.truth(n)), of.cover[n]
    deep = cv2.resize(inside, cover.shape[::-1]) * (cover.shape[0] / inside.shape[0])
    trimap = np.where(deep > 0, 1.0, 0.0)
    trimap[np.abs(deep) < band_of(cover.shape)] = 0.5
    theirs = estimate_alpha_cf(of.frames[n][..., :3] / 255, trimap)
    ours = soft_matte(of.frames[n], inside)[..., 3] / 255
    return tuple(
        float(1000 * ((one - cover) ** 2).mean())
        for one in (np.clip(deep / 3 + 0.5, 0, 1), theirs, ours)
    )  # type: ignore[return-value]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cutouts", type=Path, required=True)
    parser.add_argument("--photos", type=Path, required=True)
    parser.add_argument("--unseen", action="store_true", help="the part that nothing is chosen on")
    parser.add_argument("--jointed", action="store_true", help="half of each subject swings")
    parser.add_argument("--one-frame", action="store_true", help="all strokes on the first frame")
    parser.add_argument("--strokes", type=int, default=20)
    parser.add_argument("--detail", choices=list(SHORT_SIDES), default="usual")
    parser.add_argument(
        "--stride", type=int, default=STRIDE, help="frames over which it is carried"
    )
    given = parser.parse_args()
    warnings.simplefilter("ignore")
    photos = sorted(given.photos.glob("*.png"))
    subjects = [
        (n, one)
        for n, one in enumerate(sorted(given.cutouts.glob("*.png")))
        if (n % 3 == 2) == given.unseen
    ]
    print(
        f"machine load {os.getloadavg()[0]:.1f}; {len(subjects)} clips, {'unseen' if given.unseen else 'seen'}; mean IoU over {FRAMES} frames"
    )
    counts, rows = sorted({3, min(11, given.strokes), given.strokes}), []
    for n, subject in subjects:
        of = film(n, subject, photos[int(rng_of(n).integers(len(photos)))], jointed=given.jointed)
        user, row = User(of, given.stride, SHORT_SIDES[given.detail]), []
        true = inside_of(user.truths[0])
        painted = painted_sample(true, user.looks[0])
        for m in range(given.stride, 11, given.stride):
            true = carried(true, user.looks[m - given.stride], user.looks[m], painted)
        row.append(iou(true > 0, user.truths[10]))
        while True:
            regions = user.regions()
            if user.strokes in counts:
                row += [np.mean(user.overlaps(regions)), np.mean(user.finals(regions))]
            if user.strokes >= given.strokes:
                break
            user.again(regions, given.one_frame)
        row += final(of, 12)
        rows.append(row)
        said = ", ".join(
            f"{k}: {a:.3f} {b:.3f}"
            for k, a, b in zip(counts, row[1:-3:2], row[2:-3:2], strict=True)
        )
        print(f"  {of.name:20} 10 frames on {row[0]:.3f}; after strokes, region and final matte: {said}"
              "; final of the true region feathered, closed form, this " + " ".join(f"{v:.2f}" for v in row[-3:]), flush=True)  # fmt: skip
    print("  mean " + " ".join(f"{v:.3f}" for v in np.mean(rows, 0)))


if __name__ == "__main__":
    main()
