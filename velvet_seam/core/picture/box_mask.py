"""The box mask: coverage from the signed distance to a box."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray


@nb.njit(inline="always", error_model="numpy")
def _kept(v, across, dy, half_w, soft, inside):
    """A pixel weighted by the box's coverage at its place."""
    byte, half, one = np.uint32(255), np.float32(0.5), np.float32(1)
    dx = abs(across) - half_w
    distance = np.sqrt(dx * dx + dy * dy) if dx > 0 and dy > 0 else max(dx, dy)
    keep = np.float32(min(max(0.5 - distance / soft, 0.0), 1.0))
    if inside:
        keep = one - keep
    r = np.uint32(np.int32(np.float32(np.int32(v & byte)) * keep + half))
    g = np.uint32(np.int32(np.float32(np.int32((v >> np.uint32(8)) & byte)) * keep + half))
    b = np.uint32(np.int32(np.float32(np.int32((v >> np.uint32(16)) & byte)) * keep + half))
    a = np.uint32(np.int32(np.float32(np.int32(v >> np.uint32(24))) * keep + half))
    return r | g << np.uint32(8) | b << np.uint32(16) | a << np.uint32(24)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _box_mask(picture, first, last, cx, cy, half_w, half_h, soft, inside):
    """A pixel is one uint32; most of them are kept or dropped whole, a row at a time."""
    height, width = picture.shape
    out = np.zeros((height, width), np.uint32)
    # from here to there the whole height of a column is kept, as far as it depends on the column
    x0 = min(max(int(np.ceil(cx - half_w + soft / 2)), 0), width)
    x1 = min(max(int(cx + half_w - soft / 2), x0), width)
    for y in nb.prange(first, last):
        dy = abs(y + 0.5 - cy) - half_h
        row, to = picture[y], out[y]
        if dy >= soft / 2:
            for x in range(width):
                to[x] = row[x] if inside else 0
            continue
        core = dy <= -soft / 2 and x1 > x0
        for x in range(x0 if core else width):
            to[x] = _kept(row[x], x + 0.5 - cx, dy, half_w, soft, inside)
        if core:
            for x in range(x0, x1):
                to[x] = 0 if inside else row[x]
            for x in range(x1, width):
                to[x] = _kept(row[x], x + 0.5 - cx, dy, half_w, soft, inside)
    return out


def box_mask(
    picture: NDArray[np.uint8],
    left: float,
    top: float,
    right: float,
    bottom: float,
    feather: float,
    inside: bool,
    rows: tuple[int, int] | None = None,
) -> NDArray[np.uint8]:
    """A picture with what lies outside (or inside) a box removed.

    Args:
        picture: (h, w, 4) uint8 RGBA, premultiplied.
        left, top, right, bottom: the box, in pixels of ``picture``; may lie partly outside it.
        feather: width of the soft edge in the same pixels, half of it on each side of the box.
            Below one pixel the edge is anti-aliased over one pixel.
        inside: remove what lies inside instead of what lies outside.
        rows: first and last (excluded) row that is needed; the others become clear.

    The distance is that to a box with sharp corners, exact outside and inside (I. Quilez, *2D
    distance functions*); coverage falls linearly from 1 to 0 over the feather.

    >>> white = np.full((4, 4, 4), 255, np.uint8)
    >>> box_mask(white, 1, 0, 3.5, 4, 0, False)[1, :, 3].tolist()
    [0, 255, 255, 128]
    """
    pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    masked = _box_mask(
        pixels, *(rows or (0, picture.shape[0])), (left + right) / 2, (top + bottom) / 2, abs(right - left) / 2,
        abs(bottom - top) / 2, max(feather, 1.0), inside,
    )  # fmt: skip
    return np.asarray(masked.view(np.uint8).reshape(picture.shape))
