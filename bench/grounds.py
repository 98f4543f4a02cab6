"""Subjects before white, grey and black grounds, with shadows: how near the ground key comes, beside what else there is.

Photo cut-outs, and drawn hair, lie before a plain ground whose light falls off; where it is not black they throw a soft
shadow on it and a darker one where they touch. Every third subject is unseen.

    python -m bench.grounds --cutouts FOLDER [--unseen]
"""

from __future__ import annotations

import argparse
import time
import warnings
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.subjects import F32, cutout, rng_of
from velvet_seam.core.roto.ground_key import ground_key

GROUNDS = {"white": (0.86, 0.97), "grey": (0.35, 0.62), "black": (0.03, 0.09)}
SIZE = (540, 960)


def case(number: int, subject: Path, kind: str) -> tuple[NDArray[np.uint8], F32, F32, F32]:
    """A picture (h, w, 4) uint8, its true coverage, what of the ground's light is left, and the ground."""
    rng, (width, height) = rng_of(number, 77), SIZE
    colour, alpha = cutout(subject)
    k = min(0.7 * height / alpha.shape[0], 0.7 * width / alpha.shape[1]) * rng.uniform(0.7, 1)
    move = np.array(
        [
            [k, 0, (width - k * alpha.shape[1]) / 2 + rng.uniform(-40, 40)],
            [0, k, (height - k * alpha.shape[0]) / 2 + rng.uniform(-90, 90)],
        ]
    )
    own = cv2.warpAffine(np.dstack([colour, alpha]), move, SIZE, flags=cv2.INTER_AREA)
    cover = np.clip(own[..., 3], 0, 1)
    y, x = np.mgrid[:height, :width].astype(np.float32)
    falls = (
        1
        - rng.uniform(0, 0.3)
        * np.hypot((x - rng.uniform(0, width)) / width, (y - rng.uniform(0, height)) / height) ** 2
        / 2
    )
    tint = 1 + rng.uniform(-0.025, 0.025, 3)
    ground = np.clip(rng.uniform(*GROUNDS[kind]) * falls[..., None] * tint, 0, 1).astype(np.float32)
    left = np.ones_like(cover)
    if kind != "black":
        for wide, deep, shift in (
            (rng.uniform(12, 34), rng.uniform(0.12, 0.4), rng.uniform(10, 45)),
            (rng.uniform(3, 9), rng.uniform(0.2, 0.55), rng.uniform(2, 9)),
        ):
            thrown = cv2.warpAffine(
                cover, np.array([[1, 0, shift * rng.uniform(-1, 1)], [0, 1, shift]]), SIZE
            )
            left = left * (1 - deep * cv2.GaussianBlur(thrown, (0, 0), wide))
    mixed = own[..., :3] + (1 - cover[..., None]) * ground * left[..., None]
    noisy = np.clip(mixed * 255 + rng.normal(0, rng.uniform(1, 3), mixed.shape), 0, 255).astype(
        np.uint8
    )
    _, coded = cv2.imencode(
        ".jpg", noisy[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, int(rng.integers(75, 95))]
    )
    shown = cv2.imdecode(coded, cv2.IMREAD_COLOR)[..., ::-1]
    return np.dstack([shown, np.full((height, width), 255, np.uint8)]), cover, left, ground


def by_light(picture: NDArray[np.uint8], cover: F32) -> float:
    """The least error of any threshold of brightness, either way, soft over a tenth."""
    luma = picture[..., :3].mean(2) / 255
    errors = []
    for at in np.linspace(0.02, 0.98, 49):
        soft = np.clip((luma - at) / 0.1 + 0.5, 0, 1)
        errors += [float(((soft - cover) ** 2).mean()), float(((1 - soft - cover) ** 2).mean())]
    return min(errors)


def by_plate(picture: NDArray[np.uint8], cover: F32, ground: F32) -> float:
    """The least error of any threshold of the difference from the true ground without its shadows."""
    apart = np.abs(picture[..., :3] / 255 - ground).max(2)
    return min(
        float(((np.clip((apart - at) / 0.06 + 0.5, 0, 1) - cover) ** 2).mean())
        for at in np.linspace(0.02, 0.6, 59)
    )


def by_closed_form(picture: NDArray[np.uint8], cover: F32) -> float:
    from pymatting import estimate_alpha_cf

    solid = cv2.erode((cover > 0.98).astype(np.uint8), np.ones((7, 7)))
    clear = cv2.erode((cover < 0.02).astype(np.uint8), np.ones((7, 7)))
    trimap = np.where(solid > 0, 1.0, np.where(clear > 0, 0.0, 0.5))
    return float(((estimate_alpha_cf(picture[..., :3] / 255, trimap) - cover) ** 2).mean())


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cutouts", type=Path, required=True)
    parser.add_argument("--unseen", action="store_true")
    parser.add_argument(
        "--round", type=int, default=0, help="the same subjects, lit and laid otherwise"
    )
    parser.add_argument("--quick", action="store_true", help="without closed form")
    given = parser.parse_args()
    warnings.simplefilter("ignore")
    rows, kinds = [], []
    for n, subject in enumerate(sorted(given.cutouts.glob("*.png"))):
        if (n % 3 == 2) != given.unseen:
            continue
        for m, kind in enumerate(GROUNDS):
            picture, cover, left, ground = case(3 * n + m + 1000 * given.round, subject, kind)
            begin = time.perf_counter()
            cut = ground_key(picture, keep_shadows=1.0)
            took = time.perf_counter() - begin
            bare = ground_key(picture, keep_shadows=0.0)[..., 3] / 255
            beside = np.array([0.35, 0.5, 0.7])
            want = 255 * (1 - cover[..., None]) * left[..., None] * beside
            have = cut[..., :3] + (1 - cut[..., 3:] / 255) * beside * 255
            out = cover < 0.02
            shadow = float(np.sqrt(((have - want)[out] ** 2).mean()))
            none = float(np.sqrt(((255 * beside * np.ones_like(want) - want)[out] ** 2).mean()))
            solid = cover > 0.995
            row = [1000 * float(((bare - cover) ** 2).mean()), 1000 * by_light(picture, cover), 1000 * by_plate(picture, cover, ground),
                   0.0 if given.quick else 1000 * by_closed_form(picture, cover), 100 * float((bare[solid] < 0.98).mean()), shadow, none, 1000 * took]  # fmt: skip
            rows.append(row)
            kinds.append(kind)
            print(f"  {subject.stem:20} {kind:6} " + " ".join(f"{v:7.2f}" for v in row), flush=True)
    print(
        "  this, light, plate, closed form: MSE x 1000; solid under 0.98, %; shadow laid over another ground, RMS levels, and without it; ms"
    )
    for kind in (*GROUNDS, ""):
        some = np.array([row for row, one in zip(rows, kinds, strict=True) if kind in ("", one)])
        print(f"  {kind or 'all':6} geometric mean " + " ".join(f"{v:.2f}" for v in np.exp(np.log(some[:, :4] + 0.01).mean(0))) + "; mean "
              + " ".join(f"{v:.2f}" for v in some.mean(0)))  # fmt: skip


if __name__ == "__main__":
    main()
