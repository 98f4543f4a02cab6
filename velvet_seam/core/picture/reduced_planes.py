"""Planes of a video codec reduced before they become pixels: means of Y', Cb and Cr over blocks.

To R'G'B' the way is linear, so the mean of the pixels of a block is the pixel of the means, but for what is cut off beyond
black and white. A picture of 4K that is shown at a sixteenth of its pixels is so converted sixteen times less.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

F32 = NDArray[np.float32]


def factor_of(width: int, height: int, size: tuple[int, int]) -> int:
    """By how much planes are reduced to a width and height, in blocks of whole samples of chroma; 1 where they are not.

    >>> factor_of(3840, 2160, (960, 540)), factor_of(2704, 1520, (960, 540)), factor_of(1620, 1080, (540, 360))
    (4, 1, 1)
    """
    by = width // max(size[0], 1)
    fits = by >= 2 and by % 2 == 0 and (width, height) == (by * size[0], by * size[1])
    return by if fits else 1


@nb.njit(error_model="numpy")
def _added(row, weight, to):
    for x in range(to.size):
        to[x] += weight * np.float32(row[x])


@nb.njit(error_model="numpy")
def _paired(row, to):
    """The sums of two neighbours each."""
    one, two = np.uint64(1), np.uint64(2)
    for n in range(to.size):
        x = np.uint64(n)
        to[x] = row[two * x] + row[two * x + one]


@nb.njit(error_model="numpy")
def _gathered(row, spare, by, scale, to):
    """The sums of so many neighbours each, two by two, which runs in vectors; the row and a ``spare`` one are used up."""
    while by % 2 == 0:
        by //= 2
        _paired(row, spare[: to.size * by])
        row, spare = spare, row
    if by == 1:
        for x in range(to.size):
            to[x] = row[x] * scale
        return
    for x in range(to.size):
        total = row[by * x]
        for n in range(1, by):
            total += row[by * x + n]
        to[x] = total * scale


@nb.njit(error_model="numpy")
def _to_the_left(row, across):
    """Of chroma that lies on the left of two samples of luma what lies between two is half of each: so a block has a
    quarter of the sample behind it, and of its own first so much less. The row says it of every block's first sample."""
    quarter, step = np.float32(0.25), np.uint64(across)
    for n in range(row.size // across - 1):
        x = step * np.uint64(n)
        row[x] += quarter * (row[x + step] - row[x])
    if row.size >= across:  # behind the last of all its own value goes on
        row[row.size - across] += quarter * (row[row.size - 1] - row[row.size - across])


@kernel()
def reduced_planes(luma, blue, red, width, height, by, halved_across, halved_down):
    """Means over blocks: (3, height / by, width / by) float32 of Y', Cb and Cr, each in the steps of its samples.

    Chroma counts where MPEG-2 and H.264 put it: on the left sample of two across, midway between two down.

    Args:
        luma, blue, red: Y', Cb, Cr as (rows, samples a row), uint8 or uint16.
        width, height: of the picture, both multiples of ``by``, which is even.
        halved_across, halved_down: whether chroma has half the samples along a line, half the lines.
    """
    wide, tall = width // by, height // by
    out = np.empty((3, tall, wide), np.float32)
    across = by // 2 if halved_across else by
    down = by // 2 if halved_down else by
    columns, lines = wide * across, tall * down
    light, colour = np.empty(width, np.float32), np.empty(columns, np.float32)
    spare = np.empty(width, np.float32)
    one, eighth = np.float32(1), np.float32(0.125)
    for y in range(tall):
        light[:] = 0
        for n in range(by):
            _added(luma[by * y + n], one, light)
        _gathered(light, spare, by, np.float32(1 / (by * by)), out[0, y])
        for c in range(2):
            plane = blue if c == 0 else red
            colour[:] = 0
            first, last = down * y, down * y + down - 1
            for n in range(first, last + 1):
                _added(plane[n], one, colour)
            if (
                halved_down
            ):  # a line lies midway between two, so an eighth of the outer ones is the neighbours'
                _added(plane[first], -eighth, colour)
                _added(plane[last], -eighth, colour)
                _added(plane[max(first - 1, 0)], eighth, colour)
                _added(plane[min(last + 1, lines - 1)], eighth, colour)
            scale = np.float32(1 / (across * down))
            if halved_across:
                _to_the_left(colour, across)
            _gathered(colour, spare, across, scale, out[1 + c, y])
    return out
