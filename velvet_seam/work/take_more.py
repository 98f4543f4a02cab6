"""A clean plate, a track, and the passes of a clip, for a shell: JSON."""

from __future__ import annotations

import json
from functools import lru_cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.analyse.plate import clean_plate, spread_over
from velvet_seam.core.formats.shot_file import read_shot_file
from velvet_seam.core.media.clip import ClipReader
from velvet_seam.core.media.probe import Probe, probe
from velvet_seam.core.media.still import write_png
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.levels import Grey
from velvet_seam.core.register.locked_frames import locked_frames
from velvet_seam.core.register.passes import camera_path, passes_of, same_frames, small_of
from velvet_seam.core.register.unfit import SAID, unfit
from velvet_seam.core.shot.track import corners_of
from velvet_seam.work.tracks import MODEL, followed, place_of

SHORT = 270
"""A camera's path is measured at this short side."""

SIDE = 960
"""A clip is followed at this long side, as on the bench."""


def clip_of(path: Path, layer: str | None = None) -> tuple[Path, Probe]:
    """A clip, or that of a layer of a shot file.

    Raises:
        Problem: it is not there, or no clip.
    """
    if not path.is_file():
        raise Problem(f"There is no file {path}.")
    if path.suffix == ".json":
        path = _shown(path, layer)
    found = probe(path)
    if found.kind != "clip":
        raise Problem(f"{path.name} is no clip.")
    return path, found


def _shown(path: Path, name: str | None) -> Path:
    """The file of a layer's clip."""
    file = read_shot_file(path)
    clips = [one for one in file.shot.layers if one.source.shows in file.files]
    found = [one for one in clips if name is None or name in (one.id, one.name)]
    if len(found) != 1:
        known = ", ".join(one.name for one in clips)
        raise Problem(f"Say by --layer which one is meant. Layers with a clip: {known}.")
    return file.files[str(found[0].source.shows)]


def plate_file(path: Path, output: Path) -> str:
    """The clean plate of a clip, written as PNG; what was found, as JSON. From the hand it is where the middle frame is."""
    path, found = clip_of(path)
    numbers = spread_over(0, found.frames - 1)
    if len(numbers) < 3:
        raise Problem(f"{path.name} shows too few frames for a plate.")
    reader = ClipReader(path, found)
    frames, middle = np.stack([reader.read(n)[..., :3] for n in numbers]), len(numbers) // 2
    locked = locked_frames(frames, middle)
    made = clean_plate(frames) if locked is None else clean_plate(locked.frames, shows=locked.seen)
    alpha = np.full(made.picture.shape[:2], 255, np.uint8)
    write_png(output, np.dstack([made.picture, alpha]))
    moves = {} if locked is None else {"frame": numbers[middle], "moves": round(locked.far, 1)}
    told = {"plate": str(output), "frames": len(numbers), "unsure": round(made.share, 5), **moves}
    return json.dumps(told, indent=2)


def track_file(
    path: Path, layer: str | None, frame: int, places: list[float], size: float | None
) -> str:
    """A point, or the corners of a plane, followed over a clip from a frame on and back: JSON."""
    path, found = clip_of(path, layer)
    if not 0 <= frame < found.frames:
        raise Problem(f"{path.name} has frames 0 to {found.frames - 1}.")
    if len(places) not in (2, 8):
        raise Problem(
            "Give x,y of a point, or x,y of the four corners of a plane, clockwise from the top left."
        )
    kind = "point" if len(places) == 2 else "plane"
    reader, k = ClipReader(path, found), min(1.0, SIDE / max(found.width, found.height))
    read = _greys(reader, k)
    per = found.width / read(frame).shape[1]
    side = size or max(32.0, 96.0 * min(found.width, found.height) / 1080)
    home = corners_of(kind, np.array(places, float), side) / per
    why = unfit(read(frame), home, MODEL[kind])
    if why:
        return json.dumps({"kind": kind, "why": why, "said": SAID[why]}, indent=2)
    made = followed(read, kind, {frame: home}, range(found.frames))
    told: dict[str, Any] = {
        "kind": kind, "frame": frame, "lost": sorted(n for n, one in made.corners.items() if one is None),
        "again": sorted(made.again),
        "path": {n: None if one is None else place_of(kind, one, per) for n, one in sorted(made.corners.items())},
    }  # fmt: skip
    return json.dumps(told, indent=2)


def passes_file(path: Path, match: bool) -> str:
    """The passes of a repeated camera move in a clip; with ``match`` for each frame of the first the frame of the others
    that shows the same: JSON."""
    path, found = clip_of(path)
    reader = ClipReader(path, found)
    read = _greys(reader, min(1.0, SHORT / min(found.width, found.height)))
    first = read(0)
    passes = passes_of(camera_path(read, range(found.frames)), (first.shape[1], first.shape[0]))
    told: dict[str, Any] = {
        "passes": [{"first": p.first, "last": p.last, "way": p.way} for p in passes]
    }
    if not passes:
        told["said"] = "No repeated move was found: the camera stands still, or goes one way only."
    if match:
        smalls = lru_cache(maxsize=found.frames)(lambda n: small_of(read(n)))
        for one, other in zip(told["passes"][1:], passes[1:], strict=True):
            at, like = same_frames(smalls, passes[0], other)
            one |= {"alike": round(like, 3), "shows": [round(float(n), 3) for n in at]}
    return json.dumps(told, indent=2)


def _greys(reader: ClipReader, k: float) -> Any:
    def read(number: int) -> Grey:
        grey: NDArray[Any] = cv2.cvtColor(reader.read(number), cv2.COLOR_RGBA2GRAY)
        if k == 1:
            return np.asarray(grey, np.uint8)
        size = round(grey.shape[1] * k), round(grey.shape[0] * k)
        return np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), np.uint8)

    return read
