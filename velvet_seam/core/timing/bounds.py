"""What a number of the document is, said once: its range, unit, name and hint, and what it is a length of.

The document refuses what lies outside, controls show the same range and words, another rate or other footage
scales what is to be scaled: all of them ask here.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import isfinite
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, GetCoreSchemaHandler, GetJsonSchemaHandler
from pydantic_core import CoreSchema, core_schema

from velvet_seam.core.timing.animated import Animated, Keyframes

UNIT_WORDS = {"f": "frames", "st": "semitones", "/s": "a second"}
"""Units that are written out in a sentence."""


@dataclass(frozen=True)
class Bounds:
    """For use in ``Annotated``, of a number that may be keyed.

    Not-a-number and infinities are refused, in constants and in keyframes alike.

    Attributes:
        low, high: both allowed.
        unit: as shown beside the number.
        label: what it is called on the page.
        hint: what it does to the picture, or to the sound.
        shown: the part of its range that a control covers; the canvas ``across`` or ``down`` with half of it
            on each side, about its middle for ``"middle"`` ones; all of its range where nothing is said.
        step: the least change that one thinks of.
        find: other words that people have for it.
        of: a length in pixels of the ``source`` or of the ``canvas``, or of ``time`` in frames of the shot.
    """

    low: float
    high: float
    unit: str = ""
    label: str = ""
    hint: str = ""
    shown: (
        tuple[float, float] | Literal["across", "down", "middle-across", "middle-down"] | None
    ) = None
    step: float = 1.0
    of: Literal["", "source", "canvas", "time"] = ""
    find: str = ""

    def reach(self, width: int, height: int) -> tuple[float, float]:
        """The part of the range that a control shows, on a canvas of this size.

        >>> Bounds(0, 100).reach(1080, 1920), Bounds(-9999, 9999, shown="across").reach(1080, 1920)
        ((0, 100), (-540.0, 1620.0))
        """
        match self.shown:
            case None:
                return self.low, self.high
            case "across":
                return -width / 2, width * 1.5
            case "down":
                return -height / 2, height * 1.5
            case "middle-across":
                return -width / 2, width / 2
            case "middle-down":
                return -height / 2, height / 2
            case _:
                return self.shown

    def check(self, value: Animated) -> Animated:
        numbers = [key.value for key in value.keys] if isinstance(value, Keyframes) else [value]
        for number in numbers:
            if not isfinite(number) or not self.low <= number <= self.high:
                unit = UNIT_WORDS.get(self.unit, self.unit)
                raise ValueError(f"it lies between {self.low:g} and {self.high:g} {unit}".rstrip())
        return value

    def __get_pydantic_core_schema__(
        self, source: Any, handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        return core_schema.no_info_after_validator_function(self.check, handler(source))

    def __get_pydantic_json_schema__(
        self, schema: CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        told = handler(schema)
        words = f"{self.hint} ({self.low:g} to {self.high:g} {self.unit})".replace(
            " )", ")"
        ).strip()
        return {**told, "description": words}


@dataclass(frozen=True)
class Lasting:
    """Says of a plain number of the document that it is a length of time, in frames of the shot."""


Frames = Annotated[int, Field(ge=0, le=1_000_000), Lasting()]
"""A number of frames that no hand sets."""


def lasts(part: type[BaseModel], field: str) -> bool:
    """Whether a field of a part of the document is a length of time, in frames of the shot."""
    bounds = bounds_of(part, field)
    if bounds is not None:
        return bounds.of == "time"
    return any(isinstance(one, Lasting) for one in part.model_fields[field].metadata)


def bounds_of(part: type[BaseModel], field: str) -> Bounds | None:
    """The bounds of a field of a part of the document; None where it is no such number."""
    held = part.model_fields.get(field)
    found = (one for one in (held.metadata if held else ()) if isinstance(one, Bounds))
    return next(found, None)
