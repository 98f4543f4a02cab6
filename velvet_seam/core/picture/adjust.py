"""A table laid on what has been joined already, while it is joined: an adjustment between two layers.

The piece of a row that all layers go through is looked up where it lies, in floats; nothing is written to memory
or rounded in between.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.grade import (
    CURVE,
    PIECE,
    Table,
    fetched,
    gains_of,
    lanes_mixed,
    places_of_floats,
    shifted_curves,
    weighed_sums,
)
from velvet_seam.core.picture.light import displayed, lit
from velvet_seam.core.picture.pointer import floats_at, pixels_at, words_at

ADJUST = 1000
"""What stands in place of a blend's number."""


@dataclass(frozen=True)
class Adjust:
    """A ``table`` for what lies below, inside ``cover``: coverage of a patch whose top left pixel is at ``left``,
    ``top``, (h, w) uint32 packed pixels; everywhere where there is none."""

    table: Table
    cover: NDArray[np.uint32] | None = None
    left: int = 0
    top: int = 0

    @property
    def nbytes(self) -> int:
        return self.table.nbytes + (self.cover.nbytes if self.cover is not None else 0)


@nb.njit(error_model="numpy")
def _covered(cover, at, n, strength, part):
    unit = np.float32(1 / 255) * strength
    for k in range(n):
        i = np.uint64(k)
        part[i] = np.float32(np.int32(cover[at + i] >> np.uint32(24))) * unit


@nb.njit(error_model="numpy")
def _shown_piece(to, at, stride, n, kept):
    """Light as display values; what it was is kept."""
    for c in range(3):
        first, own = at + np.uint64(c) * stride, np.uint64(c * PIECE)
        for k in range(n):
            i = np.uint64(k)
            kept[own + i] = to[first + i]
            to[first + i] = displayed(to[first + i])


@nb.njit(error_model="numpy")
def _lit_piece(to, at, stride, n, kept, part):
    """Display values as light, mixed into what was there."""
    for c in range(3):
        first, own = at + np.uint64(c) * stride, np.uint64(c * PIECE)
        for k in range(n):
            i = np.uint64(k)
            below = kept[own + i]
            to[first + i] = below + part[i] * (lit(to[first + i]) - below)


@nb.njit(error_model="numpy")
def adjust_piece(
    to,
    begin,
    p,
    n,
    table,
    side,
    cover,
    cover_at,
    opacity,
    linear,
    where,
    weights,
    nodes,
    sums,
    part,
    whole,
    kept,
):
    """Look up ``n`` values of the planes R, G, B of ``p`` each, from ``begin`` on.

    ``table`` and ``cover`` are addresses, the second 0 where it covers everywhere; ``side`` is 0 for curves. ``whole``
    is full of 1.
    """
    stride = np.uint64(p)
    gain, bend = gains_of(side)
    for first in range(0, n, PIECE):
        m = min(PIECE, n - first)
        at = np.uint64(begin + first)
        strength = np.float32(opacity)
        if cover != np.uint64(0):
            rows = nb.carray(pixels_at(cover), np.int64(cover_at) + n)
            _covered(rows, cover_at + np.uint64(first), m, strength, part)
        else:
            part[:m] = strength
        mixed = part
        if linear:  # opacity acts on light, a look on what is displayed
            _shown_piece(to, at, stride, m, kept)
            mixed = whole
        if side == 0:
            shifted_curves(nb.carray(floats_at(table), 3 * CURVE), to, at, stride, m, mixed)
        else:
            lattice = nb.carray(words_at(table), side * side * side)
            places_of_floats(to, at, stride, m, side, gain, bend, where, weights)
            for corner in range(4):
                fetched(lattice, where, corner * PIECE, m, nodes)
            weighed_sums(nodes, weights, m, sums)
            lanes_mixed(sums, to, at, stride, m, mixed)
        if linear:
            _lit_piece(to, at, stride, m, kept, part)
