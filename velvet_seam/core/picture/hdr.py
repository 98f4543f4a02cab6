"""From HDR to SDR: so that a phone's HLG or PQ clip lies beside an SDR still as if shot beside it.

1. To display light: PQ by the EOTF of SMPTE ST 2084; HLG by the inverse OETF and the OOTF of ITU-R
   BT.2100 for a display of 1000 cd/m² (system gamma 1.2).
2. HDR reference white, 203 cd/m² (ITU-R BT.2408), becomes the white of SDR. What is brighter is
   brought below it by the EETF of ITU-R BT.2390: nothing changes below its knee (95 cd/m²), so
   skin and greys keep their level. It acts on the greatest of R, G, B; hue and saturation stay.
3. BT.2020 primaries, or those of P3, to BT.709; colours outside are drawn towards their own grey, not cut off.
4. The inverse of ITU-R BT.1886 (gamma 2.4), to 8 bit.
"""

from __future__ import annotations

from functools import cache
from typing import Literal

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

Transfer = Literal["HLG", "PQ", "2020", "P3"]
"""``2020`` and ``P3`` are SDR in the primaries of BT.2020 and of Display P3: steps 3 and 4 only."""

PEAK = 1000.0
"""Display light that HDR is taken to reach, cd/m²; HLG's nominal peak, and what phones write."""

WHITE = 203.0
"""HDR reference white, cd/m² (BT.2408)."""

STEPS = 4096
"""Entries of a table: as many levels as the 12-bit PQ that is held to show no steps."""

TO_709 = np.array(
    [[1.6605, -0.5876, -0.0728], [-0.1246, 1.1329, -0.0083], [-0.0182, -0.1006, 1.1187]]
)
"""Linear R, G, B of BT.2020 to those of BT.709 (ITU-R BT.2087)."""

P3_TO_709 = np.array(
    [[1.22494, -0.22494, 0.0], [-0.04206, 1.04206, 0.0], [-0.01964, -0.07864, 1.09827]]
)
"""The same of P3 with the white of D65 (SMPTE EG 432-1)."""

_M1, _M2 = 2610 / 16384, 2523 / 4096 * 128
_C1, _C2, _C3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
_A = 0.17883277
_B, _C = 1 - 4 * _A, 0.5 - _A * np.log(4 * _A)


def pq_to_light(signal: NDArray[np.float64]) -> NDArray[np.float64]:
    """The EOTF of ST 2084: signal 0 to 1 to cd/m², 0 to 10 000.

    >>> pq_to_light(np.array([0.0, 0.58069, 1.0])).round(1).tolist()
    [0.0, 203.0, 10000.0]
    """
    root = np.clip(signal, 0, 1) ** (1 / _M2)
    return np.asarray(10_000 * (np.maximum(root - _C1, 0) / (_C2 - _C3 * root)) ** (1 / _M1))


def light_to_pq(light: NDArray[np.float64]) -> NDArray[np.float64]:
    """The inverse of :func:`pq_to_light`."""
    power = np.clip(light / 10_000, 0, 1) ** _M1
    return np.asarray(((_C1 + _C2 * power) / (1 + _C3 * power)) ** _M2)


def hlg_to_scene(signal: NDArray[np.float64]) -> NDArray[np.float64]:
    """The inverse OETF of HLG (BT.2100): signal to scene light, both 0 to 1.

    >>> hlg_to_scene(np.array([0.0, 0.5, 1.0])).round(4).tolist()
    [0.0, 0.0833, 1.0]
    """
    e = np.clip(signal, 0, 1)
    return np.where(e <= 0.5, e * e / 3, (np.exp((e - _C) / _A) + _B) / 12)


def toned(light: NDArray[np.float64]) -> NDArray[np.float64]:
    """The EETF of BT.2390 from :data:`PEAK` to :data:`WHITE`: cd/m² to cd/m².

    >>> toned(np.array([1.0, 50.0, 203.0, 1000.0, 4000.0])).round(1).tolist()
    [1.0, 50.0, 159.0, 203.0, 203.0]
    """
    top = light_to_pq(np.array(PEAK))
    most = float(light_to_pq(np.array(WHITE)) / top)
    knee = 1.5 * most - 0.5
    e = np.clip(light_to_pq(light) / top, 0, 1)
    t = np.clip((e - knee) / (1 - knee), 0, 1)
    spline = (
        (2 * t**3 - 3 * t**2 + 1) * knee
        + (t**3 - 2 * t**2 + t) * (1 - knee)
        + (3 * t**2 - 2 * t**3) * most
    )
    return pq_to_light(np.where(e < knee, e, spline) * top)


@cache
def _tables(transfer: Transfer) -> tuple[NDArray[np.float32 | np.uint32], ...]:
    """Signal to light; light's luminance to the OOTF's gain; greatest light to the gain of the EETF; light to its part of a
    packed opaque pixel, for each of R, G, B: (3, STEPS). Light is in 1 for :data:`PEAK`, and looked up by its square root."""
    signal = np.arange(STEPS) / (STEPS - 1)
    light = signal**2
    ootf, gain = np.ones(STEPS), np.ones(STEPS)
    if transfer in ("2020", "P3"):
        eotf = signal**2.4
    else:
        eotf = hlg_to_scene(signal) if transfer == "HLG" else pq_to_light(signal) / PEAK
        gain = toned(light * PEAK) / np.maximum(light * WHITE, 1e-12)
        gain[0] = gain[1]
        if transfer == "HLG":
            ootf = light**0.2
    level = (light ** (1 / 2.4) * 255 + 0.5).astype(np.float32).astype(np.uint32)
    shown = np.stack([level | np.uint32(0xFF000000), level << np.uint32(8), level << np.uint32(16)])
    return *(table.astype(np.float32) for table in (eotf, ootf, gain)), shown


@nb.njit(inline="always", error_model="numpy")
def _at(value, last):
    """Where a table that is looked up by the square root has a value."""
    one = min(max(value, np.float32(0)), np.float32(1))
    return np.uint32(np.int32(np.sqrt(one) * last + np.float32(0.5)))


# A row goes through these one after the other. What is reckoned runs in vectors; looking up does not, and has loops of
# its own so that it does not keep the rest from it.


@nb.njit(error_model="numpy")
def _levels(row, to):
    """Entries of the table of light for the three values of each pixel."""
    drop, one, three = np.uint16(4), np.uint64(1), np.uint64(3)
    for n in range(to.shape[1]):
        x = three * np.uint64(n)
        to[0, n] = row[x] >> drop
        to[1, n] = row[x + one] >> drop
        to[2, n] = row[x + one + one] >> drop


@nb.njit(error_model="numpy")
def _looked_up(at, table, to):
    for x in range(to.size):
        to[x] = table[at[x]]


@nb.njit(error_model="numpy")
def _luminance(light, to):
    yr, yg, yb = np.float32(0.2627), np.float32(0.6780), np.float32(0.0593)
    r, g, b, last = light[0], light[1], light[2], np.float32(STEPS - 1)
    for x in range(to.size):
        to[x] = _at(yr * r[x] + yg * g[x] + yb * b[x], last)


@nb.njit(error_model="numpy")
def _greatest(light, lift, to):
    r, g, b, last = light[0], light[1], light[2], np.float32(STEPS - 1)
    for x in range(to.size):
        to[x] = _at(max(r[x], g[x], b[x]) * lift[x], last)


@nb.njit(error_model="numpy")
def _in_709(light, lift, gain, m, to):
    """Toned, in the primaries of BT.709: entries of the table of what is shown."""
    zero, one, tiny = np.float32(0), np.float32(1), np.float32(1e-6)
    wr, wg, wb = np.float32(0.2126), np.float32(0.7152), np.float32(0.0722)
    last = np.float32(STEPS - 1)
    red, green, blue = light[0], light[1], light[2]
    to_r, to_g, to_b = to[0], to[1], to[2]
    for x in range(lift.size):
        k = lift[x] * gain[x] / max(max(red[x], green[x], blue[x]) * lift[x], one)
        r, g, b = red[x] * k, green[x] * k, blue[x] * k
        u = m[0, 0] * r + m[0, 1] * g + m[0, 2] * b
        v = m[1, 0] * r + m[1, 1] * g + m[1, 2] * b
        w = m[2, 0] * r + m[2, 1] * g + m[2, 2] * b
        # outside of BT.709 one channel is negative: towards grey until it is not
        grey, low = wr * u + wg * v + wb * w, min(u, v, w)
        keep = grey / max(grey - low, tiny)
        keep = keep if low < zero else one
        to_r[x] = _at(grey + (u - grey) * keep, last)
        to_g[x] = _at(grey + (v - grey) * keep, last)
        to_b[x] = _at(grey + (w - grey) * keep, last)


@nb.njit(error_model="numpy")
def _packed(at, shown, to):
    red, green, blue = at[0], at[1], at[2]
    for x in range(to.size):
        to[x] = shown[0, red[x]] | shown[1, green[x]] | shown[2, blue[x]]


@kernel()
def _convert(rgb, eotf, ootf, gain, shown, m):
    height, width = rgb.shape[0], rgb.shape[1] // 3
    out = np.empty((height, width), np.uint32)
    at, light = np.empty((3, width), np.uint32), np.empty((3, width), np.float32)
    lift, toned_by = np.empty(width, np.float32), np.empty(width, np.float32)
    for y in range(height):
        _levels(rgb[y], at)
        for c in range(3):
            _looked_up(at[c], eotf, light[c])
        _luminance(light, at[0])
        _looked_up(at[0], ootf, lift)
        _greatest(light, lift, at[0])
        _looked_up(at[0], gain, toned_by)
        _in_709(light, lift, toned_by, m, at)
        _packed(at, shown, out[y])
    return out


def to_sdr(rgb: NDArray[np.uint16], transfer: Transfer) -> NDArray[np.uint8]:
    """R'G'B' in BT.2020 primaries, or those of P3, to display-referred SDR.

    Args:
        rgb: (h, w, 3) uint16, full range.
        transfer: how signal stands for light in it.

    Returns:
        (h, w, 4) uint8 RGBA, opaque.

    >>> white = np.full((1, 1, 3), round(0.75 * 65535), np.uint16)  # HLG's reference white
    >>> to_sdr(white, "HLG").tolist()
    [[[230, 230, 230, 255]]]
    """
    h, w = rgb.shape[:2]
    flat = np.ascontiguousarray(rgb).reshape(h, 3 * w)
    to_709 = P3_TO_709 if transfer == "P3" else TO_709
    pixels = _convert(flat, *_tables(transfer), to_709.astype(np.float32))
    return np.asarray(pixels.view(np.uint8).reshape(h, w, 4))
