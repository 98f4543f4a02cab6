"""Joining a layer with what lies below: compositing and blending per W3C Level 1.

With backdrop colour Cb, backdrop coverage αb, source colour Cs, source coverage αs (all in 0 to 1,
display-referred) and a blend function B::

    Cs' = (1 − αb)·Cs + αb·B(Cb, Cs)
    co  = αs·Cs' + (1 − αs)·αb·Cb          (source-over, premultiplied result)
    αo  = αs + αb·(1 − αs)

``plus-lighter`` is the Porter–Duff sum clipped to 1: ``co = min(1, αs·Cs + αb·Cb)``.
"""

from __future__ import annotations

from typing import get_args

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.shot.seam import Blend

MODES: tuple[str, ...] = get_args(Blend)
"""Every blend, in the order the document names them; a kernel knows it by this index."""

FULL = 65535
"""Coverage and colour of the picture under construction: uint16, premultiplied, 0 to 65535."""

NORMAL, PLUS_LIGHTER, FIRST_WHOLE, LAST_WHOLE = (
    MODES.index(name) for name in ("normal", "plus-lighter", "hue", "luminosity")
)


@nb.njit(inline="always", error_model="numpy")
def _dodge(b, s):
    if b <= 0:
        return b * 0
    if s >= 1:
        return b * 0 + 1
    return min(b * 0 + 1, b / (1 - s))


@nb.njit(inline="always", error_model="numpy")
def _burn(b, s):
    if b >= 1:
        return b * 0 + 1
    if s <= 0:
        return b * 0
    return 1 - min(b * 0 + 1, (1 - b) / s)


@nb.njit(inline="always", error_model="numpy")
def _hard_light(b, s):
    if s <= 0.5:
        return b * 2 * s
    return b + (2 * s - 1) - b * (2 * s - 1)


@nb.njit(inline="always", error_model="numpy")
def _soft_light(b, s):
    if s <= 0.5:
        return b - (1 - 2 * s) * b * (1 - b)
    d = ((16 * b - 12) * b + 4) * b if b <= 0.25 else np.sqrt(b)
    return b + (2 * s - 1) * (d - b)


@nb.njit(error_model="numpy")
def separable(mode, b, s):
    """B(Cb, Cs) of one channel for the modes that treat each channel alone.

    normal ``Cs``; multiply ``Cb·Cs``; screen ``Cb + Cs − Cb·Cs``; overlay ``hard-light(Cs, Cb)``;
    darken, lighten: the smaller, the greater; color-dodge ``Cb / (1 − Cs)``;
    color-burn ``1 − (1 − Cb) / Cs``; hard-light: multiply or screen by ``2·Cs``;
    soft-light: per the specification, with its polynomial below 0.25;
    difference ``|Cb − Cs|``; exclusion ``Cb + Cs − 2·Cb·Cs``.
    """
    if mode == 1:
        return b * s
    if mode == 2:
        return b + s - b * s
    if mode == 3:
        return _hard_light(s, b)
    if mode == 4:
        return min(b, s)
    if mode == 5:
        return max(b, s)
    if mode == 6:
        return _dodge(b, s)
    if mode == 7:
        return _burn(b, s)
    if mode == 8:
        return _hard_light(b, s)
    if mode == 9:
        return _soft_light(b, s)
    if mode == 10:
        return abs(b - s)
    if mode == 11:
        return b + s - 2 * b * s
    return s


@nb.njit(inline="always", error_model="numpy")
def _lum(r, g, b):
    return 0.3 * r + 0.59 * g + 0.11 * b


@nb.njit(error_model="numpy")
def _set_lum(r, g, b, lum):
    """SetLum of the specification, with ClipColor."""
    d = lum - _lum(r, g, b)
    r, g, b = r + d, g + d, b + d
    low, high = min(r, g, b), max(r, g, b)
    if low < 0:
        k = lum / (lum - low)
        r, g, b = lum + (r - lum) * k, lum + (g - lum) * k, lum + (b - lum) * k
    if high > 1:
        k = (1 - lum) / (high - lum)
        r, g, b = lum + (r - lum) * k, lum + (g - lum) * k, lum + (b - lum) * k
    return r, g, b


@nb.njit(error_model="numpy")
def _set_sat(r, g, b, sat):
    """SetSat of the specification: the spread of the channels becomes ``sat``."""
    low, high = min(r, g, b), max(r, g, b)
    if high <= low:
        return r * 0, g * 0, b * 0
    k = sat / (high - low)
    return (r - low) * k, (g - low) * k, (b - low) * k


@nb.njit(error_model="numpy")
def whole(mode, br, bg, bb, sr, sg, sb):
    """B(Cb, Cs) for the modes that look at the whole colour: hue, saturation, color, luminosity."""
    if mode == FIRST_WHOLE:
        spread = max(br, bg, bb) - min(br, bg, bb)
        r, g, b = _set_sat(sr, sg, sb, spread)
        return _set_lum(r, g, b, _lum(br, bg, bb))
    if mode == FIRST_WHOLE + 1:
        spread = max(sr, sg, sb) - min(sr, sg, sb)
        r, g, b = _set_sat(br, bg, bb, spread)
        return _set_lum(r, g, b, _lum(br, bg, bb))
    if mode == FIRST_WHOLE + 2:
        return _set_lum(sr, sg, sb, _lum(br, bg, bb))
    return _set_lum(br, bg, bb, _lum(sr, sg, sb))


@nb.njit(error_model="numpy")
def blend_row(mode, b, s, out):
    """B(Cb, Cs) over flat rows of straight R G B α; the α of the result is 1.

    One loop a mode, so that each of them runs in vectors.
    """
    n = out.size
    zero, quarter, one, two = np.float32(0), np.float32(0.25), np.float32(1), np.float32(2)
    three, twelve, sixteen = np.float32(3), np.float32(12), np.float32(16)
    if mode == 1:
        for f in range(n):
            out[f] = b[f] * s[f]
    elif mode == 2:
        for f in range(n):
            out[f] = b[f] + s[f] - b[f] * s[f]
    elif mode == 4:
        for f in range(n):
            out[f] = min(b[f], s[f])
    elif mode == 5:
        for f in range(n):
            out[f] = max(b[f], s[f])
    elif mode == 10:
        for f in range(n):
            out[f] = abs(b[f] - s[f])
    elif mode == 11:
        for f in range(n):
            out[f] = b[f] + s[f] - b[f] * s[f] - b[f] * s[f]
    elif mode == 3 or mode == 8:
        over, under = (s, b) if mode == 3 else (b, s)
        for f in range(n):
            t = two * under[f]
            dark, light = over[f] * t, over[f] + (t - one) - over[f] * (t - one)
            out[f] = dark if t <= one else light
    elif mode == 9:
        for f in range(n):
            t = two * s[f] - one
            root = np.sqrt(b[f]) - b[f]
            low = ((sixteen * b[f] - twelve) * b[f] + three) * b[f]
            lift = low if b[f] <= quarter else root
            dark, light = b[f] + t * b[f] * (one - b[f]), b[f] + t * lift
            out[f] = dark if t <= zero else light
    elif mode < FIRST_WHOLE:
        for f in range(n):
            out[f] = separable(mode, b[f], s[f])
    else:
        for f in range(0, n, 4):
            r, g, bl = whole(mode, b[f], b[f + 1], b[f + 2], s[f], s[f + 1], s[f + 2])
            out[f], out[f + 1], out[f + 2] = r, g, bl
    for f in range(3, n, 4):
        out[f] = 1


@nb.njit(error_model="numpy")
def _spread_alpha(row, scale, out):
    """The coverage of every pixel of a flat row, scaled, written to all four of its places.

    Answers whether all of it is full.
    """
    least = np.float32(1)
    for x in range(row.size // 4):
        a = np.float32(row[4 * x + 3]) * scale
        out[4 * x] = a
        out[4 * x + 1] = a
        out[4 * x + 2] = a
        out[4 * x + 3] = a
        least = min(least, a)
    return least >= np.float32(0.99999)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _join_over(below, layer, left, top, opacity):
    to_full, to_part = np.float32(257.0 * opacity), np.float32(opacity / 255.0)
    half, one, most = np.float32(0.5), np.float32(1), np.float32(FULL)
    n = layer.shape[1]
    for y in nb.prange(layer.shape[0]):
        to, row = below[top + y, 4 * left : 4 * left + n], layer[y]
        cover = np.empty(n, np.float32)
        _spread_alpha(row, to_part, cover)
        for f in range(n):
            v = np.float32(row[f]) * to_full + np.float32(to[f]) * (one - cover[f]) + half
            to[f] = np.uint16(np.int32(min(v, most)))


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _join_sum(below, layer, left, top, opacity):
    to_full = np.float32(257.0 * opacity)
    half, most = np.float32(0.5), np.float32(FULL)
    n = layer.shape[1]
    for y in nb.prange(layer.shape[0]):
        to, row = below[top + y, 4 * left : 4 * left + n], layer[y]
        for f in range(n):
            v = np.float32(row[f]) * to_full + np.float32(to[f]) + half
            to[f] = np.uint16(np.int32(min(v, most)))


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _join_blended(below, layer, left, top, mode, opacity):
    unit, full = np.float32(1.0 / 255.0), np.float32(1.0 / FULL)
    half, zero, one, most = np.float32(0.5), np.float32(0), np.float32(1), np.float32(FULL)
    strength = np.float32(opacity)
    tiny = np.float32(1e-6)
    n = layer.shape[1]
    for y in nb.prange(layer.shape[0]):
        to, row = below[top + y, 4 * left : 4 * left + n], layer[y]
        sa, ba = np.empty(n, np.float32), np.empty(n, np.float32)
        s, b = np.empty(n, np.float32), np.empty(n, np.float32)
        blended = np.empty(n, np.float32)
        solid = _spread_alpha(row, unit, sa) and _spread_alpha(to, full, ba)
        if solid:  # the usual case: no colour to divide by its coverage
            for f in range(n):
                s[f] = np.float32(row[f]) * unit
                b[f] = np.float32(to[f]) * full
            blend_row(mode, b, s, blended)
            for f in range(n):
                v = b[f] + strength * (blended[f] - b[f])
                to[f] = np.uint16(np.int32(min(max(v, zero), one) * most + half))
            continue
        for f in range(n):
            s[f] = min(np.float32(row[f]) * unit / max(sa[f], tiny), one)
            b[f] = min(np.float32(to[f]) * full / max(ba[f], tiny), one)
        blend_row(mode, b, s, blended)
        for f in range(n):
            cover = sa[f] * strength
            mixed = s[f] + ba[f] * (blended[f] - s[f])
            v = cover * mixed + (one - cover) * np.float32(to[f]) * full
            to[f] = np.uint16(np.int32(min(max(v, zero), one) * most + half))


def join(
    below: NDArray[np.uint16],
    layer: NDArray[np.uint8],
    left: int,
    top: int,
    blend: str,
    opacity: float,
) -> None:
    """Join a layer with the picture below it, in place.

    Args:
        below: (height, width, 4) RGBA, premultiplied, 0 to 65535; changed.
        layer: (h, w, 4) RGBA, premultiplied, 0 to 255, lying wholly inside ``below``.
        left, top: where its top left pixel lies in ``below``.
        blend: one of :data:`MODES`.
        opacity: 0 to 1, scales the layer's coverage.

    >>> below = np.full((1, 1, 4), 65535, np.uint16)
    >>> join(below, np.array([[[0, 128, 255, 255]]], np.uint8), 0, 0, "multiply", 1.0)
    >>> below.tolist()
    [[[0, 32896, 65535, 65535]]]
    """
    if opacity <= 0:
        return
    mode = MODES.index(blend)
    flat_below = below.reshape(below.shape[0], -1)
    flat_layer = np.ascontiguousarray(layer).reshape(layer.shape[0], -1)
    if mode == NORMAL:
        _join_over(flat_below, flat_layer, left, top, opacity)
    elif mode == PLUS_LIGHTER:
        _join_sum(flat_below, flat_layer, left, top, opacity)
    else:
        _join_blended(flat_below, flat_layer, left, top, mode, opacity)


def ground(width: int, height: int, colour: tuple[int, int, int]) -> NDArray[np.uint16]:
    """The empty canvas: (height, width, 4) of one opaque colour given in 0 to 255."""
    pixel = np.array([*(c * 257 for c in colour), FULL], np.uint16).view(np.uint64)[0]
    return np.full((height, width), pixel, np.uint64).view(np.uint16).reshape(height, width, 4)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def to_rgb8(picture: NDArray[np.uint16]) -> NDArray[np.uint8]:
    """(height, width, 4) uint16 with opaque coverage to (height, width, 3) uint8, rounded."""
    out = np.empty((picture.shape[0], picture.shape[1], 3), np.uint8)
    for y in nb.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            for c in range(3):
                out[y, x, c] = np.uint8((np.uint32(picture[y, x, c]) + 128) // 257)
    return out
