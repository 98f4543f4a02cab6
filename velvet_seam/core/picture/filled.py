"""Coverage filled with colour: premultiplied pixels, looked up rather than multiplied."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

STEPS = 1024
"""Levels of coverage from 0 to 1, where more than bytes are wanted."""


def filled(alpha: NDArray[np.uint8], rgb: tuple[int, int, int]) -> NDArray[np.uint8]:
    """One colour where there is coverage: (h, w) to (h, w, 4) uint8 RGBA, premultiplied.

    >>> filled(np.array([[0, 128, 255]], np.uint8), (255, 100, 0)).tolist()
    [[[0, 0, 0, 0], [128, 50, 0, 128], [255, 100, 0, 255]]]
    """
    tables = ((np.arange(256) * np.array([rgb]).T + 127) // 255).astype(np.uint8)
    return np.asarray(cv2.merge([*(cv2.LUT(alpha, one) for one in tables), alpha]), np.uint8)


def filling(rgb: tuple[int, int, int], power: float = 1.0) -> NDArray[np.uint32]:
    """Packed pixels of one colour for all steps of coverage, raised to a power.

    >>> [hex(one) for one in filling((255, 0, 16))[[0, 1023]]]
    ['0x0', '0xff1000ff']
    """
    return fillings(np.array([rgb]), np.linspace(0, 1, STEPS) ** power)


def fillings(rgb: NDArray[np.float64], cover: NDArray[np.float64]) -> NDArray[np.uint32]:
    """Packed pixels for all steps of coverage, each with a colour of its own.

    Args:
        rgb: (STEPS, 3) or (1, 3), display values to 255.
        cover: (STEPS,), 0 to 1.
    """
    pixels = np.empty((STEPS, 4), np.uint8)
    pixels[:, :3], pixels[:, 3] = np.rint(rgb * cover[:, None]), np.rint(255 * cover)
    return pixels.view(np.uint32)[:, 0]


@nb.njit(error_model="numpy")
def look_up(levels, fillings, to):
    """A row of pixels from a row of levels, held to 0 to 1."""
    top = np.float32(len(fillings) - 1)
    for x in range(to.size):
        c = min(max(levels[x], np.float32(0)), np.float32(1))
        to[x] = fillings[np.uint64(np.int32(c * top + np.float32(0.5)))]


@kernel(parallel=True)
def _looked_up(levels, fillings):
    out = np.empty(levels.shape, np.uint32)
    for y in nb.prange(len(levels)):
        look_up(levels[y], fillings, out[y])
    return out


def looked_up(levels: NDArray[np.float32], fillings: NDArray[np.uint32]) -> NDArray[np.uint8]:
    """Levels of 0 to 1, (h, w), as pixels: (h, w, 4) uint8 RGBA, premultiplied."""
    made = np.asarray(_looked_up(levels, fillings))
    return made.view(np.uint8).reshape(*levels.shape, 4)
