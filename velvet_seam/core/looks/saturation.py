"""Saturation and vibrance."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numba as nb
import numpy as np

from velvet_seam.core.kernels import kernel
from velvet_seam.core.looks.base import Planes, Stage, Tone
from velvet_seam.core.picture.light import displayed, lab_of, of_lab
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds

PALE = 0.3
"""Chroma of OKLab from which on vibrance does nothing."""


class Saturation(Tone):
    """Chroma of OKLab made more or less, softly where the gamut ends: what has no room left gains nothing."""

    label: ClassVar[str] = "Saturation"
    says: ClassVar[str] = "Stronger or paler colours"
    find: ClassVar[str] = "colourful vivid pale vibrance chroma desaturate"

    kind: Literal["saturation"] = "saturation"
    saturation: Annotated[
        Animated,
        Bounds(0, 400, "%", "Saturation", "0 % is grey, 100 % as it is", shown=(0, 200)),
    ] = 100.0
    vibrance: Annotated[
        Animated, Bounds(-100, 100, "%", "Vibrance", "Pale colours more than strong ones")
    ] = 0.0

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        saturation, vibrance = at.part(self.saturation), at.part(self.vibrance)
        if saturation == 1 and not vibrance:
            return ()
        return (Stage(_stronger, (saturation, vibrance)),)


@nb.njit(error_model="numpy", inline="always")
def _taken(v, grey):
    """How much of the way from grey to the end of the gamut a channel has gone, to the fourth power."""
    one, little = np.float32(1), np.float32(1e-4)
    away = v - grey
    e = max(away / max(one - grey, little), -away / max(grey, little))
    e = min(max(e, np.float32(0)), np.float32(4))
    return e * e * e * e


@kernel()
def _stronger_kernel(planes, saturation, vibrance):
    red, green, blue = planes[0], planes[1], planes[2]
    zero, one = np.float32(0), np.float32(1)
    for k in range(red.size):
        r, g, b = red[k], green[k], blue[k]
        level, x, y = lab_of(r, g, b)
        grey = displayed(level * level * level)
        taken = np.sqrt(np.sqrt(_taken(r, grey) + _taken(g, grey) + _taken(b, grey)))
        room = max(zero, one - taken)
        soft = room * room
        gain = one + (saturation - one) * (soft if saturation > one else one)
        pale = max(zero, one - np.sqrt(x * x + y * y) / np.float32(PALE))
        gain *= one + vibrance * pale * pale * (soft if vibrance > zero else one)
        r, g, b = of_lab(level, x * gain, y * gain)
        red[k], green[k], blue[k] = r, g, b


def _stronger(planes: Planes, saturation: float, vibrance: float) -> None:
    _stronger_kernel(planes, np.float32(saturation), np.float32(vibrance))
