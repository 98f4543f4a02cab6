"""The luma key: coverage from brightness. Light on black, ink on paper, silhouettes."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.colour import LUMA_709


@nb.njit(error_model="numpy")
def _row(row, low, high, per, to):
    wr, wg, wb = np.float32(LUMA_709[0]), np.float32(LUMA_709[1]), np.float32(LUMA_709[2])
    zero, one, half, full = np.float32(0), np.float32(1), np.float32(0.5), np.float32(255)
    byte, unit = np.uint32(255), np.float32(1 / 255)
    for x in range(to.size):
        v = row[x]
        luma = wr * np.float32(np.int32(v & byte)) + wg * np.float32(
            np.int32((v >> np.uint32(8)) & byte)
        )
        luma = (luma + wb * np.float32(np.int32((v >> np.uint32(16)) & byte))) * unit
        a = min(max((luma - low) * per + half, zero), one)
        b = min(max((high - luma) * per + half, zero), one)
        to[x] = np.uint8(np.int32(a * b * full + half))


@kernel(parallel=True)
def _key(picture, low, high, per):
    out = np.empty(picture.shape, np.uint8)
    for y in nb.prange(picture.shape[0]):
        _row(picture[y], low, high, per, out[y])
    return out


def luma_key(
    picture: NDArray[np.uint8], *, low: float, high: float, softness: float
) -> NDArray[np.uint8]:
    """Coverage of what lies between two levels of luma.

    Args:
        picture: (h, w, 4) uint8 RGBA, display-referred, premultiplied.
        low, high: levels, 0 to 1. At 0 and below, and at 1 and above, that side has no limit.
        softness: range of luma over which coverage rises, half of it on each side of the level.

    Returns:
        (h, w) uint8.

    >>> ramp = np.repeat(np.array([0, 64, 128, 255], np.uint8)[None, :, None], 4, 2)
    >>> luma_key(ramp, low=0.25, high=1, softness=0.1).tolist()
    [[0, 130, 255, 255]]
    """
    soft = max(softness, 1e-3)
    bottom = low if low > 0 else -1.0
    top = high if high < 1 else 2.0
    pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    return np.asarray(_key(pixels, np.float32(bottom), np.float32(top), np.float32(1 / soft)))
