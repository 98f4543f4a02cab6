"""Laying a grade on pixels: colours looked up in a table, whatever the grade is made of.

A grade that acts on each channel by itself is three curves; any other is a lattice of colours between which is
found by the six tetrahedra of a cell (H. Kang, *Color Technology for Electronic Imaging Devices*, 1997). Nodes hold
red, green and blue in one 64-bit number, 21 bits each, beyond black and white too, and the four weights of a
pixel are whole numbers that sum to 256: so one multiplication weighs three channels, and what is exact comes out
exact. Nodes lie closer in the dark, where eyes and grades are steepest.

Every stage is a plain loop over a piece of a row: where to look and how to weigh in vectors, what jumps about in
memory by itself.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.placement import repeated
from velvet_seam.core.picture.spans import any_covered

PIECE = 256
"""Pixels of a row that are graded together."""

DENSER = 0.4
"""How much closer nodes lie at black than at white: u = v (1 + a (1 − v))."""

CURVE = 255 * 16 + 1
"""Entries of a curve: every level of a byte is one of them."""

LATTICES = (33, 65)
"""Nodes along a side: of a grade that changes from frame to frame, and of one that stays."""

_ROOM = 8
"""Threads at most have places of their own to work in; a band of rows is one thread's."""

_BAND = 24


@dataclass(frozen=True)
class Table:
    """A grade, ready to be looked up. Either ``curves``, (3, :data:`CURVE`) float32 display values of red, green and
    blue; or a ``lattice`` of ``side``³ uint64 nodes, red the quickest."""

    curves: NDArray[np.float32] | None = None
    lattice: NDArray[np.uint64] | None = None
    side: int = 0

    @property
    def nbytes(self) -> int:
        held = self.curves if self.lattice is None else self.lattice
        return held.nbytes if held is not None else 0


def nodes_of(side: int) -> NDArray[np.float32]:
    """The display values at which the nodes of a lattice lie along a side.

    >>> [round(float(node), 4) for node in nodes_of(33)[[0, 1, 32]]]
    [0.0, 0.0225, 1.0]
    """
    u, one = np.linspace(0, 1, side), 1 + DENSER
    return ((one - np.sqrt(one * one - 4 * DENSER * u)) / (2 * DENSER)).astype(np.float32)


@kernel()
def packed(planes):
    """Graded colours at nodes, (3, n) float32, as nodes: each in the middle 21-bit lane of its number and rounded."""
    low, high = np.float32(-0.5), np.float32(1.5)
    out = np.empty(planes.shape[1], np.uint64)
    r, g, b = planes[0], planes[1], planes[2]
    for k in range(out.size):
        made = np.uint64(0)
        for v in (b[k], g[k], r[k]):
            held = min(max(v, low), high)
            whole = np.int32(
                (held * np.float32(255) + np.float32(128)) * np.float32(16) + np.float32(8.5)
            )
            made = (made << np.uint64(21)) | np.uint64(whole)
        out[k] = made
    return out


@nb.njit(error_model="numpy", inline="always")
def _cell(v, gain, bend, last):
    """Where a value from 0 to 1 lies along a side: the node before it, and 256ths past it."""
    x = v * (gain - bend * v)
    node = min(np.int32(x), last)
    return node, np.int32((x - np.float32(node)) * np.float32(256) + np.float32(0.5))


@nb.njit(error_model="numpy", inline="always")
def _tetrahedron(v0, v1, v2, side, gain, bend):
    """The first node of a cell, the steps to the next three, and the three weights beside the first."""
    last = np.int32(side - 2)
    r, fr = _cell(v0, gain, bend, last)
    g, fg = _cell(v1, gain, bend, last)
    b, fb = _cell(v2, gain, bend, last)
    one, up, over = np.int32(1), np.int32(side), np.int32(side * side)
    rg, gb, rb = fr >= fg, fg >= fb, fr >= fb
    most = max(max(fr, fg), fb)
    least = min(min(fr, fg), fb)
    mid = fr + fg + fb - most - least
    first = one if rg and rb else (up if gb and not rg else over)
    last_step = over if rb and gb else (one if not rg and not rb else up)
    whole = one + up + over
    base = r + g * up + b * over
    return base, base + first, base + whole - last_step, base + whole, most, mid, least


@nb.njit(error_model="numpy")
def _places(row, at, n, side, gain, bend, where, weights):
    unit, byte = np.float32(1 / 255), np.uint32(255)
    p = np.uint64(PIECE)
    for k in range(n):
        i = np.uint64(k)
        v = row[at + i]
        r = np.float32(np.int32(v & byte)) * unit
        g = np.float32(np.int32((v >> np.uint32(8)) & byte)) * unit
        b = np.float32(np.int32((v >> np.uint32(16)) & byte)) * unit
        n0, n1, n2, n3, most, mid, least = _tetrahedron(r, g, b, side, gain, bend)
        where[i] = np.uint32(n0)
        where[p + i] = np.uint32(n1)
        where[np.uint64(2) * p + i] = np.uint32(n2)
        where[np.uint64(3) * p + i] = np.uint32(n3)
        weights[i] = np.uint32(np.int32(256) - most)
        weights[p + i] = np.uint32(most - mid)
        weights[np.uint64(2) * p + i] = np.uint32(mid - least)
        weights[np.uint64(3) * p + i] = np.uint32(least)


@nb.njit(error_model="numpy")
def fetched(lattice, where, begin, n, nodes):
    for k in range(n):
        i = np.uint64(begin) + np.uint64(k)
        nodes[i] = lattice[np.uint64(where[i])]


@nb.njit(error_model="numpy")
def weighed_sums(nodes, weights, n, sums):
    p = np.uint64(PIECE)
    for k in range(n):
        i = np.uint64(k)
        sums[i] = (
            nodes[i] * np.uint64(weights[i])
            + nodes[p + i] * np.uint64(weights[p + i])
            + nodes[np.uint64(2) * p + i] * np.uint64(weights[np.uint64(2) * p + i])
            + nodes[np.uint64(3) * p + i] * np.uint64(weights[np.uint64(3) * p + i])
        )


@nb.njit(error_model="numpy", inline="always")
def _byte_of(lanes, shift):
    level = np.int32((lanes >> np.uint64(shift + 12)) & np.uint64(511)) - np.int32(128)
    return np.uint32(min(max(level, np.int32(0)), np.int32(255)))


@nb.njit(error_model="numpy")
def _bytes(sums, row, at, n, to, to_at):
    """Sums as packed pixels with the coverage of the row."""
    alpha = np.uint32(0xFF000000)
    for k in range(n):
        i = np.uint64(k)
        lanes = sums[i]
        r, g, b = _byte_of(lanes, 0), _byte_of(lanes, 21), _byte_of(lanes, 42)
        to[to_at + i] = (row[at + i] & alpha) | b << np.uint32(16) | g << np.uint32(8) | r


@nb.njit(error_model="numpy")
def _straight(row, at, n, to):
    """Premultiplied pixels with their own colour; coverage stays."""
    byte, half = np.uint32(255), np.float32(0.5)
    for k in range(n):
        i = np.uint64(k)
        v = row[at + i]
        a = v >> np.uint32(24)
        gain = np.float32(255) / np.float32(max(np.int32(a), np.int32(1)))
        made = a
        for shift in (np.uint32(16), np.uint32(8), np.uint32(0)):
            c = np.float32(np.int32((v >> shift) & byte)) * gain + half
            made = made << np.uint32(8) | np.uint32(min(np.int32(c), np.int32(255)))
        to[i] = made


@nb.njit(error_model="numpy")
def _covered(to, to_at, n):
    """Pixels of their own colour premultiplied again."""
    byte, half, eight = np.uint32(255), np.uint32(128), np.uint32(8)
    for k in range(n):
        i = to_at + np.uint64(k)
        v = to[i]
        a = v >> np.uint32(24)
        made = a
        for shift in (np.uint32(16), np.uint32(8), np.uint32(0)):
            t = ((v >> shift) & byte) * a + half
            made = made << eight | (t + (t >> eight)) >> eight
        to[i] = made


@nb.njit(error_model="numpy")
def _whole(row, at, n):
    """Whether some pixels are all wholly covered."""
    every = np.uint32(0xFFFFFFFF)
    for k in range(n):
        every &= row[at + np.uint64(k)]
    return every >> np.uint32(24) == np.uint32(255)


@nb.njit(error_model="numpy")
def _curved(row, at, n, curves, to, to_at):
    """Three curves of bytes, each already where it is to lie in a packed pixel."""
    byte, alpha = np.uint32(255), np.uint32(0xFF000000)
    for k in range(n):
        i = np.uint64(k)
        v = row[at + i]
        made = curves[v & byte] | curves[np.uint32(256) + ((v >> np.uint32(8)) & byte)]
        made |= curves[np.uint32(512) + ((v >> np.uint32(16)) & byte)]
        to[to_at + i] = made | (v & alpha)


@nb.njit(error_model="numpy", inline="always")
def gains_of(side):
    reach = np.float32(side - 1)
    return reach * np.float32(1 + DENSER), reach * np.float32(DENSER)


@nb.njit(error_model="numpy")
def _grade_band(rows, first, last, held, curves, lattice, side, out):
    gain, bend = gains_of(side)
    where, weights = np.empty(4 * PIECE, np.uint32), np.empty(4 * PIECE, np.uint32)
    nodes, sums, own = (
        np.empty(4 * PIECE, np.uint64),
        np.empty(PIECE, np.uint64),
        np.empty(PIECE, np.uint32),
    )
    flat, to = rows.reshape(-1), out.reshape(-1)
    width = rows.shape[1]
    for y in range(first, last):
        begin_at, end_at = held[y, 0], held[y, 1]
        for begin in range(begin_at, end_at, PIECE):
            n = min(PIECE, end_at - begin)
            at = np.uint64(y * width + begin)
            if not any_covered(rows[y], begin, n):
                for k in range(n):
                    to[at + np.uint64(k)] = np.uint32(0)
                continue
            whole = _whole(flat, at, n)
            if whole:
                source, source_at = flat, at
            else:
                _straight(flat, at, n, own)
                source, source_at = own, np.uint64(0)
            if curves.size:
                _curved(source, source_at, n, curves, to, at)
            else:
                _places(source, source_at, n, side, gain, bend, where, weights)
                for corner in range(4):
                    fetched(lattice, where, corner * PIECE, n, nodes)
                weighed_sums(nodes, weights, n, sums)
                _bytes(sums, source, source_at, n, to, at)
            if not whole:
                _covered(to, at, n)


@kernel(parallel=True)
def _grade(rows, held, curves, lattice, side):
    out = np.empty_like(rows)
    height = len(rows)
    for band in nb.prange((height + _BAND - 1) // _BAND):
        first = band * _BAND
        _grade_band(rows, first, min(first + _BAND, height), held, curves, lattice, side, out)
    return out


_NO_CURVES = np.empty(0, np.uint32)
_NO_LATTICE = np.empty(0, np.uint64)


def _bytes_of(curves: NDArray[np.float32]) -> NDArray[np.uint32]:
    """Curves at every level of a byte, each level where it lies in a packed pixel."""
    levels = np.rint(curves[:, ::16].clip(0, 1) * 255).astype(np.uint32)
    return np.ascontiguousarray(levels << np.array([[0], [8], [16]], np.uint32)).reshape(-1)


def graded(
    picture: NDArray[np.uint8], table: Table, held: NDArray[np.int64] | None = None
) -> NDArray[np.uint8]:
    """A picture with every colour looked up; coverage stays as it is.

    Args:
        picture: (h, w, 4) uint8 RGBA, premultiplied.
        held: (h, 2): of each row, from where to where there is something at all; the rest of it is not written.

    >>> turned = np.repeat(np.linspace(1, 0, CURVE, dtype=np.float32)[None], 3, 0)
    >>> graded(np.array([[[0, 64, 128, 128]]], np.uint8), Table(curves=turned)).tolist()
    [[[128, 64, 0, 128]]]
    """
    rows = np.ascontiguousarray(repeated(picture))
    words = rows.view(np.uint32)[..., 0]
    height, width = words.shape
    if held is None:
        held = np.tile(np.array([0, width], np.int64), (height, 1))
    if table.curves is not None:
        out = _grade(words, held, _bytes_of(table.curves), _NO_LATTICE, 2)
    else:
        assert table.lattice is not None
        out = _grade(words, held, _NO_CURVES, table.lattice, table.side)
    made = out.view(np.uint8).reshape(height, width, 4)
    if len(rows) != len(picture):  # the one row of a flat picture
        return np.broadcast_to(made, picture.shape)
    return made


@nb.njit(error_model="numpy")
def places_of_floats(planes, at, stride, n, side, gain, bend, where, weights):
    zero, one, p = np.float32(0), np.float32(1), np.uint64(PIECE)
    for k in range(n):
        i = np.uint64(k)
        r = min(max(planes[at + i], zero), one)
        g = min(max(planes[at + stride + i], zero), one)
        b = min(max(planes[at + np.uint64(2) * stride + i], zero), one)
        n0, n1, n2, n3, most, mid, least = _tetrahedron(r, g, b, side, gain, bend)
        where[i] = np.uint32(n0)
        where[p + i] = np.uint32(n1)
        where[np.uint64(2) * p + i] = np.uint32(n2)
        where[np.uint64(3) * p + i] = np.uint32(n3)
        weights[i] = np.uint32(np.int32(256) - most)
        weights[p + i] = np.uint32(most - mid)
        weights[np.uint64(2) * p + i] = np.uint32(mid - least)
        weights[np.uint64(3) * p + i] = np.uint32(least)


@nb.njit(error_model="numpy")
def lanes_mixed(sums, to, at, stride, n, part):
    """Sums as display values, mixed by ``part`` into what lies there."""
    zero, one, unit = np.float32(0), np.float32(1), np.float32(1 / (255 * 4096))
    mask, middle = np.uint64((1 << 21) - 1), np.int32(128 * 4096 + 2048)
    for c in range(3):
        shift, from_at = np.uint64(21 * c), at + np.uint64(c) * stride
        for k in range(n):
            i = np.uint64(k)
            level = np.int32((sums[i] >> shift) & mask) - middle
            v = min(max(np.float32(level) * unit, zero), one)
            below = to[from_at + i]
            to[from_at + i] = below + part[i] * (v - below)


@nb.njit(error_model="numpy")
def shifted_curves(curves, to, at, stride, n, part):
    zero, one, reach = np.float32(0), np.float32(1), np.float32(CURVE - 1)
    for c in range(3):
        from_at, first = at + np.uint64(c) * stride, np.int32(c * CURVE)
        for k in range(n):
            i = np.uint64(k)
            below = to[from_at + i]
            x = min(max(below, zero), one) * reach
            node = min(np.int32(x), np.int32(CURVE - 2))
            low = curves[first + node]
            v = low + (curves[first + node + np.int32(1)] - low) * (x - np.float32(node))
            to[from_at + i] = below + part[i] * (min(max(v, zero), one) - below)


@nb.njit(error_model="numpy")
def _parts(plane, at, n, strength, part):
    unit = np.float32(1 / 255) * strength
    for k in range(n):
        i = np.uint64(k)
        part[i] = np.float32(np.int32(plane[at + i])) * unit


@nb.njit(error_model="numpy")
def _grade_floats(planes, first, last, plane, strength, curves, lattice, side, out):
    gain, bend = gains_of(side)
    where, weights = np.empty(4 * PIECE, np.uint32), np.empty(4 * PIECE, np.uint32)
    nodes, sums = np.empty(4 * PIECE, np.uint64), np.empty(PIECE, np.uint64)
    part = np.full(PIECE, strength, np.float32)
    width, held = planes.shape[2], planes.shape[1]
    flat, to, cover = planes.reshape(-1), out.reshape(-1), plane.reshape(-1)
    stride = np.uint64(width)
    for y in range(first, last):
        for begin in range(0, width, PIECE):
            n = min(PIECE, width - begin)
            at = np.uint64(y * held * width + begin)
            for c in range(3):
                first_at = at + np.uint64(c) * stride
                for k in range(n):
                    to[first_at + np.uint64(k)] = flat[first_at + np.uint64(k)]
            if cover.size:
                _parts(cover, np.uint64(y * width + begin), n, strength, part)
            if curves.size:
                shifted_curves(curves, to, at, stride, n, part)
                continue
            places_of_floats(to, at, stride, n, side, gain, bend, where, weights)
            for corner in range(4):
                fetched(lattice, where, corner * PIECE, n, nodes)
            weighed_sums(nodes, weights, n, sums)
            lanes_mixed(sums, to, at, stride, n, part)


@kernel(parallel=True)
def _grade_planes(planes, plane, strength, curves, lattice, side):
    out = np.empty_like(planes)
    height = len(planes)
    for band in nb.prange((height + _BAND - 1) // _BAND):
        first = band * _BAND
        _grade_floats(
            planes, first, min(first + _BAND, height), plane, strength, curves, lattice, side, out
        )
    return out


_NO_PLANE = np.empty((0, 0), np.uint8)


def graded_planes(
    planes: NDArray[np.float32], table: Table, strength: float = 1.0,
    plane: NDArray[np.uint8] | None = None,
) -> NDArray[np.float32]:  # fmt: skip
    """A picture under construction with a grade mixed in, without rounding it.

    Args:
        planes: (height, 3, width) float32 display values, wholly covered.
        strength: 0 to 1; times ``plane``, (height, width) uint8, where there is one.
    """
    cover = _NO_PLANE if plane is None else np.ascontiguousarray(plane)
    part = np.float32(strength)
    if table.curves is not None:
        made = _grade_planes(planes, cover, part, table.curves.reshape(-1), _NO_LATTICE, 2)
    else:
        made = _grade_planes(
            planes, cover, part, np.empty(0, np.float32), table.lattice, table.side
        )
    return np.asarray(made)
