"""What the parts of a look have in common, and what each kind of them says of itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from velvet_seam.core.looks.through import Through
from velvet_seam.core.masks import Mask
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated, Keyframes
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds, bounds_of
from velvet_seam.core.words import Id, Part

Planes = NDArray[np.float32]
"""Display values of colours, (3, n) float32: red, green, blue. 0 to 1, but what a stage before has brightened
beyond white, or darkened beyond black, goes on into the next."""

Group = Literal["light and colour", "blur and sharpness", "surface", "shape"]
GROUPS: tuple[Group, ...] = ("light and colour", "blur and sharpness", "surface", "shape")


@dataclass(frozen=True)
class Stage:
    """What a part does to colours at a frame: ``function``, called with planes that it changes in place, and with
    ``numbers``."""

    function: Callable[..., None]
    numbers: tuple[Any, ...]
    """Numbers, or a table that was brought in."""
    channelwise: bool = False
    """Each channel follows from itself alone: three curves say all of it."""
    stepped: bool = False
    """It has jumps, between which nothing may be interpolated."""


@dataclass(frozen=True)
class Ground:
    """A picture that a part works on.

    Attributes:
        size: width and height of the whole of it in its own pixels, without what reaches beyond.
        per: its pixels to a pixel of the canvas, as the layer is seen there.
        left, top: where the array's first pixel lies, counted from the whole's top left corner.
        frame: of the layer, from its first and what was cut off before it; which moves what is seeded.
        seconds: the same in time.
        age: how many frames were cut off.
    """

    size: tuple[int, int]
    per: float
    left: int = 0
    top: int = 0
    frame: int = 0
    seconds: float = 0.0
    age: int = 0


@dataclass(frozen=True)
class Work:
    """What a part does to a picture at a frame: ``function``, called with a premultiplied picture and with
    ``args``; it gives a picture of the same size. ``reach``: pixels beyond the edge that it fills."""

    function: Callable[..., Picture]
    args: tuple[Any, ...]
    reach: int = 0


class LookBase(Part):
    """One part of a look."""

    label: ClassVar[str]
    says: ClassVar[str]
    """What it does, on its button."""
    find: ClassVar[str] = ""
    group: ClassVar[Group] = "light and colour"

    kind: str
    id: Id
    on: bool = True
    strength: Annotated[
        Animated, Bounds(0, 100, "%", "Strength", "How much of this part is mixed in")
    ] = 100.0
    masks: tuple[Mask, ...] = Field((), max_length=16, description="it acts only inside")
    through: Through | None = Field(
        None, description="it acts only as much as a layer covers or shines"
    )

    def own(self) -> tuple[str, ...]:
        """The names of the values that only its kind has."""
        return _own(type(self))

    def moves(self) -> bool:
        """Whether anything of it changes from frame to frame."""
        return any(isinstance(getattr(self, name), Keyframes) for name in (*self.own(), "strength"))


class Tone(LookBase):
    """A part that changes colours, each by itself, wherever they lie."""

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        """What it does at a frame, one after the other; nothing where it leaves colours as they are."""
        raise NotImplementedError


class Area(LookBase):
    """A part that moves or mixes pixels, or depends on where they lie."""

    group: ClassVar[Group] = "blur and sharpness"

    def work(self, at: At, ground: Ground) -> Work | None:
        """What it does at a frame; None where that is nothing."""
        raise NotImplementedError

    def reach(self, at: At) -> float:
        """How far around a pixel it looks, canvas pixels."""
        return 0.0


@cache
def _own(kind: type[LookBase]) -> tuple[str, ...]:
    names = kind.model_fields
    return tuple(n for n in names if n not in LookBase.model_fields and bounds_of(kind, n))
