"""What *Fringe* does to the final matte: furry things, for which it is there, and everything else, along their true regions.

Drawn balls of fur and of hair (each hair's coverage known), and photo cut-outs, over photographs, one frame each. Fur is what
the value's words were chosen on, hair and the cut-outs are not.

    python -m bench.fringe --cutouts FOLDER --photos FOLDER
"""

from __future__ import annotations

import argparse
import os
import time
import warnings
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.roto import film
from bench.subjects import F32, drawn, rng_of
from velvet_seam.core.roto.features import solve_size
from velvet_seam.core.roto.first import inside_of
from velvet_seam.core.roto.soft import soft_matte

FRINGES = (0.5, 1.0, 2.0, 4.0, 6.0)


def over_photo(kind: str, seed: int, photo: Path) -> tuple[NDArray[np.uint8], F32]:
    """A drawn thing over a photograph, 540 × 960, noisy and through JPEG; and its coverage."""
    rng, (width, height) = rng_of(seed, 41), (540, 960)
    ground = cv2.imread(str(photo))[..., ::-1].astype(np.float32) / 255
    k = max(width / ground.shape[1], height / ground.shape[0])
    ground = cv2.resize(ground, None, fx=k, fy=k, interpolation=cv2.INTER_CUBIC)[:height, :width]
    own, alpha = drawn(kind, 460, 0.1 * seed, seed)
    cover: F32 = np.zeros((height, width), np.float32)
    top, left = rng.integers(0, height - 460), rng.integers(0, width - 460)
    cover[top : top + 460, left : left + 460] = alpha
    mixed = ground * (1 - cover[..., None])
    mixed[top : top + 460, left : left + 460] += own
    noisy = np.clip(mixed * 255 + rng.normal(0, 2, mixed.shape), 0, 255).astype(np.uint8)
    coded = cv2.imencode(".jpg", noisy, [cv2.IMWRITE_JPEG_QUALITY, 90])[1]
    shown = cv2.imdecode(coded, cv2.IMREAD_COLOR)
    return np.dstack([shown, np.full(cover.shape, 255, np.uint8)]), cover


def errors(picture: NDArray[np.uint8], cover: F32) -> tuple[list[float], list[float]]:
    """Mean squared error × 1000 for each of :data:`FRINGES`, along the true region; and seconds of CPU."""
    height, width = solve_size(*cover.shape)
    inside = inside_of(cv2.resize(cover, (width, height), interpolation=cv2.INTER_AREA) > 0.5)
    found, took = [], []
    for fringe in FRINGES:
        begun = time.process_time()
        cut = soft_matte(picture, inside, fringe)[..., 3] / 255
        took.append(time.process_time() - begun)
        found.append(float(1000 * ((cut - cover) ** 2).mean()))
    return found, took


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cutouts", type=Path, required=True)
    parser.add_argument("--photos", type=Path, required=True)
    given = parser.parse_args()
    warnings.simplefilter("ignore")
    photos, cutouts = (sorted(one.glob("*.png")) for one in (given.photos, given.cutouts))
    print(
        f"machine load {os.getloadavg()[0]:.1f}; fringe "
        + ", ".join(f"{one:.0%}" for one in FRINGES)
    )
    kinds = {
        kind: [over_photo(kind, n, photos[n % len(photos)]) for n in range(8)]
        for kind in ("fur", "hair")
    }
    films = [film(n, one, photos[n % len(photos)]) for n, one in enumerate(cutouts)]
    kinds["cut-outs"] = [(one.frames[12], one.cover[12]) for one in films]
    for kind, pictures in kinds.items():
        all_of_them = [errors(*one) for one in pictures]
        found, took = (np.array([one[n] for one in all_of_them]) for n in (0, 1))
        ratios = np.exp(np.log(found / found[:, 1:2]).mean(0))
        print(f"  {kind:9} {len(pictures):3}: mean " + " ".join(f"{v:.2f}" for v in found.mean(0))
              + "; of what it is at 100 % " + " ".join(f"{v:.2f}" for v in ratios)
              + "; median ms of CPU " + " ".join(f"{1000 * v:.0f}" for v in np.median(took, 0)), flush=True)  # fmt: skip


if __name__ == "__main__":
    main()
