"""A box, with round corners if wished."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.masks.base import Ground, Height, MaskBase, Width
from velvet_seam.core.picture import shape
from velvet_seam.core.picture.coverage import Plane
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class BoxMask(MaskBase):
    """A box, with round corners if wished."""

    label: ClassVar[str] = "Box"
    says: ClassVar[str] = "Drag a box"
    hint: ClassVar[str] = "Drag a box around what to keep. Esc gives up."
    find: ClassVar[str] = "rectangle crop square cut"

    kind: Literal["box"] = "box"
    width: Width = 400.0
    height: Height = 400.0
    round: Annotated[
        Animated,
        Bounds(0, 16384, "px", "Corners", "Radius of the corners", shown=(0, 500), of="source"),
    ] = 0.0

    def covered(self, at: At, ground: Ground) -> Plane:
        sides = at(self.width) / 2, at(self.height) / 2
        return ground.shape(shape.BOX, *sides, at(self.round))

    def polygon(self, at: At) -> NDArray[np.float64]:
        x, y = at(self.width) / 2, at(self.height) / 2
        r = min(at(self.round), x, y)
        if r <= 0:
            return np.array([(-x, -y), (x, -y), (x, y), (-x, y)])
        quarter = np.linspace(0, np.pi / 2, 9)
        arc = r * np.column_stack([np.cos(quarter), np.sin(quarter)])
        turned = [arc @ np.array([(c, s), (-s, c)]) for c, s in ((1, 0), (0, 1), (-1, 0), (0, -1))]
        middles = [(x - r, y - r), (r - x, y - r), (r - x, r - y), (x - r, r - y)]
        return np.concatenate([one + middle for one, middle in zip(turned, middles, strict=True)])

    def extents(self, at: At) -> list[float]:
        return [at(self.width), at(self.height)]

    def upright(self, at: At) -> float | None:
        return at(self.height) / 2
