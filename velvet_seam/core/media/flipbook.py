"""Flipbooks: animated WebP, which the video library does not decode; every picture has its time."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from velvet_seam.core.damage import STILL_DAMAGE
from velvet_seam.core.picture.premultiply import premultiply
from velvet_seam.core.problem import Problem

FORMATS = ("WEBP",)
SHORTEST = 11
"""Milliseconds; a picture that claims less is shown for a tenth of a second, as in browsers."""


def page_times(image: Image.Image) -> list[int]:
    """When each picture is shown, and when the last one ends, in milliseconds."""
    times = [0]
    for number in range(getattr(image, "n_frames", 1)):
        image.seek(number)
        image.load()
        shown = int(image.info.get("duration", 0))
        times.append(times[-1] + (shown if shown >= SHORTEST else 100))
    return times


class Flipbook:
    """Reads pictures of an animated still by number."""

    def __init__(self, path: Path) -> None:
        try:
            self._image = Image.open(path, formats=FORMATS)
        except STILL_DAMAGE:
            raise Problem("A clip can no longer be opened.") from None

    def close(self) -> None:
        self._image.close()

    def read(self, number: int, size: tuple[int, int] | None = None) -> NDArray[np.uint8]:
        """Picture ``number``: (h, w, 4) uint8 RGBA, premultiplied, at its own size."""
        try:
            self._image.seek(min(max(number, 0), getattr(self._image, "n_frames", 1) - 1))
            return premultiply(np.asarray(self._image.convert("RGBA")).copy())
        except STILL_DAMAGE:
            raise Problem(
                "A frame of a clip cannot be decoded; the file may be damaged there."
            ) from None
