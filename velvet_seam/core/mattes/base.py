"""What all mattes have, and what a kind of matte says of itself and asks for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ClassVar, Literal, Protocol

from velvet_seam.core.problem import Problem
from velvet_seam.core.steps import Footage, Step
from velvet_seam.core.timing.at import At
from velvet_seam.core.words import Combine, Id, Part

Colour = tuple[float, float, float]
"""Red, green and blue, 0 to 255."""


How = Literal["whole", "loose"]
"""A picture is written whole, or only where something is left of it."""

Side = Literal["inside", "outside"]
"""What a mask leaves of a picture."""


@dataclass(frozen=True)
class Written:
    """A function that writes a cut-out in any way: called with :data:`How`, :data:`Side`, ``args``, what the
    inputs of the step give, and a mask where there is one."""

    function: Callable[..., Any]
    args: tuple[Any, ...]


@dataclass(frozen=True)
class Cut:
    """What a matte comes to: the ``step`` gives the layer's picture cut out, a plane of coverage over that
    picture, or one over the ``sheet``, on which the layer is laid before."""

    step: Step
    gives: Literal["picture", "plane", "sheet"] = "picture"
    written: Written | None = None
    """Of what can be written whole, with a mask laid on, or loose."""
    side: Side | None = None
    """A mask has been laid on already, this side of it left, and no other can be in the same go."""
    margin: int = 0
    """Pixels of the picture around what it was: a blur, say, reaches beyond the frame."""


class Asked(Protocol):
    """What a matte may ask for, about one layer at one frame; see :class:`velvet_seam.core.engine.cut.Cutter`."""

    @property
    def at(self) -> At: ...

    @property
    def picture(self) -> Step:
        """The layer's picture, before anything is cut out."""

    @property
    def in_planes(self) -> Step:
        """The same as its codec holds it, where it can be had so."""

    @property
    def source_frame(self) -> int:
        """The number of the frame of its footage that the layer shows."""

    def beside(self, apart: int) -> Step | None:
        """The layer's picture some frames later, or earlier, before anything is cut out; none where it is the same one,
        or the layer is not there."""

    @property
    def video(self) -> bool:
        """A frame of a render is made, to which no hand will come back."""

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the sheet."""

    def rows_left(self) -> tuple[float, float]:
        """What the masks leave of the layer's height: the rest need not be keyed."""

    def own_footage(self) -> Footage | None:
        """What the layer shows; None where it shows none."""

    def footage(self, identity: str) -> Footage: ...

    def other(self, layer: str, home: Any) -> tuple[bool, Step | None]:
        """Whether another layer may be asked, and that layer placed on the sheet; none where it is not there
        at this frame."""


@dataclass(frozen=True)
class Beside:
    """What there is for a new matte to go by: the layer's own footage, whether it moves, and the layer that lies
    below, or else the nearest above."""

    footage: str | None
    moving: bool
    layer: str | None


class MatteBase(Part):
    """What all mattes have."""

    label: ClassVar[str]
    says: ClassVar[str]
    """What it goes by, on its button."""
    find: ClassVar[str] = ""
    """Other words that people have for it."""
    needs: ClassVar[Literal["footage", "coverage", "layers"]] = "footage"
    """What there has to be for it: footage to look at, coverage in its file, other layers."""
    begins: ClassVar[Literal["at once", "border", "area"]] = "at once"
    """It is there at once, or when a colour was measured along the border or in an area."""
    sampled: ClassVar[bool] = False
    """It is made, and changed, by dragging over an area of the picture."""
    another: ClassVar[bool] = False
    """A second one is for another subject, which is added to the first; else it limits what the first leaves."""

    kind: str
    id: Id
    on: bool = True
    combine: Combine = "add"
    invert: bool = False

    def cut(self, asked: Asked) -> Cut | None:
        """What it leaves of a layer; None where it cannot be asked, and is passed over."""
        raise NotImplementedError

    @classmethod
    def new(cls, identity: str, beside: Beside) -> MatteBase:
        """A new one that needs no measuring.

        Raises:
            Problem: where there is nothing it could go by.
        """
        return cls.model_validate({"id": identity})

    @classmethod
    def of_sample(cls, identity: str, colour: Colour, border: bool) -> MatteBase:
        """A new one from the mean colour of an area, or of the border."""
        raise NotImplementedError

    def resized(self, by: float) -> MatteBase:
        """The same for footage so many times as large: lengths of the source grow with it."""
        return self

    def with_sample(self, colour: Colour, border: bool, more: bool) -> dict[str, Any]:
        """The values to set after an area was dragged over; ``more`` where it counts beside those before.

        Raises:
            Problem: where it has as many as it can hold.
        """
        raise NotImplementedError

    def without_sample(self, sample: int) -> dict[str, Any]:
        """The values to set after one of its samples was taken away.

        Raises:
            Problem: where there is no such sample, or it is the last that is needed.
        """
        raise Problem("That matte has no samples. Nothing was changed.")
