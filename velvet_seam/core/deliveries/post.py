"""MP4, for putting online."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.deliveries.base import Form, PartWriter, Quality
from velvet_seam.core.media.writer import ClipWriter, Encoding, join, post

_FACTORS: dict[Quality, int] = {"small": 26, "good": 20, "best": 16}
_BITS: dict[Quality, float] = {"small": 0.045, "good": 0.10, "best": 0.18}


class Post(Form):
    """H.264 and AAC in MP4."""

    name, label, suffix, media_type = "post", "{shape} post", ".mp4", "video/mp4"
    says = "MP4, H.264 and AAC: for putting online"
    short = "MP4"
    in_planes = graded = playable = True
    sound_bits = 192_000

    def bits(self, quality: Quality) -> float:
        return _BITS[quality]

    def encoding(self, quality: Quality) -> Encoding:
        return post(_FACTORS[quality])

    def part(
        self, path: Path, first: int, size: tuple[int, int], rate: Fraction, quality: Quality
    ) -> PartWriter:
        return ClipWriter(path, *size, rate, self.encoding(quality))

    def join(
        self, parts: Sequence[Path], path: Path, rate: Fraction, quality: Quality,
        sound: NDArray[np.float32] | None, check: Callable[[], None],
    ) -> None:  # fmt: skip
        join(parts, path, rate, self.encoding(quality), sound, check)
