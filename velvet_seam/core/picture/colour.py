"""Colour spaces: sRGB display-referred, linear light, OKLab."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

LUMA_709 = (0.2126, 0.7152, 0.0722)
"""Weights of luma over R'G'B' (ITU-R BT.709)."""


def to_linear(rgb: ArrayLike) -> NDArray[np.float64]:
    """Display-referred sRGB in 0 to 1 to linear light (IEC 61966-2-1).

    >>> to_linear([0.0, 0.5, 1.0]).round(4).tolist()
    [0.0, 0.214, 1.0]
    """
    v = np.asarray(rgb, np.float64)
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)


def to_display(light: ArrayLike) -> NDArray[np.float64]:
    """Linear light in 0 to 1 to display-referred sRGB, the reverse of :func:`to_linear`.

    >>> to_display(to_linear([0.02, 0.5, 1.0])).round(4).tolist()
    [0.02, 0.5, 1.0]
    """
    v = np.asarray(light, np.float64)
    return np.where(
        v <= 0.04045 / 12.92, v * 12.92, 1.055 * np.maximum(v, 1e-9) ** (1 / 2.4) - 0.055
    )


def to_oklab(rgb: ArrayLike) -> NDArray[np.float64]:
    """Display-referred sRGB in 0 to 1, last axis R G B, to OKLab L a b (B. Ottosson, 2020).

    >>> to_oklab([1.0, 0.0, 0.0]).round(3).tolist()
    [0.628, 0.225, 0.126]
    """
    r, g, b = np.moveaxis(to_linear(rgb), -1, 0)
    l = np.cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b)
    m = np.cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b)
    s = np.cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b)
    return np.stack(
        [
            0.2104542553 * l + 0.7936177850 * m - 0.0040720468 * s,
            1.9779984951 * l - 2.4285922050 * m + 0.4505937099 * s,
            0.0259040371 * l + 0.7827717662 * m - 0.8086757660 * s,
        ],
        axis=-1,
    )


def delta_e(one: ArrayLike, other: ArrayLike) -> NDArray[np.float64]:
    """Colour difference: distance in OKLab × 100, of display-referred sRGB in 0 to 1.

    >>> float(delta_e([0, 0, 0], [1, 1, 1]).round(1))
    100.0
    """
    return np.asarray(100 * np.linalg.norm(to_oklab(one) - to_oklab(other), axis=-1))
