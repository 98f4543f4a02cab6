"""A photograph of a person, with an outline traced by hand: how people are found is tried on real pixels.

``portrait.jpg`` is NASA's official portrait of the astronaut E. Collins (1993), in the public domain, made smaller.
"""

from __future__ import annotations

from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

PORTRAIT = Path(__file__).parent / "portrait.jpg"

_OUTLINE = (
    (153, 78), (163, 45), (190, 25), (230, 16), (270, 28), (293, 55), (301, 92), (293, 113), (270, 130), (258, 172),
    (278, 190), (296, 215), (305, 240), (318, 252), (338, 268), (352, 292), (360, 320), (362, 350), (385, 345),
    (425, 352), (460, 380), (482, 410), (494, 445), (500, 480), (501, 511), (10, 511), (20, 450), (27, 400), (28, 350),
    (40, 290), (60, 252), (110, 213), (117, 190), (126, 165), (150, 151), (186, 149), (186, 128), (168, 115), (156, 98),
)  # fmt: skip
"""In pixels of 512 × 512."""


def portrait(size: int = 400) -> NDArray[np.uint8]:
    """The photograph, (size, size, 4) uint8."""
    bgr = cv2.resize(cv2.imread(str(PORTRAIT)), (size, size), interpolation=cv2.INTER_AREA)
    return np.dstack([bgr[..., ::-1], np.full((size, size), 255, np.uint8)])


def outline(size: int = 400) -> NDArray[np.bool_]:
    """Where the person is, as traced by hand to about a pixel in a hundred."""
    plane = np.zeros((size, size), np.uint8)
    points = np.array(_OUTLINE, np.float64) * size / 512
    cv2.fillPoly(plane, [np.round(points * 16).astype(np.int32)], 1, cv2.LINE_8, 4)
    return plane > 0


def portrait_clip(path: Path, frames: int = 12, width: int = 400, height: int = 400) -> None:
    """A clip of the photograph, with a camera that drifts to the right."""
    whole = portrait(440)[..., :3]
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        stream.options = {"crf": "18"}
        for number in range(frames):
            left = 2 * number
            piece = np.ascontiguousarray(whole[:height, left : left + width])
            container.mux(stream.encode(av.VideoFrame.from_ndarray(piece, "rgb24")))
        container.mux(stream.encode())
