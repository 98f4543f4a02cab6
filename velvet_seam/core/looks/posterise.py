"""Few levels."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.looks.base import Planes, Stage, Tone
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class Posterise(Tone):
    """Every channel in few even steps."""

    label: ClassVar[str] = "Posterise"
    says: ClassVar[str] = "A few flat levels, like cut paper"
    find: ClassVar[str] = "levels steps flat poster cut paper"

    kind: Literal["posterise"] = "posterise"
    levels: Annotated[
        Animated,
        Bounds(2, 64, "", "Levels", "How many there are of each channel", shown=(2, 24)),
    ] = 6.0

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        return (Stage(_stepped, (float(at.whole(self.levels)),), channelwise=True, stepped=True),)


def _stepped(planes: Planes, levels: float) -> None:
    inside = planes.clip(0, 1)
    planes[:] = np.minimum(np.floor(inside * np.float32(levels)), levels - 1) / (levels - 1)
