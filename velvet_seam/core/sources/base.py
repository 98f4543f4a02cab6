"""What all sources have, and what a kind of source says of itself and asks for."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar, Protocol

from velvet_seam.core.steps import Footage, Step
from velvet_seam.core.timing.at import At
from velvet_seam.core.words import Part


class Sized(Protocol):
    """Footage, as far as its place is concerned: width and height in source pixels."""

    width: int
    height: int


class Asked(Protocol):
    """What a source may ask for, about one layer at one frame; see :class:`velvet_seam.core.engine.showing.Showing`."""

    @property
    def canvas(self) -> tuple[int, int]:
        """Width and height of the canvas."""

    @property
    def sheet(self) -> tuple[int, int]:
        """Width and height that all of the canvas has on the sheet."""

    @property
    def at(self) -> At: ...

    @property
    def per(self) -> float:
        """Pixels of the sheet to one of the canvas."""

    @property
    def seconds(self) -> float:
        """Of the layer's own time, with its speed: what was cut off at its beginning has passed."""

    @property
    def age(self) -> int:
        """Frames that were cut off before the layer's first."""

    @property
    def seen_size(self) -> tuple[int, int]:
        """Width and height in pixels of the sheet at which the layer is seen, at its largest."""

    def footage(self, identity: str) -> Footage: ...

    def frame_of(self, footage: Footage, planes: bool) -> Step:
        """The frame of a clip that the layer's own time shows; with ``planes`` as its codec holds it where it
        can be had so."""


class SourceBase(Part):
    """What a layer shows. Sizes are in pixels of the source, unless it says otherwise."""

    label: ClassVar[str]
    adjusts: ClassVar[bool] = False
    """It has no picture of its own, but changes what lies below."""
    moves: ClassVar[bool] = False
    """It has no picture of its own, but moves what lies below."""
    generated: ClassVar[bool] = False
    """It is computed rather than filmed."""

    kind: str

    @property
    def masks_cut(self) -> bool:
        """Whether a new mask of its layer takes out what lies inside, rather than what lies outside."""
        return False

    @property
    def shows(self) -> str | None:
        """The footage that it shows, by its id in the shot; None where it shows none."""
        return None

    def extent(self, canvas: tuple[int, int], footage: Callable[[str], Sized]) -> tuple[int, int]:
        """Width and height, as a layer at 100 % lies on the canvas."""
        return canvas

    def picture_size(self, asked: Asked) -> tuple[int, int]:
        """Width and height of the picture that is made of it: that of a proxy is smaller."""
        return asked.sheet

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        """The step that gives its picture: RGBA, or with ``planes`` maybe the codec's planes."""
        raise NotImplementedError
