"""The blends: formulas of *Compositing and Blending Level 1* (W3C).

With backdrop colour Cb, backdrop coverage αb, source colour Cs, source coverage αs (all in 0 to 1,
display-referred) and a blend function B::

    Cs' = (1 − αb)·Cs + αb·B(Cb, Cs)
    co  = αs·Cs' + (1 − αs)·αb·Cb          (source-over, premultiplied result)
    αo  = αs + αb·(1 − αs)

``plus-lighter`` is the Porter–Duff sum clipped to 1: ``co = min(1, αs·Cs + αb·Cb)``.

The operators have no blend function. They cut what lies below by a factor k, so that the empty canvas
shows, with opacity o and the layer's luma Y: keep-inside ``k = 1 − o + o·αs``, keep-outside
``k = 1 − o·αs``, keep-bright ``k = 1 − o + o·αs·Y``, keep-dark ``k = 1 − o·αs·Y``. ``atop`` and ``xor``
are Porter and Duff's: ``co = αs·αb·Cs + (1 − αs)·αb·Cb`` and ``αs·(1 − αb)·Cs + αb·(1 − αs)·Cb``.
"""

from __future__ import annotations

from typing import get_args

import numba as nb
import numpy as np

from velvet_seam.core.picture.blend_names import Blend

MODES: tuple[str, ...] = get_args(Blend)
"""Every blend, in the order the document names them; a kernel knows it by this index."""

NORMAL, PLUS_LIGHTER, FIRST_WHOLE, LAST_WHOLE = (
    MODES.index(name) for name in ("normal", "plus-lighter", "hue", "luminosity")
)
(ADD, SUBTRACT, DIVIDE, LINEAR_BURN, LINEAR_LIGHT, VIVID_LIGHT, PIN_LIGHT, HARD_MIX, DARKER,
 LIGHTER) = (
    MODES.index(name)
    for name in ("add", "subtract", "divide", "linear-burn", "linear-light", "vivid-light",
                 "pin-light", "hard-mix", "darker-colour", "lighter-colour")
)  # fmt: skip
KEEP_INSIDE, KEEP_OUTSIDE, KEEP_BRIGHT, KEEP_DARK, ATOP, XOR = (
    MODES.index(name)
    for name in ("keep-inside", "keep-outside", "keep-bright", "keep-dark", "atop", "xor")
)

ADDING = tuple(
    MODES.index(name)
    for name in ("screen", "lighten", "difference", "exclusion", "plus-lighter", "add", "subtract")
)
"""Blends in which black changes nothing of what is wholly covered."""

EVERYWHERE = ("keep-inside", "keep-bright")
"""Operators that change the picture also where their layer is not."""


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
    saturation, color and luminosity look at the whole colour. add ``min(1, Cb + Cs)``; subtract
    ``max(0, Cb − Cs)``; divide ``min(1, Cb / Cs)``; linear-burn ``max(0, Cb + Cs − 1)``; linear-light
    ``Cb + 2·Cs − 1``, clipped; vivid-light: color-burn with ``2·Cs`` up to a half, color-dodge with
    ``2·Cs − 1`` above; pin-light: darken and lighten in the same way; hard-mix: 1 where
    ``Cb + Cs ≥ 1``, else 0; darker-colour, lighter-colour: the whole colour of less or of more luma
    (that of the specification, 0.3, 0.59, 0.11). One loop a mode, so that each runs in vectors.
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
            out[f] = b[f] + t * (b[f] * (one - b[f]) if t <= zero else lift)
    elif mode == 6:
        for f in range(n):  # 0 / anything is 0, anything / almost nothing is at least 1
            out[f] = min(b[f] / max(one - s[f], tiny), one)
    elif mode == 7:
        for f in range(n):
            out[f] = one - min((one - b[f]) / max(s[f], tiny), one)
    elif mode == ADD:
        for f in range(n):
            out[f] = min(b[f] + s[f], one)
    elif mode == SUBTRACT:
        for f in range(n):
            out[f] = max(b[f] - s[f], zero)
    elif mode == DIVIDE:
        for f in range(n):
            out[f] = min(b[f] / max(s[f], tiny), one)
    elif mode == LINEAR_BURN:
        for f in range(n):
            out[f] = max(b[f] + s[f] - one, zero)
    elif mode == LINEAR_LIGHT:
        for f in range(n):
            out[f] = min(max(b[f] + two * s[f] - one, zero), one)
    elif mode == VIVID_LIGHT:
        for f in range(n):
            t = two * s[f]
            burn = one - min((one - b[f]) / max(t, tiny), one)
            dodge = min(b[f] / max(two - t, tiny), one)
            out[f] = burn if t <= one else dodge
    elif mode == PIN_LIGHT:
        for f in range(n):
            t = two * s[f]
            out[f] = min(b[f], t) if t <= one else max(b[f], t - one)
    elif mode == HARD_MIX:
        for f in range(n):
            out[f] = one if b[f] + s[f] >= one else zero
    elif mode in (DARKER, LIGHTER):
        p = n // 3
        for f in range(p):
            below = _lum(b[f], b[p + f], b[2 * p + f])
            above = _lum(s[f], s[p + f], s[2 * p + f])
            take = above < below if mode == DARKER else above > below
            out[f] = s[f] if take else b[f]
            out[p + f] = s[p + f] if take else b[p + f]
            out[2 * p + f] = s[2 * p + f] if take else b[2 * p + f]
    else:
        p = n // 3
        _recoloured(mode, b[:p], b[p : 2 * p], b[2 * p :], s[:p], s[p : 2 * p], s[2 * p :],
                    out[:p], out[p : 2 * p], out[2 * p :])  # fmt: skip
