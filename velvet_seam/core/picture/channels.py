"""The channels of each pixel taken together: (…, c) to (…,).

They are NumPy's own sums and extremes over the last axis, to the bit, one channel after the other: over an axis of three or
four those take six to thirty times as long.
"""

from __future__ import annotations

from functools import reduce
from typing import Any, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

Kind = TypeVar("Kind", bound=np.generic)


def most_of(pixels: NDArray[Kind]) -> NDArray[Kind]:
    """The highest of each pixel's channels.

    >>> most_of(np.uint8([[[3, 9, 4]]])).tolist()
    [[9]]
    """
    return reduce(np.maximum, _channels(pixels))


def least_of(pixels: NDArray[Kind]) -> NDArray[Kind]:
    """The lowest of each pixel's channels."""
    return reduce(np.minimum, _channels(pixels))


def sum_of(pixels: NDArray[np.float32]) -> NDArray[np.float32]:
    """Of each pixel's channels."""
    return reduce(np.add, _channels(pixels))


def mean_of(pixels: NDArray[np.float32]) -> NDArray[np.float32]:
    """Of each pixel's channels.

    >>> mean_of(np.float32([[[1, 2, 6]]])).tolist()
    [[3.0]]
    """
    return sum_of(pixels) / np.float32(pixels.shape[-1])


def rgb_of(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture (h, w, 4) without its coverage, (h, w, 3): OpenCV's own copy takes a tenth of NumPy's."""
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGBA2RGB), np.uint8)


def _channels(pixels: NDArray[Any]) -> list[NDArray[Any]]:
    return [pixels[..., n] for n in range(pixels.shape[-1])]
