"""Text."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from velvet_seam.core.picture.filled import filled
from velvet_seam.core.picture.lettering import LARGEST, Setting, lettered, shown
from velvet_seam.core.sources.base import Asked
from velvet_seam.core.sources.generated import GeneratedBase
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb

MOST = 2000
"""Signs that a text has at most."""


class TextSource(GeneratedBase):
    """Lines of text in the middle of the canvas, in one of five families; revealed letter by letter, word by word or
    line by line as ``revealed`` rises."""

    label: ClassVar[str] = "Text"
    says: ClassVar[str] = "A title, a caption, a line that writes itself"
    find: ClassVar[str] = "title caption words letters type subtitle lettering font handwriting"

    kind: Literal["text"] = "text"
    text: str = Field("Tonight!", max_length=MOST)
    family: Literal["sans", "serif", "hand", "condensed", "mono"] = "serif"
    align: Literal["left", "centre", "right"] = "centre"
    colour: Colour = "#fbf3e4"
    outline_colour: Colour = "#43102a"
    by: Literal["letters", "words", "lines"] = "letters"
    size: Annotated[
        Animated,
        Bounds(4, 4000, "px", "Size", "Of the letters", shown=(20, 500), find="font size text"),
    ] = 170.0
    weight: Annotated[
        Animated, Bounds(100, 900, "", "Weight", "How heavy the letters are, as far as the family goes", step=10, find="bold light")
    ] = 600.0  # fmt: skip
    tracking: Annotated[
        Animated, Bounds(-50, 500, "%", "Tracking", "Room between letters, in hundredths of the size", shown=(-10, 60), find="spacing kerning")
    ] = 0.0  # fmt: skip
    leading: Annotated[
        Animated,
        Bounds(
            20,
            500,
            "%",
            "Leading",
            "From line to line, of the size",
            shown=(60, 220),
            find="line height",
        ),
    ] = 120.0
    box: Annotated[
        Animated, Bounds(0, 100, "%", "Box", "At which part of the canvas' width lines break; 0 for only where the text says", find="wrap width")
    ] = 84.0  # fmt: skip
    outline: Annotated[
        Animated, Bounds(0, 200, "px", "Outline", "Of another colour around the letters", step=0.5, shown=(0, 30), find="stroke border text")
    ] = 0.0  # fmt: skip
    revealed: Annotated[
        Animated, Bounds(0, 100, "%", "Revealed", "How much of it is there: keyed from 0 to 100 it writes itself", find="reveal type on write")
    ] = 100.0  # fmt: skip
    soft: Annotated[
        Animated, Bounds(0, 50, "", "At once", "Over how many letters, words or lines it comes", step=0.5, shown=(0, 12), find="reveal soft")
    ] = 2.0  # fmt: skip

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        at, per = asked.at, asked.per
        size = min(at(self.size) * per, LARGEST)
        setting = Setting(
            self.family, round(size, 2), round(at(self.weight)), round(at.part(self.tracking) * size, 2),
            round(at.part(self.leading), 3), {"left": -1, "centre": 0, "right": 1}[self.align],
            round(at.part(self.box) * asked.sheet[0], 1),
        )  # fmt: skip
        colours = colour_to_rgb(self.colour), colour_to_rgb(self.outline_colour)
        reveal = (self.by, round(at.part(self.revealed), 4), at(self.soft))
        args = (self.text, setting, asked.sheet, colours, round(at(self.outline) * per, 2), reveal)
        return step("text", _set, args)


def _set(
    text: str, setting: Setting, size: tuple[int, int],
    colours: tuple[tuple[int, int, int], tuple[int, int, int]], outline: float,
    reveal: tuple[str, float, float],
) -> Picture:  # fmt: skip
    fill = lettered(text, setting, size)
    around = lettered(text, setting, size, outline) if outline > 0 else fill
    out = np.zeros((size[1], size[0], 4), np.uint8)
    left, top, width, height = cv2.boundingRect(around)
    if not width:
        return out
    box = slice(top, top + height), slice(left, left + width)
    inner, outer = fill[box], around[box]
    by, part, soft = reveal
    if part < 1:
        level = shown(text, setting, size, (by, part, soft), (left, top, width, height))
        inner = _part(inner, level)
        outer = _part(outer, level) if outline > 0 else inner
    made = filled(inner, colours[0])
    if outline > 0:
        made += filled(np.maximum(inner, outer) - inner, colours[1])
    out[box] = made
    return out


def _part(coverage: NDArray[np.uint8], level: NDArray[np.float32]) -> NDArray[np.uint8]:
    return np.asarray(cv2.multiply(coverage, level, dtype=cv2.CV_8U), np.uint8)
