"""The size at which a subject is told from its surroundings, and what is compared there: colours in which equal steps
look about equally large."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.channels import rgb_of

F32 = NDArray[np.float32]

Detail = Literal["usual", "fine"]

SHORT = 270
"""Short side of that size, in pixels: the same for a proxy and an original."""

SHORT_SIDES: dict[Detail, int] = {"usual": SHORT, "fine": 405}
"""The same by how fine it is to be: what is two pixels thin at the usual size is found in three, in about twice the time."""

_WEIGHTS = np.array([0.7, 1.2, 1.2], np.float32)
"""Of L*, a* and b*, which OpenCV gives in 0 to 255: light and shade count for less than colour."""


def solve_size(height: int, width: int, short: int = SHORT) -> tuple[int, int]:
    """Height and width at which a picture of some size is solved.

    >>> solve_size(1920, 1080), solve_size(1920, 1080, 405), solve_size(100, 200)
    ((480, 270), (720, 405), (100, 200))
    """
    factor = min(1.0, short / min(height, width))
    return max(1, round(height * factor)), max(1, round(width * factor))


def lab_of(picture: NDArray[np.uint8], size: tuple[int, int] | None = None) -> NDArray[np.uint8]:
    """L*, a*, b* of a picture (h, w, 4) uint8, each 0 to 255: (h', w', 3) uint8, at the size of :func:`solve_size` or as
    given."""
    height, width = size or solve_size(*picture.shape[:2])
    small = cv2.resize(rgb_of(picture), (width, height), interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.cvtColor(np.ascontiguousarray(small), cv2.COLOR_RGB2LAB), np.uint8)


def features(picture: NDArray[np.uint8], size: tuple[int, int] | None = None) -> F32:
    """Of a picture (h, w, 4) uint8 what is compared, (h', w', 3) float32, at the size of :func:`solve_size` or as
    given."""
    return compared(lab_of(picture, size))


def compared(lab: NDArray[np.uint8]) -> F32:
    """What is compared, of the colours that :func:`lab_of` gives: (h, w, 3) float32.

    >>> compared(np.full((1, 1, 3), 10, np.uint8)).tolist()
    [[[7.0, 12.0, 12.0]]]
    """
    height, width = lab.shape[:2]
    # a row at once: three by three it takes five times as long
    rows = np.multiply(lab.reshape(height, -1), np.tile(_WEIGHTS, width), dtype=np.float32)
    return np.asarray(rows.reshape(lab.shape))
