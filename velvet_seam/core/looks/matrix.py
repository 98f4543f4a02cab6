"""Channels mixed into each other."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.kernels import kernel
from velvet_seam.core.looks.base import Planes, Stage, Tone
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


def _part(to: str, of: str) -> Bounds:
    return Bounds(-10, 10, "", f"{to} from {of.lower()}", f"How much of {of.lower()} goes into {to.lower()}",
                  step=0.01, shown=(-1, 2), find="channel mixer matrix")  # fmt: skip


def _offset(to: str) -> Bounds:
    return Bounds(
        -1, 1, "", f"{to} offset", f"Is added to {to.lower()}", step=0.005, shown=(-0.3, 0.3)
    )


class Matrix(Tone):
    """Each channel a sum of all three and an offset, on display values: other cameras, filters over the lens."""

    label: ClassVar[str] = "Channel mix"
    says: ClassVar[str] = "Each channel made of all three: as another camera sees it"
    find: ClassVar[str] = "matrix mixer swap channels camera match"

    kind: Literal["matrix"] = "matrix"
    red_red: Annotated[Animated, _part("Red", "Red")] = 1.0
    red_green: Annotated[Animated, _part("Red", "Green")] = 0.0
    red_blue: Annotated[Animated, _part("Red", "Blue")] = 0.0
    green_red: Annotated[Animated, _part("Green", "Red")] = 0.0
    green_green: Annotated[Animated, _part("Green", "Green")] = 1.0
    green_blue: Annotated[Animated, _part("Green", "Blue")] = 0.0
    blue_red: Annotated[Animated, _part("Blue", "Red")] = 0.0
    blue_green: Annotated[Animated, _part("Blue", "Green")] = 0.0
    blue_blue: Annotated[Animated, _part("Blue", "Blue")] = 1.0
    offset_red: Annotated[Animated, _offset("Red")] = 0.0
    offset_green: Annotated[Animated, _offset("Green")] = 0.0
    offset_blue: Annotated[Animated, _offset("Blue")] = 0.0

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        numbers = tuple(at(getattr(self, name)) for name in self.own())
        if numbers == (1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0):
            return ()
        mixes = any(numbers[n] for n in (1, 2, 3, 5, 6, 7))
        return (Stage(_mixed, numbers, channelwise=not mixes),)


@kernel()
def _mix_kernel(planes, m):
    red, green, blue = planes[0], planes[1], planes[2]
    for k in range(red.size):
        r, g, b = red[k], green[k], blue[k]
        red[k] = m[0] * r + m[1] * g + m[2] * b + m[9]
        green[k] = m[3] * r + m[4] * g + m[5] * b + m[10]
        blue[k] = m[6] * r + m[7] * g + m[8] * b + m[11]


def _mixed(planes: Planes, *numbers: float) -> None:
    _mix_kernel(planes, np.array(numbers, np.float32))
