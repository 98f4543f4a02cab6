"""White balance: warmer or cooler, greener or more magenta."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.looks.base import Planes, Stage, Tone
from velvet_seam.core.picture.light import displayed, lit
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds

DAYLIGHT = 153.75
"""Mired of the white that is left as it is, about 6504 K."""

TINT = 0.0003
"""Of the distance from the locus in CIE 1960 u, v, to a per cent of tint."""

_CAT16 = np.array(
    [
        [0.401288, 0.650173, -0.051461],
        [-0.250268, 1.204414, 0.045854],
        [-0.002079, 0.048952, 0.953127],
    ]
)
"""From XYZ to the responses in which white is adapted (C. Li and others, *Color Research and Application*, 2017)."""

_TO_XYZ = np.array(
    [
        [0.4123908, 0.3575843, 0.1804808],
        [0.2126390, 0.7151687, 0.0721923],
        [0.0193308, 0.1191948, 0.9505322],
    ]
)
"""From linear sRGB (IEC 61966-2-1)."""


class Balance(Tone):
    """White shifted along the colours of glowing bodies, and across them.

    The shift counts in mired, 10⁶ over kelvin, in which a step looks alike everywhere; white is adapted by CAT16.
    """

    label: ClassVar[str] = "White balance"
    says: ClassVar[str] = "Warmer or cooler, greener or more magenta"
    find: ClassVar[str] = "temperature tint warm cool kelvin cast colour"

    kind: Literal["balance"] = "balance"
    temperature: Annotated[
        Animated,
        Bounds(-100, 150, "mired", "Temperature", "Above 0 warmer, below 0 cooler", shown=(-80, 80), find="warm cool kelvin"),
    ] = 0.0  # fmt: skip
    tint: Annotated[
        Animated,
        Bounds(-100, 100, "%", "Tint", "Above 0 towards magenta, below 0 towards green", find="green magenta"),
    ] = 0.0  # fmt: skip

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        shift, tint = at(self.temperature), at(self.tint)
        if not shift and not tint:
            return ()
        return (Stage(_adapted, tuple(balance_matrix(shift, tint).reshape(-1).tolist())),)


def _locus(mired: float) -> tuple[float, float]:
    """u and v of a glowing body (M. Krystek, *Color Research and Application*, 1985)."""
    t = 1e6 / mired
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (
        1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t
    )
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (
        1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t
    )
    return u, v


def _white(shift: float, tint: float) -> NDArray[np.float64]:
    """XYZ of a white with Y = 1."""
    here = DAYLIGHT + shift
    u, v = _locus(here)
    before, after = np.array(_locus(here - 0.5)), np.array(_locus(here + 0.5))
    along = (after - before) / np.linalg.norm(after - before)
    # across the locus, towards less green: downwards in v
    u, v = u + along[1] * tint * TINT, v - along[0] * tint * TINT
    x, y = 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)
    return np.array([x / y, 1.0, (1 - x - y) / y])


@lru_cache(maxsize=256)
def balance_matrix(shift: float, tint: float) -> NDArray[np.float64]:
    """3 × 3, on linear light, from white as it was to white as it is to be.

    >>> warmer = balance_matrix(50, 0) @ np.ones(3)
    >>> bool(warmer[0] > 1 > warmer[2]), bool(np.allclose(balance_matrix(0, 0), np.eye(3), atol=1e-6))
    (True, True)
    """
    gains = (_CAT16 @ _white(shift, tint)) / (_CAT16 @ _white(0, 0))
    adapted = np.linalg.inv(_CAT16) @ np.diag(gains) @ _CAT16
    return np.asarray(np.linalg.inv(_TO_XYZ) @ adapted @ _TO_XYZ)


@kernel()
def _matrix_kernel(planes, m):
    red, green, blue = planes[0], planes[1], planes[2]
    a, b, c = m[0], m[1], m[2]
    d, e, f = m[3], m[4], m[5]
    g, h, i = m[6], m[7], m[8]
    for k in range(red.size):
        r, s, t = lit(red[k]), lit(green[k]), lit(blue[k])
        red[k] = displayed(a * r + b * s + c * t)
        green[k] = displayed(d * r + e * s + f * t)
        blue[k] = displayed(g * r + h * s + i * t)


def _adapted(planes: Planes, *matrix: float) -> None:
    _matrix_kernel(planes, np.array(matrix, np.float32))
