"""Other footage in the place of what a layer or a sound shows."""

from __future__ import annotations

from typing import Any, Literal, TypeVar

from pydantic import Field

from velvet_seam.core.masks import DrawnMask, MaskBase
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.layer import Layer, SoundTrack
from velvet_seam.core.shot.pins import Pins
from velvet_seam.core.shot.points import resized
from velvet_seam.core.shot.revise import replaced, revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sources import FootageSource, NestedSource
from velvet_seam.core.timing.animated import Animated, Keyframes
from velvet_seam.core.timing.bounds import bounds_of
from velvet_seam.core.words import Id

Sized = TypeVar("Sized", MaskBase, Pins)


class ReplaceFootage(EditBase):
    """Another clip, still or sound in the place of the one a layer or a sound shows now.

    ``ratio`` is the width of the old footage over that of the new one: what lies on the canvas
    keeps its size, and masks keep their place on it.
    """

    do: Literal["replace-footage"] = "replace-footage"
    target: Id
    footage: Id
    nested: bool = Field(False, description="it is a shot")
    ratio: float = Field(1.0, gt=0, le=10_000)

    def applied(self, shot: Shot) -> Shot:
        return replaced(shot, self.target, self._showing)

    def words(self, shot: Shot) -> str:
        return f"another source for {called(shot, self.target)}"

    def _showing(self, thing: Layer | SoundTrack) -> Layer | SoundTrack:
        if isinstance(thing, SoundTrack):
            return revised(thing, footage=self.footage)
        if thing.source.shows is None:
            raise Problem(f"{thing.name} shows no footage that could be replaced.")
        masks = [
            _resized(mask, 1 / self.ratio) if mask.fixed == "layer" else mask
            for mask in thing.seam.masks
        ]
        return revised(
            thing,
            tracks=(),  # they were measured in what it showed
            source=(NestedSource if self.nested else FootageSource)(footage=self.footage),
            place=revised(
                thing.place,
                scale=_scaled(thing.place.scale, self.ratio),
                pins=_resized(thing.place.pins, 1 / self.ratio),
            ),
            seam=revised(
                thing.seam,
                masks=masks,
                matte=[one.resized(1 / self.ratio) for one in thing.seam.matte],
            ),
        )


def _scaled(value: Animated, by: float) -> Animated:
    if not isinstance(value, Keyframes):
        return round(value * by, 4)
    return Keyframes(keys=tuple(revised(k, value=round(k.value * by, 4)) for k in value.keys))


def _resized(part: Sized, by: float) -> Sized:
    """A mask, or corner pins, on a picture of another size, at the same place of it: lengths in source pixels."""
    changes: dict[str, Any] = {
        name: _scaled(getattr(part, name), by)
        for name in type(part).model_fields
        if (bounds := bounds_of(type(part), name)) and bounds.of == "source"
    }
    if isinstance(part, DrawnMask):
        changes["outline"] = resized(part.outline, by)
    resized_part: Sized = revised(part, **changes)
    return resized_part
