"""Composing: all layers joined in one pass over the rows, the picture below held in a row of floats.

The formulas are those of :mod:`velvet_seam.core.picture.blend`. Nothing is rounded between two
layers, so it does not matter where a stack is cut to keep what lies below a layer.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.blend import MODES, NORMAL, PLUS_LIGHTER, blend_row
from velvet_seam.core.picture.placement import Patch

Below = NDArray[np.float32]
"""A picture under construction: (height, width, 4) RGBA, premultiplied, 0 to 1."""


@dataclass(frozen=True)
class Join:
    """How a patch joins what lies below it: a blend of :data:`MODES`, opacity 0 to 1."""

    patch: Patch
    blend: str
    opacity: float


@nb.njit(error_model="numpy")
def _spread_alpha(row, scale, out):
    """The coverage of every pixel of a flat row, scaled, written to all four of its places."""
    for x in range(row.size // 4):
        a = np.float32(row[4 * x + 3]) * scale
        out[4 * x] = a
        out[4 * x + 1] = a
        out[4 * x + 2] = a
        out[4 * x + 3] = a


@nb.njit(error_model="numpy")
def _solid_bytes(row):
    every = row[3]
    for x in range(row.size // 4):
        every &= row[4 * x + 3]
    return every == 255


@nb.njit(error_model="numpy")
def _solid_floats(row):
    some = False
    for x in range(row.size // 4):
        some |= row[4 * x + 3] < 1
    return not some


@nb.njit(error_model="numpy")
def _join_row(to, row, mode, opacity, firm, cover, s, b, blended):
    """Join a flat row of a layer (uint8) with the row below it (float32), in place.

    ``firm`` says that the row below is wholly covered, as it always is over an opaque canvas; it
    stays so, exactly. The last four arguments are room to work in.
    """
    n = row.size
    unit, zero, one = np.float32(1.0 / 255.0), np.float32(0), np.float32(1)
    tiny, strength = np.float32(1e-6), np.float32(opacity)
    share = unit * strength
    if mode == PLUS_LIGHTER:
        for f in range(n):
            to[f] = min(to[f] + np.float32(row[f]) * share, one)
        return
    solid = _solid_bytes(row)
    if mode == NORMAL and solid and opacity >= 1:
        for f in range(n):
            to[f] = np.float32(row[f]) * unit
        return
    if mode == NORMAL:
        _spread_alpha(row, share, cover)
        for f in range(n):
            to[f] = np.float32(row[f]) * share + to[f] * (one - cover[f])
    elif firm and solid:  # no colour to divide by its coverage, no coverage to weigh by
        for f in range(n):
            s[f] = np.float32(row[f]) * unit
        blend_row(mode, to[:n], s[:n], blended[:n])
        for f in range(n):
            to[f] = min(max(to[f] + strength * (blended[f] - to[f]), zero), one)
    else:
        _spread_alpha(row, unit, cover)
        for f in range(n):
            s[f] = min(np.float32(row[f]) * unit / max(cover[f], tiny), one)
        if firm:
            blend_row(mode, to[:n], s[:n], blended[:n])
            for f in range(n):
                v = to[f] + cover[f] * strength * (blended[f] - to[f])
                to[f] = min(max(v, zero), one)
        else:
            _join_loose(to, mode, strength, cover, s, b, blended)
    if firm and not solid:
        for x in range(n // 4):
            to[4 * x + 3] = one


@nb.njit(error_model="numpy")
def _join_loose(to, mode, strength, cover, s, b, blended):
    """The general case, over a row that is covered in part."""
    n = to.size
    one, tiny = np.float32(1), np.float32(1e-6)
    for x in range(n // 4):
        k = one / max(to[4 * x + 3], tiny)
        for f in range(4 * x, 4 * x + 4):
            b[f] = min(to[f] * k, one)
    blend_row(mode, b[:n], s[:n], blended[:n])
    for x in range(n // 4):
        under = to[4 * x + 3]
        for f in range(4 * x, 4 * x + 4):
            c = cover[f] * strength
            mixed = s[f] + under * (blended[f] - s[f])
            v = c * mixed + (one - c) * to[f]
            to[f] = min(max(v, np.float32(0)), one)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _compose(base, colour, width, height, pixels, spots, modes, opacities, as_bytes):
    """Rows of the joined layers: over ``base`` where it is not empty, else over ``colour``.

    Answers (height, 4 × width) float32, or with ``as_bytes`` (height, 4 × width) uint8; the other
    of the two is empty.
    """
    floats = np.empty((0 if as_bytes else height, 4 * width), np.float32)
    bytes_ = np.empty((height if as_bytes else 0, 4 * width), np.uint8)
    has_base = base.size > 0
    half, full = np.float32(0.5), np.float32(255)
    for y in nb.prange(height):
        line = np.empty(4 * width, np.float32)
        if has_base:
            line[:] = base[y]
        else:
            for x in range(width):
                line[4 * x] = colour[0]
                line[4 * x + 1] = colour[1]
                line[4 * x + 2] = colour[2]
                line[4 * x + 3] = colour[3]
        firm = _solid_floats(line)
        cover, blended = np.empty(4 * width, np.float32), np.empty(4 * width, np.float32)
        s, b = np.empty(4 * width, np.float32), np.empty(4 * width, np.float32)
        for k in range(len(pixels)):
            layer = pixels[k]
            j = y - spots[k, 1]
            if j < 0 or j >= layer.shape[0]:
                continue
            begin = 4 * spots[k, 0]
            to = line[begin : begin + layer.shape[1]]
            _join_row(to, layer[j], modes[k], opacities[k], firm, cover, s, b, blended)
        if as_bytes:
            to_bytes = bytes_[y]
            for f in range(4 * width):
                to_bytes[f] = np.uint8(np.int32(line[f] * full + half))
        else:
            floats[y] = line
    return floats, bytes_


_NO_BASE = np.empty((0, 0), np.float32)


def _run(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None, as_bytes: bool,
) -> tuple[NDArray[np.float32], NDArray[np.uint8]]:  # fmt: skip
    pixels = nb.typed.List.empty_list(nb.types.Array(nb.uint8, 2, "C"))
    for join in joins:
        rows = np.ascontiguousarray(join.patch.pixels)
        pixels.append(rows.reshape(rows.shape[0], -1))
    spots = np.array([(j.patch.left, j.patch.top) for j in joins], np.int64).reshape(-1, 2)
    modes = np.array([MODES.index(join.blend) for join in joins], np.int64)
    opacities = np.array([join.opacity for join in joins], np.float64)
    flat = _NO_BASE if base is None else base.reshape(height, -1)
    ground = np.array([*(c / 255 for c in colour), 1], np.float32)
    floats, bytes_ = _compose(
        flat, ground, width, height, pixels, spots, modes, opacities, as_bytes
    )
    return floats, bytes_


def compose(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None = None,
) -> Below:  # fmt: skip
    """Join layers from bottom to top: (height, width, 4) float32, premultiplied.

    Args:
        colour: the empty canvas below everything, R, G, B in 0 to 255.
        joins: layers from bottom to top; their patches lie wholly inside the picture.
        base: what has been joined already; takes the place of the empty canvas.
    """
    floats, _ = _run(width, height, colour, joins, base, False)
    return floats.reshape(height, width, 4)


def compose_rgba8(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None = None,
) -> NDArray[np.uint8]:  # fmt: skip
    """The same, finished: (height, width, 4) uint8, premultiplied, each value rounded once.

    >>> grey = Patch(0, 0, np.array([[[0, 128, 255, 255]]], np.uint8))
    >>> compose_rgba8(1, 1, (255, 255, 255), [Join(grey, "multiply", 1.0)]).tolist()
    [[[0, 128, 255, 255]]]
    """
    _, bytes_ = _run(width, height, colour, joins, base, True)
    return bytes_.reshape(height, width, 4)
