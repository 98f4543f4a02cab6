"""Slope, offset, power and saturation of the ASC's colour decision list."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np

from velvet_seam.core.kernels import kernel
from velvet_seam.core.looks.base import Planes, Stage, Tone
from velvet_seam.core.picture.colour import LUMA_709
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


def _slope(colour: str) -> Bounds:
    return Bounds(0, 10, "", f"Slope, {colour}", "Multiplies the channel: the bright end", step=0.01,
                  shown=(0, 2), find="gain cdl")  # fmt: skip


def _offset(colour: str) -> Bounds:
    return Bounds(-1, 1, "", f"Offset, {colour}", "Is added to the channel: the dark end most",
                  step=0.005, shown=(-0.3, 0.3), find="lift cdl")  # fmt: skip


def _power(colour: str) -> Bounds:
    return Bounds(0.1, 10, "", f"Power, {colour}", "Bends the channel between its ends; below 1 brighter",
                  step=0.01, shown=(0.3, 2.5), find="gamma cdl")  # fmt: skip


class Decision(Tone):
    """(in · slope + offset) ^ power of every channel, then saturation about the luma of BT.709: ASC CDL v1.2, on
    display values, each result held between 0 and 1 as it says."""

    label: ClassVar[str] = "Slope, offset, power"
    says: ClassVar[str] = "The numbers of a colour decision list, read from a file or set here"
    find: ClassVar[str] = "cdl asc lift gamma gain slope offset power"

    kind: Literal["decision"] = "decision"
    slope_red: Annotated[Animated, _slope("red")] = 1.0
    slope_green: Annotated[Animated, _slope("green")] = 1.0
    slope_blue: Annotated[Animated, _slope("blue")] = 1.0
    offset_red: Annotated[Animated, _offset("red")] = 0.0
    offset_green: Annotated[Animated, _offset("green")] = 0.0
    offset_blue: Annotated[Animated, _offset("blue")] = 0.0
    power_red: Annotated[Animated, _power("red")] = 1.0
    power_green: Annotated[Animated, _power("green")] = 1.0
    power_blue: Annotated[Animated, _power("blue")] = 1.0
    saturation: Annotated[
        Animated,
        Bounds(0, 4, "", "Saturation", "About the luma of the pixel; 1 is as it is", step=0.01, shown=(0, 2)),
    ] = 1.0  # fmt: skip

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        numbers = tuple(at(getattr(self, name)) for name in self.own())
        if numbers == (1,) * 3 + (0,) * 3 + (1,) * 4:
            return ()
        return (Stage(_decided, numbers, channelwise=numbers[9] == 1),)


@kernel()
def _saturated_kernel(planes, saturation):
    red, green, blue = planes[0], planes[1], planes[2]
    wr, wg, wb = np.float32(LUMA_709[0]), np.float32(LUMA_709[1]), np.float32(LUMA_709[2])
    for k in range(red.size):
        luma = wr * red[k] + wg * green[k] + wb * blue[k]
        red[k] = luma + saturation * (red[k] - luma)
        green[k] = luma + saturation * (green[k] - luma)
        blue[k] = luma + saturation * (blue[k] - luma)


def _decided(planes: Planes, *numbers: float) -> None:
    for c, plane in enumerate(planes):
        slope, offset, power = numbers[c], numbers[3 + c], numbers[6 + c]
        np.clip(plane * np.float32(slope) + np.float32(offset), 0, 1, out=plane)
        if power != 1:
            np.power(plane, np.float32(power), out=plane)
    if numbers[9] != 1:
        _saturated_kernel(planes, np.float32(numbers[9]))
        np.clip(planes, 0, 1, out=planes)
