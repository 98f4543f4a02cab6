"""Box masks: coverage from the signed distance to boxes, all boxes of a layer in one pass."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Box:
    """A box in pixels of a picture; it may lie partly outside it.

    ``feather`` is the width of the soft edge, half of it on each side of the box; below one pixel
    the edge is anti-aliased over one pixel. ``inside`` removes what lies inside the box instead of
    what lies outside.
    """

    left: float
    top: float
    right: float
    bottom: float
    feather: float = 0.0
    inside: bool = False


@nb.njit(error_model="numpy")
def _cover(cover, first, last, cx, half_w, dy, soft, inside):
    """Weigh a part of a row by a box's coverage; ``dy`` is how far the row lies outside it."""
    half, zero, one = np.float32(0.5), np.float32(0), np.float32(1)
    below = max(dy, zero)
    for k in range(last - first):
        x = np.uint64(first + k)
        dx = abs(np.float32(np.int32(first + k)) + half - cx) - half_w
        beside = max(dx, zero)
        distance = np.sqrt(beside * beside + below * below) + min(max(dx, dy), zero)
        keep = min(max(half - distance / soft, zero), one)
        cover[x] *= one - keep if inside else keep


@nb.njit(inline="always", error_model="numpy")
def _within(x, width):
    return min(max(int(x), 0), width)


@nb.njit(error_model="numpy")
def _weigh(row, cover, to):
    byte, half = np.uint32(255), np.float32(0.5)
    shift, two, three = np.uint32(8), np.uint32(16), np.uint32(24)
    for x in range(to.size):
        v, keep = row[x], cover[x]
        r = np.uint32(np.int32(np.float32(np.int32(v & byte)) * keep + half))
        g = np.uint32(np.int32(np.float32(np.int32((v >> shift) & byte)) * keep + half))
        b = np.uint32(np.int32(np.float32(np.int32((v >> two) & byte)) * keep + half))
        a = np.uint32(np.int32(np.float32(np.int32(v >> three)) * keep + half))
        to[x] = r | g << shift | b << two | a << three


@nb.njit(error_model="numpy")
def _mask_row(row, y, boxes, cover, to):
    """Most rows, and most of a row, are kept or dropped whole; ``to`` is clear so far."""
    width = row.size
    begin, end, touched = 0, width, False
    for k in range(boxes.shape[0]):
        cx, half_w, soft, inside = boxes[k, 0], boxes[k, 2], boxes[k, 4], boxes[k, 5] != 0
        dy = np.float32(abs(y + 0.5 - boxes[k, 1]) - boxes[k, 3])
        if dy >= soft / 2:
            if inside:
                continue
            return
        if not touched:
            cover[:] = 1
            touched = True
        # the soft edges lie between a and b and between c and d
        a, d = _within(cx - half_w - soft, width), _within(cx + half_w + soft + 1, width)
        b, c = _within(cx - half_w + soft + 1, width), _within(cx + half_w - soft, width)
        if dy > -soft / 2 or b >= c:
            _cover(cover, a, d, cx, half_w, dy, soft, inside)
        else:
            _cover(cover, a, b, cx, half_w, dy, soft, inside)
            _cover(cover, c, d, cx, half_w, dy, soft, inside)
            if inside:
                cover[b:c] = 0
        if not inside:
            begin, end = max(begin, a), min(end, d)
    if begin < end:
        if touched:
            _weigh(row[begin:end], cover[begin:end], to[begin:end])
        else:
            to[begin:end] = row[begin:end]


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _mask(picture, first, last, boxes):
    """``boxes`` has centre, half size, softness and whether it removes its inside in every row."""
    height, width = picture.shape
    out = np.zeros((height, width), np.uint32)
    for y in nb.prange(first, last):
        _mask_row(picture[y], y, boxes, np.empty(width, np.float32), out[y])
    return out


def box_mask(
    picture: NDArray[np.uint8], boxes: Sequence[Box], rows: tuple[int, int] | None = None
) -> NDArray[np.uint8]:
    """A picture with what lies outside (or inside) some boxes removed.

    Args:
        picture: (h, w, 4) uint8 RGBA, premultiplied.
        rows: first and last (excluded) row that is needed; the others become clear.

    The distance is that to a box with sharp corners, exact outside and inside (I. Quilez, *2D
    distance functions*); coverage falls linearly from 1 to 0 over the feather.

    >>> white = np.full((4, 4, 4), 255, np.uint8)
    >>> box_mask(white, [Box(1, 0, 3.5, 4)])[1, :, 3].tolist()
    [0, 255, 255, 128]
    """
    pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    table = np.array(
        [
            (
                (b.left + b.right) / 2, (b.top + b.bottom) / 2, abs(b.right - b.left) / 2,
                abs(b.bottom - b.top) / 2, max(b.feather, 1.0), b.inside,
            )
            for b in boxes
        ],
        np.float32,
    ).reshape(-1, 6)  # fmt: skip
    masked = _mask(pixels, *(rows or (0, picture.shape[0])), table)
    return np.asarray(masked.view(np.uint8).reshape(picture.shape))
