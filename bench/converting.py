"""What it costs to bring a decoded frame to pixels: phones' HDR, deep and clear kinds, and a clip that lies on its side,
beside FFmpeg's own converter, which keeps HDR as it is, tones nothing and turns nothing."""

from __future__ import annotations

from collections.abc import Callable

import av
import cv2
import numpy as np
from av.video.reformatter import Interpolation, VideoReformatter

from bench.subjects import rng_of, smooth_noise
from velvet_seam.core.media.clip import to_rgba
from velvet_seam.core.media.size import proxy_size

KINDS = {
    "4K, HLG, 10 bit": ((3840, 2160), "yuv420p10le", 18, 0),
    "4K, HLG, 10 bit, turned": ((3840, 2160), "yuv420p10le", 18, 90),
    "1080p, PQ, 10 bit": ((1920, 1080), "yuv420p10le", 16, 0),
    "1080p, 4:2:2, 10 bit": ((1920, 1080), "yuv422p10le", 1, 0),
    "1080p, 4:4:4 with coverage, 8 bit": ((1920, 1080), "yuva444p", 1, 0),
    "4K, 8 bit": ((3840, 2160), "yuv420p", 1, 0),
    "1080p, 8 bit": ((1920, 1080), "yuv420p", 1, 0),
    "1080p, 8 bit, turned": ((1920, 1080), "yuv420p", 1, 90),
}
"""Sides, kind of planes, transfer (ITU-T H.273), and turn of each."""


def frame_of(size: tuple[int, int], kind: str, transfer: int) -> av.VideoFrame:
    """A frame of smooth colours with some grain."""
    width, height = size
    frame = av.VideoFrame(width, height, kind)
    top = 1023 if "10le" in kind else 255
    for n, plane in enumerate(frame.planes):
        deep = np.uint16 if top > 255 else np.uint8
        row = plane.line_size // np.dtype(deep).itemsize
        level = 0.45 + 0.12 * smooth_noise(plane.height, row, plane.height / 3, n)
        level = level + rng_of(n).normal(0, 0.01, level.shape)
        plane.update(np.clip(level * top, 0, top).astype(deep).tobytes())
    frame.color_trc, frame.colorspace = transfer, 1 if transfer == 1 else 9
    return frame


def converting(line: Callable[..., None], timed: Callable[..., tuple[float, float]]) -> None:
    print(
        "\nA decoded frame brought to pixels, one core (median); FFmpeg's converter, which tones and turns nothing"
    )
    ours, theirs = VideoReformatter(), VideoReformatter()
    for what, (size, kind, transfer, turn) in KINDS.items():
        frame = frame_of(size, kind, transfer)
        mine, _ = timed(lambda _, frame=frame, turn=turn: to_rgba(ours, frame, turn))
        other, _ = timed(lambda _, frame=frame: theirs.reformat(frame, format="rgba", threads=1))
        line(what, f"{mine:.0f} ms; {other:.0f}")
        small = proxy_size(*size)
        seen = small if turn % 180 == 0 else small[::-1]
        mine, _ = timed(lambda _, frame=frame, turn=turn, to=seen: proxied(ours, frame, turn, to))
        other, _ = timed(
            lambda _, frame=frame, to=small: theirs.reformat(
                frame, *to, format="rgba", interpolation=Interpolation.AREA, threads=1
            )
        )
        line(f"{what}, at the size of its proxy", f"{mine:.0f} ms; {other:.0f}")


def proxied(
    by: VideoReformatter, frame: av.VideoFrame, turn: int, size: tuple[int, int]
) -> np.ndarray:
    """A frame at the size of a proxy, as a proxy is made."""
    picture = to_rgba(by, frame, turn, size)
    if (picture.shape[1], picture.shape[0]) == size:
        return picture
    return cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
