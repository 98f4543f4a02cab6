"""Some frames spread over a clip, had as soon as its codec allows: what is true of all of them need not be asked of exactly
those, and a codec keeps few pictures whole."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.media.clip import ClipReader
from velvet_seam.core.media.flipbook import FORMATS
from velvet_seam.core.media.probe import Probe
from velvet_seam.core.media.reader import open_clip

NEAR = 0.25
"""Of the way to the next frame that is asked for a whole picture may lie aside, to be taken instead."""


def glance(
    path: Path, clip: Probe, numbers: Sequence[int], size: tuple[int, int]
) -> list[NDArray[np.uint8]]:
    """Frames of a clip, or such as lie near them: (h, w, 4) uint8 each, in the order of ``numbers``, which rise.

    They are read by a decoder of their own: it reads on from one to the next where no whole picture lies between them.

    Args:
        size: width and height that are enough; the answers may be larger.
    """
    reader = open_clip(path, clip) if clip.format in FORMATS else ClipReader(path, clip)
    within = int(NEAR * min((b - a for a, b in pairwise(numbers)), default=0))
    first, last = min(numbers, default=0), max(numbers, default=0)
    try:
        if isinstance(reader, ClipReader):
            wholes = [one for one in reader.wholes if first <= one <= last]
            numbers = [nearest(wholes, one, within) for one in numbers]
        return [reader.read(one, size) for one in numbers]
    finally:
        reader.close()


def nearest(wholes: Sequence[int], number: int, within: int) -> int:
    """The nearest of some frames to another, where it lies within so many of it; else that frame.

    >>> nearest([0, 60, 120], 55, 7), nearest([0, 60, 120], 40, 7), nearest([], 40, 7)
    (60, 40, 40)
    """
    best = min(wholes, key=lambda one: abs(one - number), default=number)
    return best if abs(best - number) <= within else number
