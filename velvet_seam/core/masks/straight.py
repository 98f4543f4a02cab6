"""A straight edge through its point: what lies on the left of it is inside (above, turned by 90°)."""

from __future__ import annotations

from typing import ClassVar, Literal

from velvet_seam.core.masks.base import Ground, MaskBase
from velvet_seam.core.picture import shape
from velvet_seam.core.picture.coverage import Plane
from velvet_seam.core.timing.at import At


class StraightMask(MaskBase):
    """A straight edge through its point: what lies on the left of it is inside (above, turned by 90°)."""

    label: ClassVar[str] = "Straight"
    says: ClassVar[str] = "Drag along a straight edge; what lies on its left stays"
    hint: ClassVar[str] = "Drag along the edge; what lies on its left stays. Esc gives up."
    find: ClassVar[str] = "edge line split screen"
    by_line: ClassVar[bool] = True
    sided: ClassVar[bool] = True

    kind: Literal["straight"] = "straight"

    def covered(self, at: At, ground: Ground) -> Plane:
        return ground.shape(shape.STRAIGHT)
