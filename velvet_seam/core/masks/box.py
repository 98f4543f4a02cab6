"""A box, with round corners if wished."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

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

    def extents(self, at: At) -> list[float]:
        return [at(self.width), at(self.height)]

    def upright(self, at: At) -> float | None:
        return at(self.height) / 2
