"""Two files compared as takes, for a shell."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.media.clip import ClipReader
from velvet_seam.core.media.probe import Probe, probe
from velvet_seam.core.media.still import read_still
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.by_picture import by_picture
from velvet_seam.core.register.by_sound import by_sound
from velvet_seam.core.register.in_place import SAID, line_up, moves
from velvet_seam.core.register.in_time import WORDS, InTime, nothing
from velvet_seam.core.register.warps import Model, apart
from velvet_seam.core.sound.decode import decode_sound
from velvet_seam.work.together import By, movement

FINE = 1080


def compared_files(
    first: Path, second: Path, model: Model, frame: int, other: int, by: By | None
) -> str:
    """How a frame of the second file lies off one of the first, and, where that is asked, when the second shows or
    sounds the same: JSON.

    Raises:
        Problem: a file is not there, cannot be read, or is too short.
    """
    for path in (first, second):
        if not path.is_file():
            raise Problem(f"There is no file {path}.")
    probes = [probe(path) for path in (first, second)]
    told: dict[str, Any] = {}
    if all(one.kind != "sound" for one in probes):
        told["place"] = _place(
            [_frame(first, probes[0], frame), _frame(second, probes[1], other)], model
        )
    if by is not None:
        told["time"] = _time((first, second), probes, by)
    if not told:
        raise Problem("A sound has no place: compare them by --time sound.")
    return json.dumps(told, indent=2)


def _frame(path: Path, found: Probe, number: int) -> NDArray[np.uint8]:
    if found.kind == "still":
        return read_still(path)
    if not 0 <= number < found.frames:
        raise Problem(f"{path.name} has frames 0 to {found.frames - 1}.")
    return ClipReader(path, found).read(number)


def _place(pictures: list[NDArray[np.uint8]], model: Model) -> dict[str, Any]:
    side = min(FINE, *(min(one.shape[:2]) for one in pictures))
    grey = [_small(one, side) for one in pictures]
    found = line_up(grey[0], grey[1], model)
    told: dict[str, Any] = {"model": model, "agrees": round(found.agrees, 4)}
    if found.warp is None:
        return told | {"why": found.why, "said": SAID[found.why]}
    size = grey[0].shape[1], grey[0].shape[0]
    shift, turned, grown = moves(found.warp, size)
    return told | {
        "size": size, "matrix": found.warp.tolist(), "shift": [round(float(one), 4) for one in shift],
        "off": round(apart(found.warp, np.eye(3), size), 4), "turned": round(turned, 5), "grown": round(grown, 6),
        "residual": round(found.residual, 4),
    }  # fmt: skip


def _small(picture: NDArray[np.uint8], side: int) -> NDArray[np.uint8]:
    """Grey, at a short side."""
    grey = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGBA2GRAY), np.uint8)
    k = side / min(grey.shape)
    if k == 1:
        return grey
    size = round(grey.shape[1] * k), round(grey.shape[0] * k)
    return np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), np.uint8)


def _time(paths: tuple[Path, Path], probes: list[Probe], by: By) -> dict[str, Any]:
    found = _when(paths, probes, by)
    if not found.found:
        return {"by": by, "why": found.why, "said": WORDS[found.why]}
    told = {"by": by, "offset": round(found.offset, 6), "sure": found.sure}
    return told if found.other is None else told | {"or": round(found.other, 6)}


def _when(paths: tuple[Path, Path], probes: list[Probe], by: By) -> InTime:
    if by == "sound":
        if not all(one.has_sound for one in probes):
            return nothing("silent")
        return by_sound(*(np.asarray(decode_sound(path).mean(1), np.float32) for path in paths))
    if any(one.kind != "clip" for one in probes):
        return nothing("still")
    rate = float(probes[0].rate)
    curves = []
    for path, found in zip(paths, probes, strict=True):
        reader = ClipReader(path, found)
        curves.append(movement(reader.read, found.frames, float(found.rate), rate))
    return by_picture(curves[0], curves[1], rate)
