"""The colour key."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from velvet_seam.core.mattes import base
from velvet_seam.core.mattes.base import Asked, Cut, MatteBase
from velvet_seam.core.picture.colour_key import colour_key
from velvet_seam.core.picture.coverage import Plane
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.steps import Picture, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb, rgb_to_colour

MOST_SAMPLES = 24


class ColourKey(MatteBase):
    """Coverage from the distance to sampled colours, in OKLab: what is near one of them is kept."""

    label: ClassVar[str] = "Colour key"
    says: ClassVar[str] = "By colours you drag over"
    find: ClassVar[str] = "sampled matte cut out"
    begins: ClassVar[Literal["at once", "border", "area"]] = "area"
    sampled: ClassVar[bool] = True

    kind: Literal["colour-key"] = "colour-key"
    colours: tuple[Colour, ...] = Field(min_length=1, max_length=MOST_SAMPLES)
    tolerance: Annotated[
        Animated,
        Bounds(0, 100, "ΔE", "Tolerance", "How far from a sample a colour may be and still be kept wholly",
               step=0.5, shown=(0, 40)),
    ] = 6.0  # fmt: skip
    softness: Annotated[
        Animated,
        Bounds(0, 100, "ΔE", "Softness", "Over how wide a range of colour coverage falls", step=0.5,
               shown=(0, 40)),
    ] = 8.0  # fmt: skip

    def cut(self, asked: Asked) -> Cut:
        colours = tuple(colour_to_rgb(colour) for colour in self.colours)
        args = (colours, asked.at(self.tolerance), asked.at(self.softness))
        return Cut(step("colour-key", _keyed, args, asked.picture), "plane")

    @classmethod
    def of_sample(cls, identity: str, colour: base.Colour, border: bool) -> ColourKey:
        return cls(id=identity, colours=(rgb_to_colour(*colour),))

    def with_sample(self, colour: base.Colour, border: bool, more: bool) -> dict[str, Any]:
        if len(self.colours) >= MOST_SAMPLES:
            raise Problem(
                f"A colour key holds {MOST_SAMPLES} samples at most. Nothing was changed."
            )
        return {"colours": (*self.colours, rgb_to_colour(*colour))}

    def without_sample(self, sample: int) -> dict[str, Any]:
        left = tuple(one for n, one in enumerate(self.colours) if n != sample)
        if len(left) == len(self.colours):
            raise Gone("Nothing was changed: that sample is no longer there.")
        if not left:
            raise Problem(
                "A colour key needs one sample at least. Add another first, or take the key away."
            )
        return {"colours": left}


def _keyed(
    colours: tuple[tuple[int, int, int], ...], tolerance: float, softness: float, picture: Picture
) -> Plane:
    return colour_key(picture, colours, tolerance=tolerance, softness=softness)
