"""The difference key on takes with a camera that stands still, beside background subtractors that are ready to be had.

A photo cut-out walks through a photograph, with its shadow; there are grain, JPEG and light that drifts, in some a tape that
waves, in some leaves that sway. The plate is the median of the take. Every third subject is unseen.

    python -m bench.differences --cutouts FOLDER --photos FOLDER [--unseen]
"""

from __future__ import annotations

import argparse
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.subjects import F32, cutout, rng_of
from velvet_seam.core.mattes.difference import FLUTTER_FRAMES, MEDIAN_FRAMES
from velvet_seam.core.picture import difference_key as key
from velvet_seam.core.picture.colour import delta_e
from velvet_seam.core.picture.flutter import flutter, median_plate

FRAMES, SIZE = 49, (405, 720)
LOOKED_AT = range(8, 42, 4)

Picture = NDArray[np.uint8]


def take(
    number: int, subject: Path, photo: Path
) -> tuple[list[Picture], list[F32], list[F32], list[F32]]:
    """Frames (h, w, 4) uint8, their coverage, the scene without the subject as it was at each, and the subject's own
    colours, premultiplied."""
    rng, (width, height) = rng_of(number, 91), SIZE
    wall = cv2.imread(str(photo))[..., ::-1].astype(np.float32) / 255
    k = max(width / wall.shape[1], height / wall.shape[0]) * 1.02
    wall = cv2.resize(wall, None, fx=k, fy=k, interpolation=cv2.INTER_AREA)[:height, :width]
    colour, alpha = cutout(subject)
    k = min(0.55 * height / alpha.shape[0], 0.55 * width / alpha.shape[1])
    both = np.dstack([colour, alpha])
    y, x = np.mgrid[:height, :width].astype(np.float32)
    tape, leaves = number % 3 == 0, number % 3 == 1
    hung, tone = rng.uniform(0.2, 0.8) * width, rng.uniform(0.2, 0.9, 3)
    swing, period = rng.uniform(6, 14), rng.uniform(15, 25)
    spot = rng.uniform(0.2, 0.8, 2) * (width, height)
    frames, cover, bare, owns = [], [], [], []
    for t in range(FRAMES):
        scene = wall
        if leaves:
            near = np.exp(-((x - spot[0]) ** 2 + (y - spot[1]) ** 2) / (2 * 90.0**2))
            sway = 3.5 * near * np.sin(2 * np.pi * (t / period + (x + y) / 70))
            scene = cv2.remap(
                scene,
                (x + sway).astype(np.float32),
                (y + 0.5 * sway).astype(np.float32),
                cv2.INTER_LINEAR,
                borderMode=cv2.BORDER_REFLECT,
            )
        if tape:
            at = hung + swing * np.sin(2 * np.pi * (t / period + y / 260)) * y / height
            band = (
                np.clip((7 - np.abs(x - at)) + 0.5, 0, 1)[..., None] * (y < 0.7 * height)[..., None]
            )
            scene = scene * (1 - band) + band * tone
        scene = scene * (1 + 0.03 * np.sin(2 * np.pi * t / 37 + number))
        move = np.array(
            [
                [k, 0, -0.35 * width + 1.3 * width * t / FRAMES],
                [0, k, height * 0.98 - k * alpha.shape[0]],
            ]
        )
        own = cv2.warpAffine(both, move, SIZE, flags=cv2.INTER_AREA)
        a = np.clip(own[..., 3], 0, 1)
        thrown = cv2.GaussianBlur(
            cv2.warpAffine(a, np.array([[1.0, 0, 14], [0, 1, 10]]), SIZE), (0, 0), 8
        )
        shown = own[..., :3] + (1 - a[..., None]) * scene * (1 - 0.25 * thrown[..., None])
        noisy = np.clip(shown * 255 + rng.normal(0, 2.5, shown.shape), 0, 255).astype(np.uint8)
        _, coded = cv2.imencode(".jpg", noisy[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 82])
        rgb = cv2.imdecode(coded, cv2.IMREAD_COLOR)[..., ::-1]
        frames.append(np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)]))
        cover.append(a)
        bare.append(np.clip(scene, 0, 1).astype(np.float32))
        owns.append(own[..., :3])
    return frames, cover, bare, owns


def off(found: F32, cover: F32) -> float:
    return float(1000 * ((found - cover) ** 2).mean())


def colour_off(cut: F32, own: F32, cover: F32) -> float:
    """ΔE of the subject's colour where it is partly covered, as :func:`bench.quality.errors` has it."""
    a = cut[..., 3]
    part = (cover > 0.05) & (cover < 0.95) & (a > 0.04)
    got = (cut[part][:, :3] / a[part][:, None]).clip(0, 1)
    return float(delta_e(got, (own[part] / cover[part][:, None]).clip(0, 1)).mean())


def ours(frames: list[Picture], cover: list[F32], owns: list[F32]) -> list[tuple[float, float]]:
    """Of each frame that is looked at the error of coverage and that of colour."""
    last = len(frames) - 1
    numbers = sorted({round(n * last / (MEDIAN_FRAMES - 1)) for n in range(MEDIAN_FRAMES)})
    plate = median_plate([frames[n] for n in numbers])
    seen = [
        frames[n]
        for n in sorted({round(n * last / (FLUTTER_FRAMES - 1)) for n in range(FLUTTER_FRAMES)})
    ]
    flutters = flutter(seen, plate)
    cuts = {
        n: key.difference_key(
            frames[n], key.known_before(key.TOLERANCE, frames[n], plate, flutters)
        ).astype(np.float32)
        / np.float32(255)
        for n in LOOKED_AT
    }
    return [
        (off(cut[..., 3], cover[n]), colour_off(cut, owns[n], cover[n])) for n, cut in cuts.items()
    ]


def subtracted(make: str, frames: list[Picture], cover: list[F32]) -> list[float]:
    """A ready-made subtractor that has seen the whole take before; its mask as it is, or calmed, whichever is better."""
    model = getattr(cv2, f"createBackgroundSubtractor{make}")(history=FRAMES, detectShadows=True)
    for one in frames:
        model.apply(one[..., :3])
    masks = [model.apply(one[..., :3], learningRate=0) for one in frames]
    rows = []
    for size in (0, 5):
        hard = [masks[n] if not size else cv2.medianBlur(masks[n], size) for n in LOOKED_AT]
        rows.append(
            [
                off((one > 200).astype(np.float32), cover[n])
                for one, n in zip(hard, LOOKED_AT, strict=True)
            ]
        )
    return min(rows, key=np.mean)


def threshold(frames: list[Picture], cover: list[F32], bare: list[F32]) -> list[float]:
    """The best threshold of the difference from the mean of the true scene without the subject, for each take."""
    plate = np.mean(bare, 0)
    apart = {n: np.abs(frames[n][..., :3] / 255 - plate).max(2) for n in LOOKED_AT}
    rows = [
        [
            off(np.clip((apart[n] - at) / 0.06 + 0.5, 0, 1).astype(np.float32), cover[n])
            for n in LOOKED_AT
        ]
        for at in np.linspace(0.03, 0.5, 40)
    ]
    return min(rows, key=np.mean)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cutouts", type=Path, required=True)
    parser.add_argument("--photos", type=Path, required=True)
    parser.add_argument("--unseen", action="store_true")
    given = parser.parse_args()
    photos, rows, colours = sorted(given.photos.glob("*.png")), [], []
    for n, subject in enumerate(sorted(given.cutouts.glob("*.png"))):
        if (n % 3 == 2) != given.unseen:
            continue
        for number in (n, n + 41):
            frames, cover, bare, owns = take(
                number, subject, photos[int(rng_of(number).integers(len(photos)))]
            )
            found = np.array(ours(frames, cover, owns))
            colours.append(np.nanmean(found[:, 1]))
            row = [float(np.mean(one)) for one in (found[:, 0], threshold(frames, cover, bare),
                   subtracted("MOG2", frames, cover), subtracted("KNN", frames, cover))]  # fmt: skip
            rows.append(row)
            kind = ("tape", "leaves", "still")[number % 3]
            print(f"  {subject.stem:20} {kind:7} " + " ".join(f"{v:7.2f}" for v in row) + f"  {row[0] / min(row[1:]):.2f} of the best", flush=True)  # fmt: skip
    every = np.array(rows)
    print("  this, best threshold, MOG2, KNN: MSE x 1000; geometric mean " + " ".join(f"{v:.2f}" for v in np.exp(np.log(every).mean(0)))
          + f"; better than the best of them on {(every[:, 0] < every[:, 1:].min(1)).sum()} of {len(every)}; "
          f"colour {np.mean(colours):.1f}")  # fmt: skip


if __name__ == "__main__":
    main()
