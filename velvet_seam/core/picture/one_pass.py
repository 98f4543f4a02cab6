"""Joining premultiplied pixels with what is wholly covered in one pass.

Over a backdrop b that is wholly covered, blending and source-over of the specification (see
:class:`~velvet_seam.core.picture.blends.base.Blend`) come to ``b + α·(B(b, Cs) − b)``. With the premultiplied
colour ``s = α·Cs`` that is ``s + (1 − α)·b`` for normal, and for many of the others what is added to b needs no
division: that is their ``at_once``. Each is so many times itself when s and α are, so that opacity is
multiplied into both beforehand.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numba as nb
import numpy as np

from velvet_seam.core.picture.blend import BLACK_IDLE, chosen
from velvet_seam.core.picture.blends import BLENDS, NORMAL
from velvet_seam.core.picture.blends.base import formula
from velvet_seam.core.picture.spans import any_of

STRETCH = 128
"""Pixels that are looked at together for any that changes something."""


@formula
def _normal(b, s, a):
    """Where a pixel is clear or whole, exactly nothing or exactly itself."""
    return s + b * (np.float32(1) - a)


def _changed(change: Callable[[Any, Any, Any], Any]) -> Any:
    """What a backdrop becomes by what a blend changes of it."""

    @formula
    def become(b, s, a):
        return min(max(b + change(b, s, a), np.float32(0)), np.float32(1))

    return become


def _pass(become: Callable[[Any, Any, Any], Any]) -> Any:
    """A loop over packed pixels that joins them with planes R, G, B of ``p`` values each, from ``left`` on.
    ``share`` is the opacity over 255; stretches without any of the bits ``seen`` change nothing. Where all
    are of one colour there is nothing to unpack, and what depends on the colour alone is found once."""

    @nb.njit(error_model="numpy", fastmath={"contract"})
    def run_of_one(pixel, to, left, p, n, share):
        a = np.float32(np.int32(pixel >> np.uint32(24))) * share
        for channel in range(3):
            value = (pixel >> np.uint32(8 * channel)) & np.uint32(255)
            s, at = min(np.float32(np.int32(value)) * share, a), np.uint64(left + channel * p)
            for k in range(n):
                i = at + np.uint64(k)
                to[i] = become(to[i], s, a)

    @nb.njit(error_model="numpy", fastmath={"contract"})
    def run(mode, row, at, to, left, p, n, share, seen, one_colour):
        if one_colour:
            run_of_one(row[at], to, left, p, n, share)
            return
        byte = np.uint32(255)
        eight, sixteen, top = np.uint32(8), np.uint32(16), np.uint32(24)
        for begin in range(0, n, STRETCH):
            length, first = min(STRETCH, n - begin), at + np.uint64(begin)
            if not any_of(row, first, length, seen):
                continue
            r, g = np.uint64(left + begin), np.uint64(left + begin + p)
            b = np.uint64(left + begin + 2 * p)
            for k in range(length):
                i = np.uint64(k)
                pixel = row[first + i]
                a = np.float32(np.int32(pixel >> top)) * share
                red = min(np.float32(np.int32(pixel & byte)) * share, a)
                green = min(np.float32(np.int32((pixel >> eight) & byte)) * share, a)
                blue = min(np.float32(np.int32((pixel >> sixteen) & byte)) * share, a)
                to[r + i] = become(to[r + i], red, a)
                to[g + i] = become(to[g + i], green, a)
                to[b + i] = become(to[b + i], blue, a)

    return run


_WAYS = {
    number: _changed(blend.at_once) if blend.at_once else _normal
    for number, blend in enumerate(BLENDS)
    if blend.at_once or blend == NORMAL
}

ONE_PASS = tuple(_WAYS)
"""The numbers of the blends that are joined so."""


def _fork(number: int, below: Any, others: Any) -> Any:
    @nb.njit(error_model="numpy", inline="always")
    def passed(mode, row, at, to, left, p, n, share, seen, one_colour):
        if mode < number:
            below(mode, row, at, to, left, p, n, share, seen, one_colour)
        else:
            others(mode, row, at, to, left, p, n, share, seen, one_colour)

    return passed


_pass_of = chosen([(number, _pass(become)) for number, become in _WAYS.items()], _fork)


@nb.njit(error_model="numpy")
def joined_at_once(mode, row, at, to, left, p, n, opacity, one_colour):
    """Join ``n`` packed pixels, which may all be of ``one_colour``, with planes by one of :data:`ONE_PASS`."""
    share = np.float32(opacity) * np.float32(1.0 / 255.0)
    # light on black: most of it changes nothing
    seen = np.uint32(0xFFFFFF) if mode in BLACK_IDLE else np.uint32(0xFFFFFFFF)
    _pass_of(mode, row, at, to, left, p, n, share, seen, one_colour)
