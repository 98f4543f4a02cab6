"""Joining a piece of one row of a layer with what lies below it.

The piece lives in planes of floats, R, G and B one after the other, and its coverage beside them where it
is not wholly covered; the formulas are those of :mod:`velvet_seam.core.picture.blends`. What is passed on
is whole arrays with the place to begin at: :mod:`velvet_seam.core.picture.compose` says why.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from velvet_seam.core.picture.blend import (
    ATOP_NUMBER,
    BLACK_IDLE,
    CUT_BY_COVERAGE,
    CUTS,
    EITHER,
    EVERYWHERE,
    NORMAL_NUMBER,
    SUM_NUMBER,
    blend_planes,
)
from velvet_seam.core.picture.colour import to_display, to_linear

_WEIGHED = (NORMAL_NUMBER, ATOP_NUMBER, *CUTS)
"""Where coverage is looked at though all of it is whole."""

_STEPS = 4096
TO_LIGHT = to_linear(np.linspace(0, 1, _STEPS + 1)).astype(np.float32)
TO_DISPLAY = to_display(np.linspace(0, 1, _STEPS + 1) ** 2).astype(np.float32)
"""Tables of both transfers; the way back in steps of the root, where it is nearly straight."""


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
    if mode in CUT_BY_COVERAGE:
        for k in range(p):
            factor[k] = a[k]
    else:
        for k in range(p):
            factor[k] = wr * s[k] + wg * s[p + k] + wb * s[2 * p + k]
    if mode in EVERYWHERE:
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
            if mode in EITHER and not firm:
                more = s[at + i] * strength * (one - under[i])
            to[at + i] = ground + factor[i] * (to[at + i] - ground) + more
    if not firm:
        for k in range(p):
            more = a[k] * strength * (one - under[k]) if mode in EITHER else zero
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
def shown(planes, table):
    """Planes of light to display values, in place."""
    for f in range(planes.size):
        planes[f] = _looked_up(table, np.sqrt(max(planes[f], np.float32(0))))


@nb.njit(error_model="numpy")
def join_piece(
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
    if not whole:
        s[:] = 0
        a[:] = 0
    some, solid, lit = _unpacked(row, at, s, left, p, n)
    if not some and mode not in EVERYWHERE:
        return
    if firm and not lit and mode in BLACK_IDLE:
        return  # light on black: most of it changes nothing
    solid = solid and whole
    if not solid or not firm or mode in _WEIGHED:
        _channel(row, at, 3, unit, a, np.uint64(left), n)
    if light.size:
        for c in range(3):
            _lit(s, np.uint64(c * p + left), a, np.uint64(left), n, solid, light)
    if mode in CUTS:
        _cut(to, under, s, a, mode, strength, firm, colour, inverse)
        return
    if mode == ATOP_NUMBER:
        if firm:
            _over(to, s, a, strength)
        else:
            _atop(to, under, s, a, strength)
        return
    if mode == SUM_NUMBER:
        _sum(to, s, strength)
        if not firm:
            _sum(under, a, strength)
        return
    if mode == NORMAL_NUMBER:
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
