"""Out of focus."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from velvet_seam.core.looks.base import Area, Ground, Work
from velvet_seam.core.picture.disc import defocused
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class Defocus(Area):
    """A disc in the place of every point, in which bright points stay bright."""

    label: ClassVar[str] = "Out of focus"
    says: ClassVar[str] = "As by a lens: bright points become discs"
    find: ClassVar[str] = "defocus bokeh lens depth blur background tilt shift"

    kind: Literal["defocus"] = "defocus"
    radius: Annotated[
        Animated,
        Bounds(0, 500, "px", "Radius", "Of the disc, in pixels of the canvas", step=0.5, shown=(0, 80), of="canvas"),
    ] = 14.0  # fmt: skip

    def work(self, at: At, ground: Ground) -> Work | None:
        radius = at(self.radius) * ground.per
        return Work(_out_of_focus, (radius,)) if radius >= 0.5 else None

    def reach(self, at: At) -> float:
        return at(self.radius) + 2


def _out_of_focus(radius: float, picture: Picture) -> Picture:
    return defocused(picture, radius)
