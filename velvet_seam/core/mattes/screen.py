"""The screen key."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, floor
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field

from velvet_seam.core.mattes import base
from velvet_seam.core.mattes.base import Asked, Cut, How, MatteBase, Side, Written
from velvet_seam.core.picture.coverage import Plane, fitted
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.picture.screen_key import Loose, Screen, loose_key, read_screen, screen_key
from velvet_seam.core.picture.study import size_of
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.steps import Picture, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb, rgb_to_colour

MOST_AREAS = 8


class ScreenKey(MatteBase):
    """Coverage from the colour difference to an evenly or unevenly lit screen."""

    label: ClassVar[str] = "Screen key"
    says: ClassVar[str] = (
        "Green, blue or any coloured screen: its colour is measured along the border"
    )
    find: ClassVar[str] = "green screen blue chroma colour matte cut out"
    begins: ClassVar[Literal["at once", "border", "area"]] = "border"
    sampled: ClassVar[bool] = True

    kind: Literal["screen-key"] = "screen-key"
    colour: Colour = Field(description="the screen, display-referred")
    colour_from: Literal["border", "area", "picked"] = Field(
        "border", description="how the colour was found: shown to the user, no effect on the key"
    )
    samples: tuple[Colour, ...] = Field(
        (), max_length=MOST_AREAS, description="colours of the areas that the colour is the mean of"
    )
    tolerance: Annotated[
        Animated,
        Bounds(0, 100, "%", "Tolerance",
               "How far from the screen's colour a pixel may be and still vanish wholly", step=0.5,
               shown=(0, 50)),
    ] = 3.0  # fmt: skip
    softness: Annotated[
        Animated,
        Bounds(0, 100, "%", "Softness", "Over how wide a range of colour the layer goes from clear to solid",
               step=0.5),
    ] = 90.0  # fmt: skip
    clip_black: Annotated[
        Animated,
        Bounds(0, 100, "%", "Clip black",
               "Coverage up to here becomes nothing: takes grey veils off the screen", shown=(0, 60)),
    ] = 0.0  # fmt: skip
    clip_white: Annotated[
        Animated,
        Bounds(0, 100, "%", "Clip white",
               "Coverage from here on becomes whole: closes thin places of the subject", shown=(40, 100)),
    ] = 100.0  # fmt: skip
    hold: Annotated[
        Animated,
        Bounds(0, 100, "%", "Hold inside",
               "How much what lies around a pixel counts: faint places inside a subject become whole. Less of it "
               "for veils and glass"),
    ] = 100.0  # fmt: skip
    keep_shadows: Annotated[
        Animated,
        Bounds(0, 100, "%", "Keep shadows", "How much of a shadow on the screen is kept, as black"),
    ] = 0.0
    despill: Annotated[
        Animated,
        Bounds(0, 100, "%", "Despill", "How much of the screen's light is taken off the subject"),
    ] = 100.0
    spill_to: Literal["dark", "grey", "below"] = Field(
        "grey", description="what takes the place of the screen's light on the subject"
    )

    def cut(self, asked: Asked) -> Cut:
        at = asked.at
        settings = _Settings(
            colour_to_rgb(self.colour), at.part(self.tolerance), at.part(self.softness),
            (at.part(self.clip_black), at.part(self.clip_white)), at.part(self.hold), at.part(self.keep_shadows),
            at.part(self.despill), self.spill_to, asked.rows_left(),
        )  # fmt: skip
        # a screen is read in the codec's planes in either case, so that either gives the same bits
        read = step("read-screen", _read, settings.colour, asked.in_planes)
        source = asked.in_planes if asked.video else asked.picture
        made = step("screen-key", _keyed, ("whole", "inside", settings), source, read)
        return Cut(made, written=Written(_keyed, (settings,)))

    @classmethod
    def of_sample(cls, identity: str, colour: base.Colour, border: bool) -> ScreenKey:
        origin: Literal["border", "area"] = "border" if border else "area"
        return cls(id=identity, colour=rgb_to_colour(*colour), colour_from=origin)

    def with_sample(self, colour: base.Colour, border: bool, more: bool) -> dict[str, Any]:
        measured, samples = rgb_to_colour(*colour), tuple[str, ...]()
        if more:
            samples = (*(self.samples or (self.colour,)), measured)
            if len(samples) > MOST_AREAS:
                raise Problem(
                    f"A screen colour is the mean of {MOST_AREAS} areas at most. Nothing was changed."
                )
            measured = mean_colour(samples)
        return {
            "colour": measured, "colour_from": "border" if border else "area", "samples": samples
        }  # fmt: skip

    def without_sample(self, sample: int) -> dict[str, Any]:
        left = tuple(one for n, one in enumerate(self.samples) if n != sample)
        if not left or len(left) == len(self.samples):
            raise Gone("Nothing was changed: that area is no longer there.")
        return {"samples": left if len(left) > 1 else (), "colour": mean_colour(left)}


@dataclass(frozen=True)
class _Settings:
    """Values of a screen key at a frame; ``left`` are the rows that are needed, as parts of the height."""

    colour: tuple[int, int, int]
    tolerance: float
    softness: float
    clip: tuple[float, float]
    hold: float
    keep_shadows: float
    despill: float
    spill_to: str
    left: tuple[float, float]


def _read(red: int, green: int, blue: int, picture: Picture | Planes) -> Screen:
    return read_screen(picture, (red, green, blue))


def _keyed(
    how: How, side: Side, settings: _Settings, source: Picture | Planes, screen: Screen,
    mask: Plane | None = None,
) -> Picture | Loose:  # fmt: skip
    """A picture keyed, and what a mask leaves of it."""
    height, width = size_of(source)
    rows = (floor(settings.left[0] * height), ceil(settings.left[1] * height))
    if mask is not None:
        mask = fitted(mask if side == "inside" else np.asarray(255 - mask), height, width)
    write = screen_key if how == "whole" else loose_key
    return write(
        source, screen, settings.colour, tolerance=settings.tolerance, softness=settings.softness,
        clip=settings.clip, hold=settings.hold, keep_shadows=settings.keep_shadows, despill=settings.despill,
        spill_to=settings.spill_to, rows=rows, mask=mask,
    )  # fmt: skip


def mean_colour(colours: tuple[str, ...]) -> str:
    """The mean of some colours, channel by channel.

    >>> mean_colour(("#102030", "#304050"))
    '#203040'
    """
    channels = zip(*(colour_to_rgb(one) for one in colours), strict=True)
    red, green, blue = (sum(one) / len(colours) for one in channels)
    return rgb_to_colour(red, green, blue)
