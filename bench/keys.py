"""The screen key on clips with exact coverage that nobody tuned it for, beside what is ready-made.

All with automatic settings but for the two plain keys, which have the best of theirs for each clip, and closed-form
matting, which is given the ideal trimap. The clips are those of :mod:`bench.screens`; the unseen part is for the end.

    python -m bench.keys --cutouts FOLDER
"""

from __future__ import annotations

import argparse
import os
import warnings
from collections.abc import Callable, Iterator
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.quality import (
    CHROMA_SETTINGS,
    FFMPEG_SETTINGS,
    Alpha,
    Case,
    Errors,
    best,
    chroma_distance,
    closed_form,
    errors,
    ffmpeg_key,
    ours,
)
from bench.screens import Clip, Made, fresh, made, measured

KEPT = (2, 3)

METHODS: dict[str, Callable[[Case, list[NDArray[np.uint8]]], list[Alpha]]] = {
    "this": lambda case, shown: ours(shown),
    "this, what lies around unheard": lambda case, shown: ours(shown, hold=0.0),
    "chroma distance, its best": lambda case, shown: best(case, shown, chroma_distance, CHROMA_SETTINGS, [0]),
    "chromakey + despill, best": lambda case, shown: best(case, shown, ffmpeg_key, FFMPEG_SETTINGS, [0]),
    "closed form, ideal trimap": closed_form,
}  # fmt: skip


def case_of(film: Made) -> Case:
    """A clip as the bench of quality takes one; its frames are 0 and 1."""
    size = film.frames[0].shape[:2]
    return Case(film.clip.name, (0, 1), lambda n: film.truth[int(n)], lambda n: np.ones(size, bool))


def thin(film: Made, cuts: list[Alpha]) -> float:
    """Of solid subject, two pixels within, the part that is covered by less than 0.98, in per cent."""
    inside = [
        cv2.erode((t > 0.995).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        for _, t in film.truth
    ]
    few = [(cut[..., 3] < 0.98)[one] for cut, one in zip(cuts, inside, strict=True)]
    every = np.concatenate(few)
    return float(100 * every.mean()) if every.size else 0.0


def told(
    clips: list[Clip], folder: Path, ways: list[str]
) -> Iterator[tuple[Clip, dict[str, tuple[Errors, float]]]]:
    for clip in clips:
        film = made(clip, folder, 4, KEPT)
        case, out = case_of(film), {}
        for way in ways:
            try:
                cuts = METHODS[way](case, film.frames)
            except ValueError:  # closed form where nothing of the subject is solid
                continue
            out[way] = errors(case, cuts), thin(film, cuts)
        yield clip, out


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cutouts", type=Path, required=True)
    parser.add_argument("--unseen", action="store_true", help="the part that nothing is chosen on")
    parser.add_argument(
        "--fresh", action="store_true", help="48 more of the unseen subjects, before all screens"
    )
    parser.add_argument("--alone", action="store_true", help="without what is ready-made")
    given = parser.parse_args()
    warnings.simplefilter("ignore")
    ways = list(METHODS)[:2] if given.alone else list(METHODS)
    clips = fresh() if given.fresh else measured(given.cutouts, given.unseen)
    print(
        f"machine load {os.getloadavg()[0]:.1f}; {len(clips)} clips, {'unseen' if given.unseen or given.fresh else 'seen'}; MSE × 1000"
    )
    every: dict[str, list[tuple[Errors, float]]] = {way: [] for way in ways}
    for clip, found in told(clips, given.cutouts, ways):
        parts = "  ".join(
            f"{found[way][0].mse:8.2f}" if way in found else f"{'–':>8}" for way in ways
        )
        print(f"  {clip.name:58} {clip.size[0]:4} × {clip.size[1]:<4} {parts}", flush=True)
        for way, one in found.items():
            every[way].append(one)
    for way, some in every.items():
        mse = [one.mse for one, _ in some]
        colour = np.nanmean([one.colour for one, _ in some])
        print(f"  {way:30} MSE geometric mean {np.exp(np.log(mse).mean()):6.2f}, mean {np.mean(mse):6.2f}, most {max(mse):7.2f}; "
              f"dtSSD {np.mean([one.dtssd for one, _ in some]):5.2f}; colour {colour:5.1f}; "
              f"solid under 0.98 {np.mean([part for _, part in some]):5.1f} %", flush=True)  # fmt: skip


if __name__ == "__main__":
    main()
