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
    layout: str = "yuv420p",
    times: list[int] | None = None,
    tick: Fraction | None = None,
    shape: Fraction | None = None,
    options: dict[str, str] | None = None,
) -> None:
    """Write a clip of coded pictures, 192 × 128; the lowest eighth is clear where the layout has
    coverage.

    Args:
        times: presentation times in ticks, else regular.
        shape: width of a pixel over its height, else square.
    """
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate)
        stream.width, stream.height, stream.pix_fmt = 192, 128, layout
        stream.options = {"g": "30", "bf": "2", "crf": "18"} if options is None else options
        stream.codec_context.time_base = tick or 1 / rate
        if shape:
            stream.codec_context.sample_aspect_ratio = shape
        for number in range(frames):
            rgba = np.dstack([coded_picture(number), np.full((128, 192), 255, np.uint8)])
            rgba[112:, :, 3] = 0
            frame = av.VideoFrame.from_ndarray(rgba, format="rgba").reformat(format=layout)
            frame.pts = times[number] if times else number
            frame.time_base = tick or 1 / rate
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
