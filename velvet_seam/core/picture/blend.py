"""The blends: formulas of *Compositing and Blending Level 1* (W3C).

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

from velvet_seam.core.shot.seam import Blend

MODES: tuple[str, ...] = get_args(Blend)
"""Every blend, in the order the document names them; a kernel knows it by this index."""

NORMAL, PLUS_LIGHTER, FIRST_WHOLE, LAST_WHOLE = (
    MODES.index(name) for name in ("normal", "plus-lighter", "hue", "luminosity")
)


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

    multiply ``Cb·Cs``; screen ``Cb + Cs − Cb·Cs``; overlay ``hard-light(Cs, Cb)``; darken, lighten:
    the smaller, the greater; color-dodge ``Cb / (1 − Cs)``; color-burn ``1 − (1 − Cb) / Cs``;
    hard-light: multiply or screen by ``2·Cs``; soft-light: per the specification, with its
    polynomial below 0.25; difference ``|Cb − Cs|``; exclusion ``Cb + Cs − 2·Cb·Cs``; hue,
    saturation, color and luminosity look at the whole colour. One loop a mode, so that each of them
    runs in vectors.
    """
    n = out.size
    zero, quarter, one, two = np.float32(0), np.float32(0.25), np.float32(1), np.float32(2)
    tiny = np.float32(1e-9)
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
    elif mode == 6:
        for f in range(n):  # 0 / anything is 0, anything / almost nothing is at least 1
            out[f] = min(b[f] / max(one - s[f], tiny), one)
    elif mode == 7:
        for f in range(n):
            out[f] = one - min((one - b[f]) / max(s[f], tiny), one)
    else:
        for f in range(0, n, 4):
            r, g, bl = whole(mode, b[f], b[f + 1], b[f + 2], s[f], s[f + 1], s[f + 2])
            out[f], out[f + 1], out[f + 2] = r, g, bl
    for f in range(3, n, 4):
        out[f] = 1
