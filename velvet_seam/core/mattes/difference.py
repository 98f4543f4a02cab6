"""The difference key, and the clean plates that it goes by."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from velvet_seam.core.mattes.base import Asked, Beside, Cut, MatteBase
from velvet_seam.core.picture.difference_key import (
    SOFTNESS,
    TOLERANCE,
    Known,
    difference_key,
    known_before,
)
from velvet_seam.core.picture.flutter import Flutter, flutter, median_plate
from velvet_seam.core.problem import Problem
from velvet_seam.core.steps import Footage, Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Id, Part

MEDIAN_FRAMES, FLUTTER_FRAMES = 9, 24


class FramePlate(Part):
    """The clean plate is a frame of the layer's own clip."""

    kind: Literal["frame"] = "frame"
    frame: int = Field(0, ge=0, le=1_000_000, description="frame of the clip, counted from 0")


class FootagePlate(Part):
    """The clean plate is other footage: a still, or a frame of a clip."""

    kind: Literal["footage"] = "footage"
    footage: Id
    frame: int = Field(0, ge=0, le=1_000_000)


class MedianPlate(Part):
    """The clean plate is the median of the layer's own clip over time."""

    kind: Literal["median"] = "median"


Plate = Annotated[FramePlate | FootagePlate | MedianPlate, Field(discriminator="kind")]


class DifferenceKey(MatteBase):
    """Coverage from what differs from a clean plate."""

    label: ClassVar[str] = "Difference key"
    says: ClassVar[str] = "What differs from a clean plate"
    find: ClassVar[str] = "clean plate matte cut out"

    kind: Literal["difference-key"] = "difference-key"
    plate: Plate
    tolerance: Annotated[
        Animated,
        Bounds(0, 100, "ΔE", "Tolerance", "How far from the plate a pixel may be and still vanish wholly",
               step=0.5, shown=(0, 40)),
    ] = TOLERANCE  # fmt: skip
    softness: Annotated[
        Animated,
        Bounds(0, 100, "ΔE", "Softness", "Over how wide a range of difference coverage rises", step=0.5,
               shown=(0, 40)),
    ] = SOFTNESS  # fmt: skip
    ignore_shadows: Annotated[
        Animated,
        Bounds(0, 100, "%", "Let shadows go", "How much of a soft darkening of the plate is not kept"),
    ] = 50.0  # fmt: skip
    hold: Annotated[
        Animated,
        Bounds(0, 100, "%", "Hold inside",
               "How much what lies around a pixel counts: places that look like the plate become whole, deep "
               "shadows go. Less of it for veils and smoke"),
    ] = 100.0  # fmt: skip

    @classmethod
    def new(cls, identity: str, beside: Beside) -> DifferenceKey:
        if beside.footage is None:
            raise Problem("There is no footage here whose difference to a plate could be taken.")
        plate = MedianPlate() if beside.moving else FootagePlate(footage=beside.footage)
        return cls(id=identity, plate=plate)

    def cut(self, asked: Asked) -> Cut:
        plate = self._plate(asked)
        if plate is None:  # its footage is of a kind that has no picture
            return Cut(asked.picture)
        at = asked.at
        asks, plates = (at(self.tolerance),), [plate, *self._flutters(asked, plate)]
        known = step("before-plate", known_before, asks, asked.picture, *plates)
        settings = at(self.softness), at.part(self.ignore_shadows), at.part(self.hold)
        return Cut(step("difference-key", _keyed, settings, asked.picture, known))

    def _flutters(self, asked: Asked, plate: Step) -> list[Step]:
        """What comes and goes by itself, where the plate is of the clip itself: that is looked at in many frames of it."""
        found = asked.own_footage()
        if not isinstance(self.plate, MedianPlate) or found is None or not found.moving:
            return []
        numbers = _spread(found, FLUTTER_FRAMES)
        return (
            [step("flutter", _flutter, (found.small, numbers), plate)] if len(numbers) > 4 else []
        )

    def _plate(self, asked: Asked) -> Step | None:
        """The clean plate: it lasts, whatever it is read from."""
        plate = self.plate
        found = (
            asked.footage(plate.footage) if isinstance(plate, FootagePlate) else asked.own_footage()
        )
        if found is None:
            return None
        if isinstance(plate, FramePlate | FootagePlate):
            return step("plate", _median, (found, (found.frame_at(Fraction(0)) + plate.frame,)))
        return step("plate", _median, (found, _spread(found, MEDIAN_FRAMES)))


def _spread(footage: Footage, most: int) -> tuple[int, ...]:
    """So many frames, at most, spread over all of a clip."""
    last = footage.frame_at(Fraction(1_000_000))
    count = min(most, last + 1)
    return tuple(sorted({round(n * last / max(1, count - 1)) for n in range(count)}))


def _keyed(
    softness: float, ignore_shadows: float, hold: float, picture: Picture, known: Known
) -> Picture:
    return difference_key(
        picture, known, softness=softness, ignore_shadows=ignore_shadows, hold=hold
    )


def _flutter(footage: Footage, numbers: tuple[int, ...], plate: Picture) -> Flutter:
    return flutter([footage.read(number) for number in numbers], plate)


def _median(footage: Footage, numbers: tuple[int, ...]) -> Picture:
    """Of several frames of some footage; of one it is that frame."""
    frames = [footage.read(number) for number in numbers]
    return median_plate(frames) if len(frames) > 1 else frames[0]
