"""Inverted colours."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from velvet_seam.core.looks.base import Planes, Stage, Tone
from velvet_seam.core.timing.at import At


class Negative(Tone):
    """Every channel turned round: a negative."""

    label: ClassVar[str] = "Negative"
    says: ClassVar[str] = "Every colour turned into its opposite"
    find: ClassVar[str] = "invert inverse opposite"

    kind: Literal["negative"] = "negative"

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        return (Stage(_turned, (), channelwise=True),)


def _turned(planes: Planes) -> None:
    np.subtract(np.float32(1), planes, out=planes)
