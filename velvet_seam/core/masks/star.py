"""A star, a point upwards before it is turned."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.masks.base import Ground, MaskBase
from velvet_seam.core.picture import outline
from velvet_seam.core.picture.coverage import Plane
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class StarMask(MaskBase):
    """A star, a point upwards before it is turned."""

    label: ClassVar[str] = "Star"
    says: ClassVar[str] = "Drag a star from its middle"
    hint: ClassVar[str] = "Drag from the middle to a point of the star. Esc gives up."
    by_line: ClassVar[bool] = True

    kind: Literal["star"] = "star"
    points: Annotated[
        Animated, Bounds(3, 64, "", "Points", "How many points the star has", shown=(3, 16))
    ] = 5.0
    radius: Annotated[
        Animated,
        Bounds(0, 16384, "px", "Radius", "From the middle to a point", shown=(1, 1500), of="source"),
    ] = 300.0  # fmt: skip
    inner: Annotated[
        Animated, Bounds(0, 100, "%", "Inner", "How far out the inner corners lie")
    ] = 45.0

    def covered(self, at: At, ground: Ground) -> Plane:
        line = outline.star(at.whole(self.points), at(self.radius), at.part(self.inner))
        return ground.outline(line)

    def polygon(self, at: At) -> NDArray[np.float64]:
        return outline.star(at.whole(self.points), at(self.radius), at.part(self.inner))[:, :2]

    def extents(self, at: At) -> list[float]:
        radius = at(self.radius)
        return [2 * radius, 2 * radius * at(self.inner) / 100]
