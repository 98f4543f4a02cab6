"""The luma key."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from velvet_seam.core.mattes.base import Asked, Colour, Cut, MatteBase
from velvet_seam.core.picture.colour import LUMA_709
from velvet_seam.core.picture.coverage import Plane
from velvet_seam.core.picture.luma_key import luma_key
from velvet_seam.core.steps import Picture, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds

_REACH = 14.0
"""Per cent of luma on each side of a sample that is taken in."""


class LumaKey(MatteBase):
    """Coverage from brightness: what lies between two levels is kept."""

    label: ClassVar[str] = "Luma key"
    says: ClassVar[str] = "By brightness: light on black, ink on white, silhouettes"
    find: ClassVar[str] = "brightness black white matte cut out"
    begins: ClassVar[Literal["at once", "border", "area"]] = "border"
    sampled: ClassVar[bool] = True

    kind: Literal["luma-key"] = "luma-key"
    low: Annotated[
        Animated, Bounds(0, 100, "%", "From", "Darker than this is dropped; 0 % sets no limit")
    ] = 25.0
    high: Annotated[
        Animated, Bounds(0, 100, "%", "To", "Brighter than this is dropped; 100 % sets no limit")
    ] = 100.0
    softness: Annotated[
        Animated,
        Bounds(0, 100, "%", "Softness", "Over how wide a range of brightness coverage rises"),
    ] = 20.0

    def cut(self, asked: Asked) -> Cut:
        at = asked.at
        levels = at.part(self.low), at.part(self.high), at.part(self.softness)
        return Cut(step("luma-key", _keyed, levels, asked.picture), "plane")

    @classmethod
    def of_sample(cls, identity: str, colour: Colour, border: bool) -> LumaKey:
        low, high = but_for(colour) if border else luma_range(colour)
        return cls(id=identity, low=low, high=high)

    def with_sample(self, colour: Colour, border: bool, more: bool) -> dict[str, Any]:
        low, high = but_for(colour) if border else luma_range(colour)
        return {"low": low, "high": high}


def _keyed(low: float, high: float, softness: float, picture: Picture) -> Plane:
    return luma_key(picture, low=low, high=high, softness=softness)


def but_for(colour: Colour) -> tuple[float, float]:
    """Levels, in %, that drop the brightness of a ground, measured along the border, and keep what is darker than a bright
    one, or brighter than a dark one.

    >>> but_for((250, 250, 250)), but_for((5, 5, 5))
    ((0.0, 84.0), (16.0, 100.0))
    """
    luma = sum(w * c for w, c in zip(LUMA_709, colour, strict=True)) / 2.55
    return (
        (0.0, float(round(luma - _REACH))) if luma >= 50 else (float(round(luma + _REACH)), 100.0)
    )


def luma_range(colour: Colour) -> tuple[float, float]:
    """Levels, in %, that keep a sampled brightness; at the ends of the scale the side is open.

    >>> luma_range((250, 250, 250)), luma_range((5, 5, 5))
    ((84.0, 100.0), (0.0, 16.0))
    """
    luma = sum(w * c for w, c in zip(LUMA_709, colour, strict=True)) / 2.55
    low, high = luma - _REACH, luma + _REACH
    return (0.0 if luma < 30 else float(round(low)), 100.0 if luma > 70 else float(round(high)))
