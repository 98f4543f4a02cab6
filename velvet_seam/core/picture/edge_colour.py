"""The colour of an edge: what is partly covered says little of its own colour, the pixels beside it say more.

Unmixing divides by coverage, and with it what coding, grain and a coverage that is a little wrong have done to the
pixel. So the foreground's colour F of a pixel of coverage α is drawn towards the mean M of it and the eight around,
each counting by its α³, the more the less is seen of it and the less they differ among each other:
``M + (F − M) · α²V / (α²V + N)``, with their variance V, and N for what is wrong with a pixel. That is the mean of
what is seen and what is expected, each by its certainty, as in Y.-Y. Chuang et al., *A Bayesian Approach to Digital
Matting* (2001), with one colour nearby and coverage already known.
"""

from __future__ import annotations

from math import ceil

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.unmix import PLANE, RUN
from velvet_seam.core.side_by_side import side_by_side

_NOISE = 0.05**2
_LEAST_VARIANCE = 1e-4
_TINY = 1e-6

ROWS = 64
"""Rows that one thread makes one after the other."""

ROOM = 5 * PLANE
"""Values that the sums of a run take: of α³, of α³F in three channels, and of α³F²."""


@nb.njit(error_model="numpy", fastmath={"contract"})
def _summed(above, here, below, begin, end, place, room):
    """Sums over three rows, for each column from ``begin`` to ``end``; the first lies at ``place`` of each plane."""
    byte, unit = np.uint32(255), np.float32(1 / 255)
    for n in range(end - begin):
        m = np.uint64(n)
        x, to = np.uint64(begin) + m, np.uint64(place) + m
        weight, squares = np.float32(0), np.float32(0)
        red, green, blue = np.float32(0), np.float32(0), np.float32(0)
        for v in (above[x], here[x], below[x]):
            a = np.float32(np.int32(v >> np.uint32(24))) * unit
            r = np.float32(np.int32(v & byte)) * unit
            g = np.float32(np.int32((v >> np.uint32(8)) & byte)) * unit
            b = np.float32(np.int32((v >> np.uint32(16)) & byte)) * unit
            weight += a * a * a
            red += a * a * r
            green += a * a * g
            blue += a * a * b
            squares += a * (r * r + g * g + b * b)
        room[to] = weight
        room[np.uint64(PLANE) + to] = red
        room[np.uint64(2 * PLANE) + to] = green
        room[np.uint64(3 * PLANE) + to] = blue
        room[np.uint64(4 * PLANE) + to] = squares


@nb.njit(error_model="numpy", inline="always")
def _three(room, plane, n):
    at = np.uint64(plane * PLANE) + n
    return room[at] + room[at + np.uint64(1)] + room[at + np.uint64(2)]


@nb.njit(error_model="numpy", fastmath={"contract"})
def edge_colour(above, here, below, first, last, room, to):
    """The pixels ``first`` to ``last`` of a row, those partly covered with a colour that those beside them agree with.

    Args:
        above, here, below: (w,) uint32, rows of packed pixels, premultiplied; ``here`` is the row.
        room: (:data:`ROOM`,) float32, overwritten; at most :data:`~velvet_seam.core.picture.unmix.RUN` pixels.
        to: (w,) uint32, another row than those three.
    """
    width = here.size
    begin, end = max(first - 1, 0), min(last + 1, width)
    # at 0 of a plane lies the column before the run; beyond the picture is what its edge is
    _summed(above, here, below, begin, end, begin - (first - 1), room)
    for plane in range(5):
        if first == 0:
            room[plane * PLANE] = room[plane * PLANE + 1]
        if last == width:
            room[plane * PLANE + last - first + 1] = room[plane * PLANE + last - first]
    zero, one, unit, byte = np.float32(0), np.float32(1), np.float32(1 / 255), np.uint32(255)
    full, half, third = np.float32(255), np.float32(0.5), np.float32(1 / 3)
    noise, least, tiny = np.float32(_NOISE), np.float32(_LEAST_VARIANCE), np.float32(_TINY)
    for n in range(last - first):
        m = np.uint64(n)
        v = here[np.uint64(first) + m]
        cover = v >> np.uint32(24)
        a = np.float32(np.int32(cover)) * unit
        part = one / max(_three(room, 0, m), tiny)
        r, g, b = _three(room, 1, m) * part, _three(room, 2, m) * part, _three(room, 3, m) * part
        vary = max((_three(room, 4, m) * part - (r * r + g * g + b * b)) * third, zero) + least
        seen = a * a * vary
        by = noise / (seen + noise) if cover < byte else zero
        red = np.float32(np.int32(v & byte)) * unit
        green = np.float32(np.int32((v >> np.uint32(8)) & byte)) * unit
        blue = np.float32(np.int32((v >> np.uint32(16)) & byte)) * unit
        red = min(max(red + (r * a - red) * by, zero), a)
        green = min(max(green + (g * a - green) * by, zero), a)
        blue = min(max(blue + (b * a - blue) * by, zero), a)
        word = np.uint32(np.int32(red * full + half)) | cover << np.uint32(24)
        word |= np.uint32(np.int32(green * full + half)) << np.uint32(8)
        word |= np.uint32(np.int32(blue * full + half)) << np.uint32(16)
        to[np.uint64(first) + m] = word


@nb.njit(error_model="numpy")
def _any_partly(row, first, last):
    """Whether any of some pixels is neither clear nor wholly covered."""
    some = False
    for n in range(last - first):  # 0 less 1 is the largest number there is
        cover = row[np.uint64(first) + np.uint64(n)] >> np.uint32(24)
        some |= cover - np.uint32(1) < np.uint32(254)
    return some


@kernel()
def _rows(packed, first, last, out):
    height, width = packed.shape
    room = np.empty(ROOM, np.float32)
    for y in range(first, last):
        out[y] = packed[y]
        above, below = packed[max(y - 1, 0)], packed[min(y + 1, height - 1)]
        for begin in range(0, width, RUN):
            end = min(begin + RUN, width)
            if _any_partly(packed[y], begin, end):
                edge_colour(above, packed[y], below, begin, end, room, out[y])


def edge_coloured(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A cut-out with the colours of its edges heard from those beside them: (h, w, 4) uint8 RGBA, premultiplied.

    >>> cut = np.full((3, 3, 4), (200, 100, 50, 255), np.uint8)
    >>> cut[1, 1] = (60, 70, 20, 128)
    >>> edge_coloured(cut)[1, 1].tolist()
    [97, 52, 25, 128]
    """
    packed = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    out, height = np.empty_like(packed), packed.shape[0]

    def make(n: int) -> None:
        _rows(packed, n * ROWS, min(n * ROWS + ROWS, height), out)

    side_by_side(make, ceil(height / ROWS))
    return out.view(np.uint8).reshape(picture.shape)
