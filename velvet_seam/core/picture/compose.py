"""Composing: all layers joined in one pass, what lies below them held in floats.

The formulas are those of :mod:`velvet_seam.core.picture.blend`. Nothing is rounded between two
layers, so it does not matter where a stack is cut to keep what lies below a layer.

In linear light the planes hold light rather than display values: layers are taken there and the
finished picture back by the transfer function of sRGB (IEC 61966-2-1), and the same formulas act.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.blend import (
    ADDING,
    ATOP,
    EVERYWHERE,
    KEEP_BRIGHT,
    KEEP_DARK,
    KEEP_INSIDE,
    KEEP_OUTSIDE,
    MODES,
    NORMAL,
    PLUS_LIGHTER,
    XOR,
    blend_planes,
)
from velvet_seam.core.picture.colour import to_display, to_linear
from velvet_seam.core.picture.placement import Patch, repeated
from velvet_seam.core.picture.resize import any_covered

Below = NDArray[np.float32]
"""A picture under construction: (height, 3, width), for every row its R, G and B in 0 to 1; with a
fourth plane, its coverage, where it is not wholly covered. Premultiplied."""


PIECE = 544
"""At most so many pixels of a row are joined together."""

STRETCH = 128
"""Pixels that are looked at together for any that is covered, before they are laid over others."""

BAND = 16
"""Rows that share the room they are worked out in."""

_WEIGHED = (NORMAL, ATOP, KEEP_INSIDE, KEEP_OUTSIDE, KEEP_BRIGHT, KEEP_DARK, XOR)
"""Where coverage is looked at though all of it is whole."""

_STEPS = 4096
_TO_LIGHT = to_linear(np.linspace(0, 1, _STEPS + 1)).astype(np.float32)
_TO_DISPLAY = to_display(np.linspace(0, 1, _STEPS + 1) ** 2).astype(np.float32)
"""Tables of both transfers; the way back in steps of the root, where it is nearly straight."""

_NONE = np.empty(0, np.float32)


@dataclass(frozen=True)
class Join:
    """How a patch joins what lies below it: a blend of :data:`MODES`, opacity 0 to 1."""

    patch: Patch
    blend: str
    opacity: float


@nb.extending.intrinsic
def pointer(typing, address):
    """A pointer to packed pixels. Arrays in a list are counted by every thread that takes one out, and the
    threads wait for each other's counting; an address is just read."""
    signature = nb.types.CPointer(nb.uint32)(nb.uint64)

    def generate(context, builder, signature, arguments):
        return builder.inttoptr(arguments[0], context.get_value_type(signature.return_type))

    return signature, generate


@nb.njit(error_model="numpy")
def _copy(row, at, to, to_at, n):
    for k in range(n):
        i = np.uint64(k)
        to[to_at + i] = row[at + i]


@nb.njit(error_model="numpy")
def _channel(row, at, number, scale, to, to_at, n):
    """A channel of packed pixels, red 0 to coverage 3, scaled."""
    shift, byte = np.uint32(8 * number), np.uint32(255)
    for k in range(n):
        i = np.uint64(k)
        to[to_at + i] = np.float32(np.int32((row[at + i] >> shift) & byte)) * scale


@nb.njit(error_model="numpy")
def _unpacked(row, at, to, left, p, n):
    """Packed pixels as planes R, G, B of ``p`` values each, from ``left`` on. Answers whether any is
    covered at all, whether all are wholly, and whether any has a colour other than black."""
    unit, byte = np.float32(1.0 / 255.0), np.uint32(255)
    eight, sixteen = np.uint32(8), np.uint32(16)
    r, g, b = np.uint64(left), np.uint64(left + p), np.uint64(left + 2 * p)
    some, every = np.uint32(0), np.uint32(0xFFFFFFFF)
    for k in range(n):
        i = np.uint64(k)
        pixel = row[at + i]
        some |= pixel
        every &= pixel
        to[r + i] = np.float32(np.int32(pixel & byte)) * unit
        to[g + i] = np.float32(np.int32((pixel >> eight) & byte)) * unit
        to[b + i] = np.float32(np.int32((pixel >> sixteen) & byte)) * unit
    return some != 0, every >> np.uint32(24) == 255, some & np.uint32(0xFFFFFF) != 0


@nb.njit(error_model="numpy")
def _laid_over(row, at, to, left, p, n, strength):
    """Source-over of packed pixels with planes that are wholly covered, in one pass: where a pixel is
    clear or whole, exactly nothing or exactly itself."""
    one, byte, unit = np.float32(1), np.uint32(255), np.float32(1.0 / 255.0)
    share = strength * unit
    eight, sixteen, top = np.uint32(8), np.uint32(16), np.uint32(24)
    r, g, b = np.uint64(left), np.uint64(left + p), np.uint64(left + 2 * p)
    for k in range(n):
        i = np.uint64(k)
        pixel = row[at + i]
        rest = one - np.float32(np.int32(pixel >> top)) * share
        to[r + i] = np.float32(np.int32(pixel & byte)) * share + to[r + i] * rest
        to[g + i] = np.float32(np.int32((pixel >> eight) & byte)) * share + to[g + i] * rest
        to[b + i] = np.float32(np.int32((pixel >> sixteen) & byte)) * share + to[b + i] * rest


@nb.njit(error_model="numpy")
def _over(to, s, a, strength):
    """Source-over of planes; ``s`` is premultiplied."""
    one = np.float32(1)
    for c in range(to.size // a.size):
        at = np.uint64(c * a.size)
        for k in range(a.size):
            i = np.uint64(k)
            to[at + i] = s[at + i] * strength + to[at + i] * (one - a[i] * strength)


@nb.njit(error_model="numpy")
def _sum(to, s, strength):
    for f in range(to.size):
        to[f] = min(to[f] + s[f] * strength, np.float32(1))


@nb.njit(error_model="numpy")
def _straight(planes, a, inverse, out):
    """Premultiplied planes' own colour; where there is next to no coverage, next to nothing."""
    one, tiny = np.float32(1), np.float32(1e-6)
    for k in range(a.size):
        inverse[k] = one / max(a[k], tiny)
    for c in range(3):
        at = np.uint64(c * a.size)
        for k in range(a.size):
            i = np.uint64(k)
            out[at + i] = min(planes[at + i] * inverse[i], one)


@nb.njit(error_model="numpy")
def _mix_solid(to, blended, strength):
    zero, one = np.float32(0), np.float32(1)
    for f in range(to.size):
        to[f] = min(max(to[f] + strength * (blended[f] - to[f]), zero), one)


@nb.njit(error_model="numpy")
def _mix(to, blended, a, strength):
    zero, one = np.float32(0), np.float32(1)
    for c in range(3):
        at = np.uint64(c * a.size)
        for k in range(a.size):
            i = np.uint64(k)
            v = to[at + i] + a[i] * strength * (blended[at + i] - to[at + i])
            to[at + i] = min(max(v, zero), one)


@nb.njit(error_model="numpy")
def _mix_loose(to, s, blended, a, under, strength):
    """The general case, over what is covered in part: Cs' and source-over of the specification."""
    zero, one = np.float32(0), np.float32(1)
    for c in range(3):
        at = np.uint64(c * a.size)
        for k in range(a.size):
            i = np.uint64(k)
            cover = a[i] * strength
            mixed = s[at + i] + under[i] * (blended[at + i] - s[at + i])
            to[at + i] = min(max(cover * mixed + (one - cover) * to[at + i], zero), one)


@nb.njit(error_model="numpy")
def _cut(to, under, s, a, mode, strength, firm, colour, factor):
    """Cut what lies below by the layer's coverage or brightness; the canvas shows instead."""
    zero, one, p = np.float32(0), np.float32(1), a.size
    wr, wg, wb = np.float32(0.2126), np.float32(0.7152), np.float32(0.0722)
    if mode in (KEEP_INSIDE, KEEP_OUTSIDE, XOR):
        for k in range(p):
            factor[k] = a[k]
    else:
        for k in range(p):
            factor[k] = wr * s[k] + wg * s[p + k] + wb * s[2 * p + k]
    if mode in (KEEP_INSIDE, KEEP_BRIGHT):
        for k in range(p):
            factor[k] = one - strength + strength * factor[k]
    else:
        for k in range(p):
            factor[k] = one - strength * factor[k]
    for c in range(3):
        ground = colour[c] if firm else zero
        at = np.uint64(c * p)
        for k in range(p):
            i = np.uint64(k)
            more = zero
            if mode == XOR and not firm:
                more = s[at + i] * strength * (one - under[i])
            to[at + i] = ground + factor[i] * (to[at + i] - ground) + more
    if not firm:
        for k in range(p):
            more = a[k] * strength * (one - under[k]) if mode == XOR else zero
            under[k] = under[k] * factor[k] + more


@nb.njit(error_model="numpy")
def _atop(to, under, s, a, strength):
    """Porter and Duff's atop, over what is covered in part: coverage stays as it is."""
    one = np.float32(1)
    for c in range(3):
        at = np.uint64(c * a.size)
        for k in range(a.size):
            i = np.uint64(k)
            to[at + i] = s[at + i] * strength * under[i] + to[at + i] * (one - a[i] * strength)


@nb.njit(error_model="numpy", inline="always")
def _looked_up(table, at):
    """A value of a table over 0 to 1, between its entries."""
    place = min(max(at, np.float32(0)), np.float32(1)) * np.float32(_STEPS)
    i = min(np.int32(place), np.int32(_STEPS - 1))
    one = table[i]
    return one + (table[i + 1] - one) * (place - np.float32(i))


@nb.njit(error_model="numpy")
def _lit(planes, at, a, a_at, n, solid, table):
    """A plane of premultiplied display values to light, premultiplied."""
    one, tiny = np.float32(1), np.float32(1e-6)
    for k in range(n):
        i = np.uint64(k)
        cover = one if solid else a[a_at + i]
        planes[at + i] = _looked_up(table, planes[at + i] / max(cover, tiny)) * cover


@nb.njit(error_model="numpy")
def _shown(planes, table):
    """Planes of light to display values, in place."""
    for f in range(planes.size):
        planes[f] = _looked_up(table, np.sqrt(max(planes[f], np.float32(0))))


@nb.njit(error_model="numpy")
def _join_piece(
    row,
    at,
    left,
    n,
    whole,
    mode,
    opacity,
    firm,
    to,
    under,
    s,
    a,
    inverse,
    b,
    blended,
    colour,
    light,
):
    """Join ``n`` packed pixels, from ``left`` of a piece on, with the planes of what lies below.

    ``to`` holds the planes R, G, B of the piece one after the other, ``under`` its coverage. With
    ``firm`` the piece is wholly covered, as it always is over an opaque canvas, and stays so,
    exactly. ``whole`` says that the pixels are all of the piece. ``light`` is the table to linear
    light, or empty. ``inverse`` and what follows it but the canvas colour is room to work in.
    """
    p = under.size
    unit, strength = np.float32(1.0 / 255.0), np.float32(opacity)
    if mode == NORMAL and firm and not light.size:
        for begin in range(0, n, STRETCH):
            length, first = min(STRETCH, n - begin), at + np.uint64(begin)
            if any_covered(row, first, length):
                _laid_over(row, first, to, left + begin, p, length, strength)
        return
    if not whole:
        s[:] = 0
        a[:] = 0
    some, solid, lit = _unpacked(row, at, s, left, p, n)
    if not some and mode != KEEP_INSIDE and mode != KEEP_BRIGHT:
        return
    if firm and not lit and mode in ADDING:
        return  # light on black: most of it changes nothing
    solid = solid and whole
    if not solid or not firm or mode in _WEIGHED:
        _channel(row, at, 3, unit, a, np.uint64(left), n)
    if light.size:
        for c in range(3):
            _lit(s, np.uint64(c * p + left), a, np.uint64(left), n, solid, light)
    if mode in (KEEP_INSIDE, KEEP_OUTSIDE, KEEP_BRIGHT, KEEP_DARK, XOR):
        _cut(to, under, s, a, mode, strength, firm, colour, inverse)
        return
    if mode == ATOP:
        if firm:
            _over(to, s, a, strength)
        else:
            _atop(to, under, s, a, strength)
        return
    if mode == PLUS_LIGHTER:
        _sum(to, s, strength)
        if not firm:
            _sum(under, a, strength)
        return
    if mode == NORMAL:
        _over(to, s, a, strength)
    else:
        if not solid:
            _straight(s, a, inverse, s)
        if firm:
            blend_planes(mode, to, s, blended)
        else:
            _straight(to, under, inverse, b)
            blend_planes(mode, b, s, blended)
        if not firm:
            _mix_loose(to, s, blended, a, under, strength)
        elif solid:
            _mix_solid(to, blended, strength)
        else:
            _mix(to, blended, a, strength)
    if not firm:
        _over(under, a, a, strength)


@nb.njit(error_model="numpy")
def _pack(planes, under, to, to_at, n):
    """Planes as packed pixels, each value rounded once."""
    half, full = np.float32(0.5), np.float32(255)
    p = np.uint64(under.size)
    shift, two = np.uint32(8), np.uint64(2)
    for k in range(n):
        i = np.uint64(k)
        b = np.uint32(np.int32(planes[two * p + i] * full + half))
        g = np.uint32(np.int32(planes[p + i] * full + half))
        r = np.uint32(np.int32(planes[i] * full + half))
        a = np.uint32(np.int32(under[i] * full + half))
        to[to_at + i] = ((a << shift | b) << shift | g) << shift | r


@nb.njit(error_model="numpy")
def _join_band(first, last, base, colour, p, addresses, spots, modes, opacities, planes, packed, light,
               display):  # fmt: skip
    """Some rows, in pieces of ``p`` pixels, each through all layers, so that everything a piece
    takes lies in the nearest cache.

    All arrays are flat and are passed on whole, with the place to begin at: cutting a piece out of
    an array makes an object, and that takes longer than a short loop.
    """
    to, s = np.zeros(3 * p, np.float32), np.zeros(3 * p, np.float32)
    b, blended = np.zeros(3 * p, np.float32), np.zeros(3 * p, np.float32)
    under, a, inverse = np.ones(p, np.float32), np.zeros(p, np.float32), np.zeros(p, np.float32)
    held, width = planes.shape[1], planes.shape[2]
    firm = held == 3
    below, to_planes, to_packed = base.reshape(-1), planes.reshape(-1), packed.reshape(-1)
    for y in range(first, last):
        for begin in range(0, width, p):
            end = min(begin + p, width)
            n = end - begin
            for c in range(held):
                at = np.uint64((y * held + c) * width + begin)
                if c == 3:
                    _copy(below, at, under, np.uint64(0), n)
                elif below.size:
                    _copy(below, at, to, np.uint64(c * p), n)
                else:
                    to[c * p : c * p + p] = colour[c]
            for k in range(len(addresses)):
                left, top, w, h = spots[k, 0], spots[k, 1], spots[k, 2], spots[k, 3]
                to_next = spots[k, 4]
                x0, x1, j = max(begin, left), min(end, left + w), y - top
                if j < 0 or j >= h or x0 >= x1:
                    continue
                layer, at = (
                    nb.carray(pointer(addresses[k]), w * h),
                    np.uint64(j * to_next + x0 - left),
                )
                _join_piece(layer, at, x0 - begin, x1 - x0, x1 - x0 == n, modes[k], opacities[k], firm,
                            to, under, s, a, inverse, b, blended, colour, light)  # fmt: skip
            if to_packed.size:
                if light.size:
                    _shown(to, display)
                _pack(to, under, to_packed, np.uint64(y * width + begin), n)
                continue
            for c in range(held):
                at = np.uint64((y * held + c) * width + begin)
                if c == 3:
                    _copy(under, np.uint64(0), to_planes, at, n)
                else:
                    _copy(to, np.uint64(c * p), to_planes, at, n)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _compose(
    base, colour, width, height, addresses, spots, modes, opacities, as_bytes, light, display
):
    """The joined layers, over ``base`` where it is not empty, else over ``colour``.

    Answers (height, planes, width) float32, or with ``as_bytes`` (height, width) uint32; the other
    of the two has no rows.
    """
    planes = np.empty((0 if as_bytes else height, max(base.shape[1], 3), width), np.float32)
    packed = np.empty((height if as_bytes else 0, width), np.uint32)
    pieces = (width + PIECE - 1) // PIECE
    p = ((width + pieces - 1) // pieces + 7) // 8 * 8
    for band in nb.prange((height + BAND - 1) // BAND):
        first = band * BAND
        last = min(first + BAND, height)
        _join_band(first, last, base, colour, p, addresses, spots, modes, opacities, planes, packed,
                   light, display)  # fmt: skip
    return planes, packed


def _everywhere(join: Join, width: int, height: int) -> Join:
    """A layer that cuts also where it is not lies on the whole picture."""
    if join.blend not in EVERYWHERE or join.patch.pixels.shape[:2] == (height, width):
        return join
    pixels = np.zeros((height, width, 4), np.uint8)
    h, w = join.patch.pixels.shape[:2]
    left, top = join.patch.left, join.patch.top
    pixels[top : top + h, left : left + w] = join.patch.pixels
    return Join(Patch(0, 0, pixels), join.blend, join.opacity)


_NO_BASE = np.empty((0, 0, 0), np.float32)


def _run(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None, as_bytes: bool, linear: bool,
) -> tuple[NDArray[np.float32], NDArray[np.uint32]]:  # fmt: skip
    joins = [_everywhere(join, width, height) for join in joins]
    held = [np.ascontiguousarray(repeated(join.patch.pixels)) for join in joins]
    addresses = np.array([pixels.ctypes.data for pixels in held], np.uint64)
    spots = np.zeros((len(joins), 5), np.int64)
    for k, (join, rows) in enumerate(zip(joins, held, strict=True)):
        h, w = join.patch.pixels.shape[:2]
        spots[k] = join.patch.left, join.patch.top, w, h, w if len(rows) == h else 0
    modes = np.array([MODES.index(join.blend) for join in joins], np.int64)
    opacities = np.array([join.opacity for join in joins], np.float64)
    ground = np.array([c / 255 for c in colour], np.float32)
    if linear:
        ground = to_linear(ground).astype(np.float32)
    tables = (_TO_LIGHT, _TO_DISPLAY) if linear else (_NONE, _NONE)
    under = _NO_BASE if base is None else base
    planes, packed = _compose(
        under, ground, width, height, addresses, spots, modes, opacities, as_bytes, *tables
    )
    return planes, packed


def compose(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None = None, linear: bool = False,
) -> Below:  # fmt: skip
    """Join layers from bottom to top.

    Args:
        colour: the empty canvas below everything, R, G, B in 0 to 255.
        joins: layers from bottom to top; their patches lie wholly inside the picture.
        base: what has been joined already; takes the place of the empty canvas.
        linear: layers are joined in linear light; then ``base`` and the answer are light, too.
    """
    return _run(width, height, colour, joins, base, False, linear)[0]


def compose_rgba8(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None = None, linear: bool = False,
) -> NDArray[np.uint8]:  # fmt: skip
    """The same, finished: (height, width, 4) uint8, premultiplied, each value rounded once.

    >>> grey = Patch(0, 0, np.array([[[0, 128, 255, 255]]], np.uint8))
    >>> compose_rgba8(1, 1, (255, 255, 255), [Join(grey, "multiply", 1.0)]).tolist()
    [[[0, 128, 255, 255]]]
    """
    packed = _run(width, height, colour, joins, base, True, linear)[1]
    return packed.view(np.uint8).reshape(height, width, 4)
