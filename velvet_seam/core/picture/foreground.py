"""What stands before a screen, seen coarsely: its colour nearby, how much that varies, where it is
surely whole.

The screen key needs a guess of the foreground's own colour wherever a pixel is partly screen. It is
taken from pixels that are surely no screen and spread to their neighbourhood, over growing sizes, as
the screen's own surface is.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.colour import LUMA_709
from velvet_seam.core.picture.screen import CELL, spread
from velvet_seam.core.picture.unmix import COLOURED, far_of, grey_of, raw_of

SURE = 0.93
"""Raw coverage, relative to the most there is, from which a study pixel counts as foreground."""

CORE = 0.95
"""The same for study pixels that need no further look; all around them must be so too."""

MARGIN = 4
"""How far around at least, in study pixels."""

UNKNOWN = (0.5, 0.5, 0.5, 0.45, 0.1, 0.1)
"""Where no foreground is seen at all: grey, and anything."""


@dataclass(frozen=True)
class Foreground:
    """``near``: (rows, columns, 6) float32, for each cell of the surface the mean colour nearby, its key
    channel first and the other two in their cyclic order, and the mean squares of Y', Cb and Cr.
    ``white``: the raw coverage of what is wholly there, 0.7 to 1. ``core``: uint8, 1 where a study pixel is
    surely all foreground."""

    near: NDArray[np.float32]
    white: float
    core: NDArray[np.uint8]

    @property
    def nbytes(self) -> int:
        return self.near.nbytes + self.core.nbytes


_KR, _KG, _KB = LUMA_709
_YCC = np.array(
    [
        [_KR, _KG, _KB],
        [-_KR / 1.8556, -_KG / 1.8556, (1 - _KB) / 1.8556],
        [(1 - _KR) / 1.5748, -_KG / 1.5748, -_KB / 1.5748],
    ]
)


def ycc_of(key: int) -> NDArray[np.float32]:
    """The matrix from a colour, its key channel first, to Y', Cb, Cr of BT.709: (3, 3) float32.

    >>> abs(ycc_of(1) @ [1, 1, 1]).round(4).tolist()
    [1.0, 0.0, 0.0]
    """
    return np.ascontiguousarray(_YCC[:, [key, (key + 1) % 3, (key + 2) % 3]], np.float32)


@kernel()
def _raw(small, screen, k, to_ycc, grey):
    """Raw coverage of every study pixel, 0 to 1."""
    out = np.empty(small.shape[:2], np.float32)
    to, pixels, behind = out.reshape(-1), small.reshape(-1), screen.reshape(-1)
    ck, ci, cj, three = np.uint64(k), np.uint64((k + 1) % 3), np.uint64((k + 2) % 3), np.uint64(3)
    for n in range(to.size):
        x = np.uint64(n)
        at = three * x
        pk, pi, pj = pixels[at + ck], pixels[at + ci], pixels[at + cj]
        sk, si, sj = behind[at + ck], behind[at + ci], behind[at + cj]
        a = raw_of(pk, pi, pj, sk, si, sj)
        if grey:
            dk, di, dj = pk - sk, pi - si, pj - sj
            y = to_ycc[0, 0] * dk + to_ycc[0, 1] * di + to_ycc[0, 2] * dj
            u = to_ycc[1, 0] * dk + to_ycc[1, 1] * di + to_ycc[1, 2] * dj
            v = to_ycc[2, 0] * dk + to_ycc[2, 1] * di + to_ycc[2, 2] * dj
            a += grey_of(sk, si, sj) * (far_of(y, u, v) - a)
        to[x] = a
    return out


def has_grey(surface: NDArray[np.float32], key: int) -> bool:
    """Whether a screen has little colour anywhere.

    >>> has_grey(np.full((1, 1, 3), 0.5, np.float32), 1), has_grey(np.array([[[0.1, 0.7, 0.2]]], np.float32), 1)
    (True, False)
    """
    others = np.maximum(surface[..., (key + 1) % 3], surface[..., (key + 2) % 3])
    least = (surface[..., key] - others) / np.maximum(surface[..., key], 0.05)
    return bool(least.min() < COLOURED)


@kernel()
def _sums(small, screen, raw, around, white, k, to_ycc, rows, columns):
    """Sums over cells of the unmixed colour of sure foreground, of the squares of its Y', Cb, Cr, and the
    count. ``around`` is the least raw coverage of every pixel and its eight neighbours."""
    height, width = raw.shape
    sums = np.zeros((rows, columns, 7), np.float32)
    zero, one, sure = np.float32(0), np.float32(1), np.float32(SURE)
    i, j = (k + 1) % 3, (k + 2) % 3
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            if around[y, x] <= sure * white:
                continue
            a = min(raw[y, x] / white, one)
            rest = one - a
            ck = min(max((small[y, x, k] - rest * screen[y, x, k]) / a, zero), one)
            ci = min(max((small[y, x, i] - rest * screen[y, x, i]) / a, zero), one)
            cj = min(max((small[y, x, j] - rest * screen[y, x, j]) / a, zero), one)
            cell = sums[y // CELL, x // CELL]
            cell[0] += ck
            cell[1] += ci
            cell[2] += cj
            for n in range(3):
                c = to_ycc[n, 0] * ck + to_ycc[n, 1] * ci + to_ycc[n, 2] * cj
                cell[3 + n] += c * c
            cell[6] += one
    return sums


def _least_around(values: NDArray[np.float32], reach: int) -> NDArray[np.float32]:
    """The least of every value and all that are up to ``reach`` away across and down."""
    side = 2 * reach + 1
    return np.asarray(cv2.erode(values, np.ones((side, side), np.uint8)), np.float32)


def most_there_is(raw: NDArray[np.float32]) -> float:
    """The 0.9 quantile of raw coverage above a half, 0.7 to 1; 1 where there is next to none."""
    some = raw[raw > 0.5]
    if some.size <= 20:
        return 1.0
    place = 0.9 * (some.size - 1)
    low = int(place)
    one, other = np.partition(some, (low, low + 1))[low : low + 2].tolist()
    return min(max(one + (other - one) * (place - low), 0.7), 1.0)


def local_foreground(
    small: NDArray[np.float32], surface: NDArray[np.float32], key: int, margin: int = MARGIN
) -> Foreground:
    """The foreground before a screen.

    Args:
        small: the picture as :func:`~velvet_seam.core.picture.screen.study` gives it.
        surface: the screen's surface, from ``screen_surface``.
        key: the screen's strongest channel, 0 to 2.
        margin: how far around a study pixel all must be foreground for it to be surely so.
    """
    height, width = small.shape[:2]
    rows, columns = surface.shape[:2]
    screen = np.asarray(
        cv2.resize(surface, (width, height), interpolation=cv2.INTER_LINEAR), np.float32
    )
    to_ycc = ycc_of(key)
    raw = _raw(small, screen, key, to_ycc, has_grey(surface, key))
    white = most_there_is(raw)
    around = _least_around(raw, 1)
    sums = _sums(small, screen, raw, around, np.float32(white), key, to_ycc, rows, columns)
    unknown = np.array(UNKNOWN, np.float32).reshape(1, 1, 6)
    core = (_least_around(raw, margin) > np.float32(CORE * white)).astype(np.uint8)
    return Foreground(spread(sums, unknown, np.float32(2.0)), white, core)
