"""People found by themselves in three real clips, against mattes that were painted by hand: with roto, on one frame of each clip,
carried to another frame and put right there.

The clips are not part of the project: they come with packages of other projects (docs/quality.md says which).

    python -m bench.people --clips FOLDER
"""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import NamedTuple

import av
import numpy as np
from numpy.typing import NDArray

from bench.roto import iou
from velvet_seam.core.mattes.roto_strokes import RotoStroke, known, marks
from velvet_seam.core.people.guess import guess, steadied
from velvet_seam.core.people.region import people
from velvet_seam.core.roto.carry import carried, corrected
from velvet_seam.core.roto.first import Marks, found
from velvet_seam.core.roto.seen import Seen, seen
from velvet_seam.core.roto.soft import soft_matte
from velvet_seam.core.roto.telling import painted_sample

Line = tuple[str, float, list[tuple[float, float]]]
"""Whether it keeps or drops, its width, and points from the upper left corner; pixels of the clip."""


class Clip(NamedTuple):
    name: str
    frame: int
    painted: list[Line]
    other: int
    corrected: list[Line]


CLIPS = [
    Clip("carphone_pristine.mp4", 60, [
        ("keep", 6, [(78, 25), (80, 45), (82, 70), (85, 95), (90, 108), (100, 130)]),
        ("keep", 8, [(60, 115), (45, 125), (35, 138)]),
        ("keep", 8, [(120, 100), (145, 90), (150, 110), (160, 135)]),
        ("keep", 4, [(57, 40), (53, 50), (58, 64)]),
        ("keep", 3, [(58, 76), (60, 82)]),
        ("keep", 3, [(104, 60), (104, 70)]),
        ("keep", 3, [(98, 40), (101, 50)]),
        ("keep", 4, [(62, 26), (75, 18), (92, 28)]),
        ("drop", 6, [(20, 10), (45, 30), (40, 60), (20, 80), (45, 100), (10, 115), (12, 138)]),
        ("drop", 4, [(60, 5), (100, 8), (104, 26), (115, 30)]),
        ("drop", 4, [(112, 60), (113, 72), (125, 60), (130, 74)]),
        ("drop", 4, [(150, 40), (150, 70), (166, 90), (174, 96)]),
        ("drop", 2, [(62, 88), (56, 96), (48, 108)]),
        ("drop", 3, [(106, 40), (108, 46)]),
        ("drop", 2, [(116, 78), (122, 76)]),
        ("keep", 2, [(118, 83), (130, 81), (142, 80), (149, 82)]),
        ("keep", 3, [(164, 99), (173, 103)]),
        ("drop", 2, [(112, 79), (118, 77), (130, 76), (146, 75)]),
        ("keep", 2, [(102, 34), (103, 48)]),
    ], 100, [
        ("drop", 2, [(112, 79), (118, 78), (123, 79)]),
    ]),
    Clip("testMovie.mp4", 60, [
        ("keep", 14, [(130, 60), (130, 120), (125, 200), (125, 250), (120, 280)]),
        ("keep", 8, [(80, 80), (66, 100), (64, 125)]),
        ("keep", 6, [(56, 152), (62, 165)]),
        ("keep", 6, [(195, 150), (192, 165)]),
        ("keep", 8, [(180, 80), (190, 105), (188, 125)]),
        ("keep", 10, [(30, 275), (60, 255), (85, 235)]),
        ("keep", 10, [(200, 230), (230, 250), (260, 265), (280, 280)]),
        ("keep", 5, [(100, 60), (120, 52), (150, 54)]),
        ("drop", 10, [(20, 60), (60, 70), (40, 120), (30, 180), (40, 225), (10, 245)]),
        ("drop", 8, [(70, 40), (110, 35), (160, 45), (180, 60), (215, 60), (220, 120), (215, 200), (250, 220), (300, 240), (330, 270)]),
        ("drop", 4, [(50, 140), (52, 175), (66, 195), (74, 215)]),
        ("drop", 4, [(204, 140), (203, 165), (196, 185)]),
        ("drop", 4, [(84, 50), (84, 60), (92, 52)]),
        ("drop", 3, [(108, 42), (116, 43), (122, 44)]),
        ("drop", 3, [(198, 92), (208, 93), (198, 100)]),
        ("keep", 3, [(285, 270), (293, 284)]),
        ("keep", 4, [(10, 268), (30, 258), (50, 247)]),
        ("drop", 3, [(10, 258), (30, 247), (50, 238)]),
    ], 20, [
        ("drop", 2, [(112, 44), (118, 42)]),
    ]),
    Clip("single_face.mp4", 40, [
        ("keep", 16, [(280, 60), (280, 160), (285, 260), (285, 300), (300, 350)]),
        ("keep", 14, [(130, 345), (190, 310), (230, 285)]),
        ("keep", 14, [(350, 290), (400, 315), (450, 350)]),
        ("keep", 8, [(226, 90), (222, 110), (222, 130)]),
        ("keep", 8, [(355, 80), (362, 110)]),
        ("keep", 6, [(367, 180), (368, 195)]),
        ("keep", 8, [(235, 60), (270, 35), (310, 38), (345, 65)]),
        ("keep", 6, [(60, 355), (90, 340)]),
        ("drop", 14, [(30, 60), (90, 200), (150, 290), (60, 310)]),
        ("drop", 14, [(150, 60), (190, 160), (200, 240), (150, 290)]),
        ("drop", 10, [(200, 40), (230, 20), (320, 12), (400, 60), (390, 200), (390, 270), (470, 310), (500, 350)]),
        ("drop", 6, [(212, 180), (214, 220), (222, 255)]),
        ("drop", 6, [(378, 170), (376, 210), (362, 240), (356, 262)]),
    ], 8, [
    ]),
]  # fmt: skip


def read(path: Path) -> list[NDArray[np.uint8]]:
    """Every frame, (h, w, 4)."""
    with av.open(str(path)) as film:
        return [one.to_ndarray(format="rgba") for one in film.decode(video=0)]


def marked(lines: list[Line], look: Seen, size: tuple[int, int]) -> Marks:
    half = np.array(size) / 2
    strokes = (
        RotoStroke(how=how, width=width, points=tuple(map(tuple, np.array(points) - half)))
        for how, width, points in lines
    )
    return marks(known(tuple(strokes)), size, look.light.shape)


def painted(clip: Clip, frames: list[NDArray[np.uint8]]) -> dict[int, NDArray[np.bool_]]:
    """What belongs to the person in both frames of a clip, by hand."""
    size = frames[0].shape[1], frames[0].shape[0]
    there = seen(frames[clip.frame])
    region = found(there.f, marked(clip.painted, there, size))
    sample, truth = painted_sample(region, there), {clip.frame: region}
    way = 2 if clip.other > clip.frame else -2
    for n in range(clip.frame + way, clip.other + way, way):
        here = seen(frames[n])
        region, there = carried(region, there, here, sample), here
    truth[clip.other] = corrected(region, there, marked(clip.corrected, there, size))
    return {n: soft_matte(frames[n], one)[..., 3] > 127 for n, one in truth.items()}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--clips", type=Path, required=True)
    folder = parser.parse_args().clips
    for clip in CLIPS:
        frames = read(folder / clip.name)
        for n, truth in painted(clip, frames).items():
            own, *others = (guess(frames[k]) for k in (n, n - 1, n + 1))
            cut = soft_matte(frames[n], people(frames[n], steadied(own, *others)))
            print(
                f"  {clip.name:24} frame {n:3}: IoU {iou(cut[..., 3] > 127, truth):.3f}", flush=True
            )


if __name__ == "__main__":
    main()
