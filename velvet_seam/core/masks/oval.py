"""An oval, a circle where its sides are alike."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.masks.base import Ground, Height, MaskBase, Width
from velvet_seam.core.picture import shape
from velvet_seam.core.picture.coverage import Plane
from velvet_seam.core.timing.at import At

ROUND = 128
"""Corners of its polygon: of an oval of 1,080 pixels each side lies within a sixth of a pixel."""


class OvalMask(MaskBase):
    """An oval, a circle where its sides are alike."""

    label: ClassVar[str] = "Oval"
    says: ClassVar[str] = "Drag an oval"
    hint: ClassVar[str] = "Drag an oval around what to keep. Esc gives up."
    find: ClassVar[str] = "circle ellipse"

    kind: Literal["oval"] = "oval"
    width: Width = 400.0
    height: Height = 400.0

    def covered(self, at: At, ground: Ground) -> Plane:
        return ground.shape(shape.OVAL, at(self.width) / 2, at(self.height) / 2)

    def polygon(self, at: At) -> NDArray[np.float64]:
        turn = np.arange(ROUND) * (2 * np.pi / ROUND)
        return np.column_stack([np.cos(turn), np.sin(turn)]) * [
            at(self.width) / 2,
            at(self.height) / 2,
        ]

    def extents(self, at: At) -> list[float]:
        return [at(self.width), at(self.height)]

    def upright(self, at: At) -> float | None:
        return at(self.height) / 2
