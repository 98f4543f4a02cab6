"""An oval, a circle where its sides are alike."""

from __future__ import annotations

from typing import ClassVar, Literal

from velvet_seam.core.masks.base import Ground, Height, MaskBase, Width
from velvet_seam.core.picture import shape
from velvet_seam.core.picture.coverage import Plane
from velvet_seam.core.timing.at import At


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

    def extents(self, at: At) -> list[float]:
        return [at(self.width), at(self.height)]

    def upright(self, at: At) -> float | None:
        return at(self.height) / 2
