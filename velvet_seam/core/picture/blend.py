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
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@nb.njit(inline="always", error_model="numpy")
def _set_lum(r, g, b, lum):
    """SetLum of the specification, with ClipColor; without branches, for vectors."""
    zero, one, tiny = np.float32(0), np.float32(1), np.float32(1e-9)
    d = lum - _lum(r, g, b)
    r, g, b = r + d, g + d, b + d
    low = min(r, g, b)
    k = lum / max(lum - low, tiny) if low < zero else one
    r, g, b = lum + (r - lum) * k, lum + (g - lum) * k, lum + (b - lum) * k
    high = max(r, g, b)
    k = (one - lum) / max(high - lum, tiny) if high > one else one
    return lum + (r - lum) * k, lum + (g - lum) * k, lum + (b - lum) * k


@nb.njit(inline="always", error_model="numpy")
def _set_sat(r, g, b, sat):
    """SetSat of the specification: the spread of the channels becomes ``sat``."""
    low = min(r, g, b)
    spread = max(r, g, b) - low
    k = sat / spread if spread > np.float32(0) else np.float32(0)
    return (r - low) * k, (g - low) * k, (b - low) * k


@nb.njit(error_model="numpy")
def _recoloured(mode, br, bg, bb, sr, sg, sb, r, g, b):
    """hue, saturation, color, luminosity: the modes that look at the whole colour."""
    if mode == FIRST_WHOLE:
        for i in range(r.size):
            sat = max(br[i], bg[i], bb[i]) - min(br[i], bg[i], bb[i])
            x, y, z = _set_sat(sr[i], sg[i], sb[i], sat)
            r[i], g[i], b[i] = _set_lum(x, y, z, _lum(br[i], bg[i], bb[i]))
    elif mode == FIRST_WHOLE + 1:
        for i in range(r.size):
            sat = max(sr[i], sg[i], sb[i]) - min(sr[i], sg[i], sb[i])
            x, y, z = _set_sat(br[i], bg[i], bb[i], sat)
            r[i], g[i], b[i] = _set_lum(x, y, z, _lum(br[i], bg[i], bb[i]))
    elif mode == FIRST_WHOLE + 2:
        for i in range(r.size):
            r[i], g[i], b[i] = _set_lum(sr[i], sg[i], sb[i], _lum(br[i], bg[i], bb[i]))
    else:
        for i in range(r.size):
            r[i], g[i], b[i] = _set_lum(br[i], bg[i], bb[i], _lum(sr[i], sg[i], sb[i]))


@nb.njit(error_model="numpy")
def blend_planes(mode, b, s, out):
    """B(Cb, Cs) over a run of pixels: flat float32, all R, then all G, then all B.

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
        p = n // 3
        _recoloured(mode, b[:p], b[p : 2 * p], b[2 * p :], s[:p], s[p : 2 * p], s[2 * p :],
                    out[:p], out[p : 2 * p], out[2 * p :])  # fmt: skip
