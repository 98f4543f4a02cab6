"""Monochrome."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.looks.base import Planes, Stage, Tone
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class Monochrome(Tone):
    """Grey, mixed of the three channels: a red share lightens skin and darkens sky."""

    label: ClassVar[str] = "Monochrome"
    says: ClassVar[str] = "Black and white, with a weight for each channel"
    find: ClassVar[str] = "black white grey bw desaturate"

    kind: Literal["monochrome"] = "monochrome"
    red: Annotated[Animated, Bounds(-200, 300, "%", "Red", "Its share of grey", shown=(0, 100))] = (
        21.0
    )
    green: Annotated[
        Animated, Bounds(-200, 300, "%", "Green", "Its share of grey", shown=(0, 100))
    ] = 72.0
    blue: Annotated[
        Animated, Bounds(-200, 300, "%", "Blue", "Its share of grey", shown=(0, 100))
    ] = 7.0

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        return (Stage(_grey, (at.part(self.red), at.part(self.green), at.part(self.blue))),)


def _grey(planes: Planes, red: float, green: float, blue: float) -> None:
    planes[:] = np.array([red, green, blue], np.float32) @ planes
