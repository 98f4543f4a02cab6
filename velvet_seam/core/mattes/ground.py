"""The ground key."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from velvet_seam.core.mattes.base import Asked, Cut, MatteBase
from velvet_seam.core.roto.ground_key import ground_key
from velvet_seam.core.steps import Picture, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds


class GroundKey(MatteBase):
    """Coverage of what stands before a plain white, grey or black ground, and of its shadows on it."""

    label: ClassVar[str] = "Ground key"
    says: ClassVar[str] = (
        "Before white, grey or black: paper, a plain wall, night. Shadows on it stay shadows"
    )
    find: ClassVar[str] = "white black grey background paper wall shadow matte cut out"

    kind: Literal["ground-key"] = "ground-key"
    differs: Annotated[
        Animated,
        Bounds(20, 400, "%", "Differs by", "How much something must differ from the ground to be kept; less takes in "
               "more", step=1, shown=(20, 250), find="tolerance threshold"),
    ] = 100.0  # fmt: skip
    keep_shadows: Annotated[
        Animated,
        Bounds(0, 100, "%", "Keep shadows", "How much of a shadow on the ground is kept, as black"),
    ] = 100.0

    def cut(self, asked: Asked) -> Cut:
        values = asked.at.part(self.differs), asked.at.part(self.keep_shadows)
        return Cut(step("ground-key", _keyed, values, asked.picture))


def _keyed(differs: float, keep_shadows: float, picture: Picture) -> Picture:
    return ground_key(picture, differs=differs, keep_shadows=keep_shadows)
