"""A mirror in the picture."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.looks.base import Area, Ground, Group, Work
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class Mirror(Area):
    """One side of a line shows what lies on the other, mirrored; beyond the picture it goes on as it ends."""

    label: ClassVar[str] = "Mirror"
    says: ClassVar[str] = "One side repeats the other, turned round"
    find: ClassVar[str] = "reflect symmetry kaleidoscope flip"
    group: ClassVar[Group] = "shape"

    kind: Literal["mirror"] = "mirror"
    side: Literal["left", "right", "top", "bottom"] = "left"
    """The side that is kept."""
    at: Annotated[
        Animated,
        Bounds(0, 100, "%", "Mirror at", "Where the line lies, from the left or from the top"),
    ] = 50.0

    def work(self, at: At, ground: Ground) -> Work | None:
        across = self.side in ("left", "right")
        whole, first = (ground.size[0], ground.left) if across else (ground.size[1], ground.top)
        line = at.part(self.at) * whole - first
        return Work(_mirrored, (1 if across else 0, line, self.side in ("left", "top")))

    def reach(self, at: At) -> float:
        return 1e5  # what is shown may lie at the other end


def _mirrored(axis: int, line: float, keeps_first: bool, picture: Picture) -> Picture:
    length = picture.shape[axis]
    places = np.arange(length)
    other = np.rint(2 * line - 1 - places).astype(np.int64)
    shows = np.where((places + 0.5 < line) == keeps_first, places, other).clip(0, length - 1)
    return np.ascontiguousarray(np.take(picture, shows, axis=axis))
