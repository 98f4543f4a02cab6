"""The box mask: coverage from the signed distance to a box."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def box_mask(
    picture: NDArray[np.uint8],
    left: float,
    top: float,
    right: float,
    bottom: float,
    feather: float,
    inside: bool,
) -> NDArray[np.uint8]:
    """A picture with what lies outside (or inside) a box removed.

    Args:
        picture: (h, w, 4) uint8 RGBA, premultiplied.
        left, top, right, bottom: the box, in pixels of ``picture``; may lie partly outside it.
        feather: width of the soft edge in the same pixels, half of it on each side of the box.
            Below one pixel the edge is anti-aliased over one pixel.
        inside: remove what lies inside instead of what lies outside.

    The distance is that to a box with sharp corners, exact outside and inside (I. Quilez, *2D
    distance functions*); coverage falls linearly from 1 to 0 over the feather.
    """
    out = np.empty_like(picture)
    cx, cy = (left + right) / 2, (top + bottom) / 2
    hw, hh = abs(right - left) / 2, abs(bottom - top) / 2
    soft = max(feather, 1.0)
    for y in nb.prange(picture.shape[0]):
        dy = abs(y + 0.5 - cy) - hh
        for x in range(picture.shape[1]):
            dx = abs(x + 0.5 - cx) - hw
            distance = np.sqrt(dx * dx + dy * dy) if dx > 0 and dy > 0 else max(dx, dy)
            keep = min(max(0.5 - distance / soft, 0.0), 1.0)
            if inside:
                keep = 1.0 - keep
            for c in range(4):
                out[y, x, c] = np.uint8(picture[y, x, c] * keep + 0.5)
    return out
