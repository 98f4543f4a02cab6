"""Display values, linear light and OKLab inside loops of kernels, in float32 that runs in vectors.

No power and no branch: roots begin at the exponent taken from the float's bits and are made exact by steps of
Newton and Halley, as exact as a table needs them. Values beyond 0 and 1 go through, so that what one part of a look brightens beyond white another
can bring back.
"""

from __future__ import annotations

import numba as nb
import numpy as np

_HALF, _ONE, _TWO = np.float32(0.5), np.float32(1), np.float32(2)
_CUBE_ROOT = np.int32(709921077)
_FIFTH_ROOT = np.int32(852203930)
_TINY = np.float32(1e-30)


@nb.njit(error_model="numpy", inline="always")
def cube_root(x):
    """Of any number, to 2 parts in 100,000: one step of Halley, whose error is the third power of the first guess's."""
    whole = max(abs(x), _TINY)
    bits = np.float32(whole).view(np.int32)
    y = np.int32(bits // np.int32(3) + _CUBE_ROOT).view(np.float32)
    cube = y * y * y
    y = y * (cube + _TWO * whole) / (_TWO * cube + whole)
    return y if x >= np.float32(0) else -y


@nb.njit(error_model="numpy", inline="always")
def _fifth_root(x):
    bits = np.float32(x).view(np.int32)
    y = np.int32(bits // np.int32(5) + _FIFTH_ROOT).view(np.float32)
    for _ in range(2):
        square = y * y
        y = np.float32(0.8) * y + np.float32(0.2) * x / (square * square)
    return y


@nb.njit(error_model="numpy", inline="always")
def lit(v):
    """A display value in linear light (IEC 61966-2-1): x^2.4 as x² · (x²)^(1/5)."""
    whole = abs(v)
    base = (whole + np.float32(0.055)) / np.float32(1.055)
    square = max(base * base, _TINY)
    curve = square * _fifth_root(square)
    out = curve if whole > np.float32(0.04045) else whole / np.float32(12.92)
    return out if v >= np.float32(0) else -out


@nb.njit(error_model="numpy", inline="always")
def displayed(light):
    """Linear light as a display value: x^(1/2.4) as ∛x · ∜∛x."""
    whole = abs(light)
    root = cube_root(whole)
    curve = np.float32(1.055) * root * np.sqrt(np.sqrt(root)) - np.float32(0.055)
    out = curve if whole > np.float32(0.0031308) else whole * np.float32(12.92)
    return out if light >= np.float32(0) else -out


@nb.njit(error_model="numpy", inline="always")
def lab_of(r, g, b):
    """OKLab of display values (B. Ottosson, 2020)."""
    r, g, b = lit(r), lit(g), lit(b)
    l = cube_root(
        np.float32(0.4122214708) * r + np.float32(0.5363325363) * g + np.float32(0.0514459929) * b
    )
    m = cube_root(
        np.float32(0.2119034982) * r + np.float32(0.6806995451) * g + np.float32(0.1073969566) * b
    )
    s = cube_root(
        np.float32(0.0883024619) * r + np.float32(0.2817188376) * g + np.float32(0.6299787005) * b
    )
    return (
        np.float32(0.2104542553) * l + np.float32(0.7936177850) * m - np.float32(0.0040720468) * s,
        np.float32(1.9779984951) * l - np.float32(2.4285922050) * m + np.float32(0.4505937099) * s,
        np.float32(0.0259040371) * l + np.float32(0.7827717662) * m - np.float32(0.8086757660) * s,
    )


@nb.njit(error_model="numpy", inline="always")
def of_lab(lightness, a, b):
    """Display values of OKLab; beyond 0 and 1 where the colour lies outside the gamut."""
    l = lightness + np.float32(0.3963377774) * a + np.float32(0.2158037573) * b
    m = lightness - np.float32(0.1055613458) * a - np.float32(0.0638541728) * b
    s = lightness - np.float32(0.0894841775) * a - np.float32(1.2914855480) * b
    l, m, s = l * l * l, m * m * m, s * s * s
    return (
        displayed(
            np.float32(4.0767416621) * l
            - np.float32(3.3077115913) * m
            + np.float32(0.2309699292) * s
        ),
        displayed(
            np.float32(-1.2684380046) * l
            + np.float32(2.6097574011) * m
            - np.float32(0.3413193965) * s
        ),
        displayed(
            np.float32(-0.0041960863) * l
            - np.float32(0.7034186147) * m
            + np.float32(1.7076147010) * s
        ),
    )
