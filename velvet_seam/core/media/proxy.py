"""Proxies: a smaller copy of a clip in which every frame can be reached at once.

Frame n of the proxy is frame n of the original, whatever the original's timing. Coverage, where a
clip has it, lies as a grey picture below the colours: H.264 has no place of its own for it.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.media.clip import ClipReader
from velvet_seam.core.media.probe import Probe, probe
from velvet_seam.core.media.reader import open_clip
from velvet_seam.core.media.size import proxy_size
from velvet_seam.core.media.writer import ClipWriter, post
from velvet_seam.core.picture.premultiply import covered

_RATE = Fraction(25)  # only counts frames; the original's times decide when each is shown


def write_proxy(
    original: Path,
    clip: Probe,
    path: Path,
    *,
    each: Callable[[int, NDArray[np.uint8]], None] | None = None,
) -> None:
    """Write the proxy of a clip.

    Args:
        each: called with the number and the reduced premultiplied RGBA of every frame, for
            progress and for whatever else is made from all frames.
    """
    width, height = proxy_size(clip.width, clip.height)
    tall = height * 2 if clip.alpha else height
    reader = open_clip(original, clip)
    try:
        with ClipWriter(
            path, width, tall, _RATE, post(22, speed="ultrafast", intra=True, threads=2)
        ) as writer:
            for number in range(clip.frames):
                rgba = reader.read(number, (width, height))
                if rgba.shape[:2] != (height, width):
                    rgba = np.asarray(
                        cv2.resize(rgba, (width, height), interpolation=cv2.INTER_AREA), np.uint8
                    )
                if clip.alpha:
                    writer.add(np.concatenate([rgba[..., :3], np.repeat(rgba[..., 3:], 3, axis=2)]))
                else:
                    writer.add(rgba)
                if each:
                    each(number, rgba)
            writer.finish()
    finally:
        reader.close()


class ProxyReader:
    """Reads frames of a proxy by the number they have in the original."""

    def __init__(self, path: Path, clip: Probe) -> None:
        self._alpha = clip.alpha
        self._reader = ClipReader(path, probe(path), intra=True)

    def close(self) -> None:
        self._reader.close()

    def read(self, number: int, size: tuple[int, int] | None = None) -> NDArray[np.uint8]:
        """Frame ``number`` at proxy size: (h, w, 4) uint8 RGBA, premultiplied."""
        rgba = self._reader.read(number)
        if not self._alpha:
            return rgba
        half = rgba.shape[0] // 2
        joined = rgba[:half].copy()
        joined[..., 3] = rgba[half:, :, 1]
        return covered(joined)
