"""Clips made for tests: the number of each frame is written into its picture as a code."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

BITS = 12


def coded_picture(number: int, width: int = 192, height: int = 128) -> NDArray[np.uint8]:
    """A picture whose top half holds a number in twelve black or white fields."""
    picture = np.full((height, width, 3), 96, np.uint8)
    step = width // BITS
    for bit in range(BITS):
        picture[: height // 2, bit * step : (bit + 1) * step] = 255 if number >> bit & 1 else 0
    return picture


def read_code(picture: NDArray[np.uint8]) -> int:
    """The number in a picture, at any size."""
    height, width = picture.shape[:2]
    row = picture[height // 4, :, 1]
    return sum(1 << bit for bit in range(BITS) if row[int((bit + 0.5) * width / BITS)] > 127)


def coded_clip(
    path: Path,
    frames: int,
    *,
    rate: Fraction = Fraction(25),
    codec: str = "libx264",
    times: list[int] | None = None,
    tick: Fraction | None = None,
    options: dict[str, str] | None = None,
) -> None:
    """Write a clip of coded pictures; ``times`` are presentation times in ticks, else regular."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate)
        stream.width, stream.height, stream.pix_fmt = 192, 128, "yuv420p"
        stream.options = options or {"g": "30", "bf": "2", "crf": "18"}
        stream.codec_context.time_base = tick or 1 / rate
        for number in range(frames):
            frame = av.VideoFrame.from_ndarray(coded_picture(number), format="rgb24")
            frame.pts = times[number] if times else number
            frame.time_base = tick or 1 / rate
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
