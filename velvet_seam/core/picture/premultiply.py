"""Between straight colour, as files keep it, and premultiplied colour, as the engine does."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray


@nb.njit(cache=True, nogil=True, error_model="numpy")
def premultiply(rgba: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Premultiply (height, width, 4) uint8 RGBA in place, rounding to nearest, and return it."""
    for y in range(rgba.shape[0]):
        for x in range(rgba.shape[1]):
            a = np.int32(rgba[y, x, 3])
            if a != 255:
                for c in range(3):
                    rgba[y, x, c] = (np.int32(rgba[y, x, c]) * a + 127) // 255
    return rgba
