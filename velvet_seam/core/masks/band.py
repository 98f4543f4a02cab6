"""A band of a width, without ends, upright before it is turned."""

from __future__ import annotations

from typing import ClassVar, Literal

from velvet_seam.core.masks.base import Ground, MaskBase, Width
from velvet_seam.core.picture import shape
from velvet_seam.core.picture.coverage import Plane
from velvet_seam.core.timing.at import At


class BandMask(MaskBase):
    """A band of a width, without ends, upright before it is turned."""

    label: ClassVar[str] = "Band"
    says: ClassVar[str] = "Drag across a band"
    hint: ClassVar[str] = "Drag across what to keep. Esc gives up."
    find: ClassVar[str] = "strip stripe"
    by_line: ClassVar[bool] = True

    kind: Literal["band"] = "band"
    width: Width = 400.0

    def covered(self, at: At, ground: Ground) -> Plane:
        return ground.shape(shape.BAND, at(self.width) / 2)

    def extents(self, at: At) -> list[float]:
        return [at(self.width)]
