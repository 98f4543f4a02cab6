"""Light: exposure, contrast, and four zones of brightness."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numba as nb
import numpy as np

from velvet_seam.core.kernels import kernel
from velvet_seam.core.looks.base import Planes, Stage, Tone
from velvet_seam.core.picture.light import displayed, lab_of, lit, of_lab
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds

PIVOT = 0.46135613
"""Middle grey, 0.18 of linear light, as a display value: what contrast leaves as it is."""


class Light(Tone):
    """Exposure, contrast, whites, highlights, shadows, blacks, in this order.

    Exposure multiplies linear light. Contrast bends display values about middle grey, steeper there and with soft
    ends: below it p·g(v/p), above it the mirror of that, with g(u) = u / (s + (1 − s)u) and s = 2^(1.5c) (the
    bias curve of C. Schlick, 1994), straight beyond black and white. The zones are smooth maps of OKLab's
    lightness that overlap; none of them breaks the order of greys, however it is set.
    """

    label: ClassVar[str] = "Light"
    says: ClassVar[str] = "Exposure, contrast, highlights and shadows"
    find: ClassVar[str] = "brightness exposure contrast darker lighter levels tone"

    kind: Literal["light"] = "light"
    exposure: Annotated[
        Animated,
        Bounds(-20, 20, "stops", "Exposure", "One stop is twice the light", step=0.05, shown=(-4, 4), find="brightness lighter darker"),
    ] = 0.0  # fmt: skip
    contrast: Annotated[
        Animated, Bounds(-100, 100, "%", "Contrast", "About middle grey, with soft ends")
    ] = 0.0
    highlights: Annotated[
        Animated, Bounds(-100, 100, "%", "Highlights", "The brighter half; below 0 skies come back", find="zone bright")
    ] = 0.0  # fmt: skip
    shadows: Annotated[
        Animated, Bounds(-100, 100, "%", "Shadows", "The darker half; above 0 it opens", find="zone dark")
    ] = 0.0  # fmt: skip
    whites: Annotated[
        Animated, Bounds(-100, 100, "%", "Whites", "The very brightest", find="zone bright")
    ] = 0.0
    blacks: Annotated[
        Animated, Bounds(-100, 100, "%", "Blacks", "The very darkest; below 0 they are crushed", find="zone dark crush lift")
    ] = 0.0  # fmt: skip

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        zones = tuple(
            at.part(one) for one in (self.shadows, self.highlights, self.blacks, self.whites)
        )
        exposure, contrast = at(self.exposure), at.part(self.contrast)
        found = []
        if exposure or contrast:
            plain = (2.0**exposure, 2.0 ** (1.5 * contrast))
            found.append(Stage(exposed, plain, channelwise=True))
        if any(zones):
            found.append(Stage(_zoned, zones))
        return tuple(found)


@nb.njit(error_model="numpy", inline="always")
def _bias(u, s):
    """u / (s + (1 − s)u) from 0 to 1, straight on below 0."""
    zero, one = np.float32(0), np.float32(1)
    inside = max(u, zero)
    return inside / (s + (one - s) * inside) + min(u, zero) / s


@nb.njit(error_model="numpy", inline="always")
def _bent(v, gain, s):
    """A display value after exposure and contrast."""
    p, one = np.float32(PIVOT), np.float32(1)
    v = displayed(lit(v) * gain)
    low = p * _bias(v / p, s)
    high = one - (one - p) * _bias((one - v) / (one - p), s)
    return low if v < p else high


@kernel()
def _exposed_kernel(planes, gain, s):
    flat = planes.reshape(-1)
    for k in range(flat.size):
        flat[k] = _bent(flat[k], gain, s)


@nb.njit(error_model="numpy", inline="always")
def _hump(u):
    u = min(max(u, np.float32(0)), np.float32(1))
    return np.float32(16) * u * u * (np.float32(1) - u) * (np.float32(1) - u)


@nb.njit(error_model="numpy", inline="always")
def _fall(u):
    u = min(max(u, np.float32(0)), np.float32(1))
    rest = np.float32(1) - u
    return rest * rest * (np.float32(1) + np.float32(2) * u)


@nb.njit(error_model="numpy", inline="always")
def _lightness(level, shadows, highlights, blacks, whites):
    level += np.float32(0.14) * shadows * _hump(level / np.float32(0.65))
    level += np.float32(0.14) * highlights * _hump((level - np.float32(0.4)) / np.float32(0.6))
    level += np.float32(0.10) * blacks * _fall(level / np.float32(0.35))
    level += np.float32(0.10) * whites * _fall((np.float32(1) - level) / np.float32(0.4))
    return max(level, np.float32(0))


@kernel()
def _zoned_kernel(planes, shadows, highlights, blacks, whites):
    red, green, blue = planes[0], planes[1], planes[2]
    for k in range(red.size):
        level, one, other = lab_of(red[k], green[k], blue[k])
        level = _lightness(level, shadows, highlights, blacks, whites)
        r, g, b = of_lab(level, one, other)
        red[k], green[k], blue[k] = r, g, b


def exposed(planes: Planes, gain: float, s: float) -> None:
    _exposed_kernel(planes, np.float32(gain), np.float32(s))


def _zoned(planes: Planes, *numbers: float) -> None:
    _zoned_kernel(planes, *(np.float32(number) for number in numbers))
