"""Edits: every change to a shot is one small typed value; :mod:`velvet_seam.core.shot.apply` does it.

>>> read_edit({"do": "remove-layer", "layer": "l-moth"})
RemoveLayer(do='remove-layer', layer='l-moth')
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.layer import Layer, SoundTrack
from velvet_seam.core.shot.mark import Mark
from velvet_seam.core.shot.mask import Mask, OutlineKeys
from velvet_seam.core.shot.matte import Matte
from velvet_seam.core.shot.shot import sentence
from velvet_seam.core.shot.words import Id, Name, Part
from velvet_seam.core.timing.animated import Keyframes
from velvet_seam.core.timing.ease import Ease
from velvet_seam.core.timing.rate import FrameRate


class AddLayer(Part):
    """Put a layer into the stack, on top unless an index (0 is the bottom) is given."""

    do: Literal["add-layer"] = "add-layer"
    layer: Layer
    index: int | None = Field(None, ge=0)


class RemoveLayer(Part):
    do: Literal["remove-layer"] = "remove-layer"
    layer: Id


class DuplicateLayer(Part):
    """A copy right above the layer."""

    do: Literal["duplicate-layer"] = "duplicate-layer"
    layer: Id
    new_id: Id


class ReorderLayer(Part):
    """Move a layer so that it has this index in the stack, 0 at the bottom."""

    do: Literal["reorder-layer"] = "reorder-layer"
    layer: Id
    index: int = Field(ge=0)


class SetValues(Part):
    """Set values of a layer, a sound, or (without a target) of the shot itself.

    ``values`` maps dotted paths to new values: ``place.x``, ``seam.matte.KEY_ID.tolerance``. A number
    or an outline that has keyframes gets one ``at`` a frame of the target with the new value; with
    ``along`` its whole movement is shifted by the difference; with neither it stands still from then on.
    """

    do: Literal["set-values"] = "set-values"
    target: Id | None = None
    values: dict[str, Any] = Field(min_length=1, max_length=200)
    at: int | None = Field(None, ge=-1_000_000, le=1_000_000)
    along: bool = False


Paths = Annotated[
    tuple[Annotated[str, Field(max_length=200)], ...], Field(min_length=1, max_length=200)
]
Frames = Annotated[
    dict[str, Annotated[tuple[int, ...], Field(min_length=1, max_length=10_000)]],
    Field(min_length=1, max_length=200),
]
"""Keyframes: for the path of each value the frames they lie on, counted from the target's first."""


class KeyHere(Part):
    """Put a keyframe on each of some values with what they are at a frame, or take it away."""

    do: Literal["key-here"] = "key-here"
    target: Id
    paths: Paths
    frame: int
    on: bool = True


class MoveKeys(Part):
    """Move keyframes in time, or copies of them: first stretched about a frame, then later ``by`` as
    many frames. ``rise`` is added to the values of those that are numbers."""

    do: Literal["move-keys"] = "move-keys"
    target: Id
    keys: Frames
    by: int = Field(0, ge=-1_000_000, le=1_000_000)
    about: int = Field(0, ge=-1_000_000, le=1_000_000)
    stretch: float = Field(1.0, ge=-100, le=100)
    rise: float = Field(0.0, ge=-1e6, le=1e6)
    copied: bool = False


class RemoveKeys(Part):
    do: Literal["remove-keys"] = "remove-keys"
    target: Id
    keys: Frames


class EaseKeys(Part):
    """How values leave some of their keyframes."""

    do: Literal["ease-keys"] = "ease-keys"
    target: Id
    keys: Frames
    ease: Ease


class PasteKeys(Part):
    """Keyframes put onto values of a target, ``keys`` counted from ``at``."""

    do: Literal["paste-keys"] = "paste-keys"
    target: Id
    at: int = Field(ge=-1_000_000, le=1_000_000)
    keys: dict[str, Keyframes | OutlineKeys] = Field(min_length=1, max_length=200)


class AddPoint(Part):
    """Put a point on a drawn outline, ``part`` of the way after a point. The line stays as it is, in
    all keyframes."""

    do: Literal["add-point"] = "add-point"
    layer: Id
    mask: Id
    after: int = Field(ge=0)
    part: float = Field(0.5, gt=0, lt=1)


class RemovePoint(Part):
    """Take a point out of a drawn outline, in all keyframes."""

    do: Literal["remove-point"] = "remove-point"
    layer: Id
    mask: Id
    point: int = Field(ge=0)


class ReplaceFootage(Part):
    """Another clip, still or sound in the place of the one a layer or a sound shows now.

    ``ratio`` is the width of the old footage over that of the new one: what lies on the canvas
    keeps its size, and masks keep their place on it.
    """

    do: Literal["replace-footage"] = "replace-footage"
    target: Id
    footage: Id
    ratio: float = Field(1.0, gt=0, le=10_000)


class AddMatte(Part):
    do: Literal["add-matte"] = "add-matte"
    layer: Id
    matte: Matte


class AddMask(Part):
    do: Literal["add-mask"] = "add-mask"
    layer: Id
    mask: Mask


class RemovePart(Part):
    """Take one matte or mask out of a layer's seam."""

    do: Literal["remove-part"] = "remove-part"
    layer: Id
    part: Id


class MoveInTime(Part):
    """Move a layer or a sound by whole frames."""

    do: Literal["move-in-time"] = "move-in-time"
    target: Id
    by: int


class Trim(Part):
    """Put the first or the last frame of a layer or a sound at a shot frame.

    Trimming the first frame keeps every remaining frame showing what it showed before.
    """

    do: Literal["trim"] = "trim"
    target: Id
    edge: Literal["first", "last"]
    to: int


class Split(Part):
    """Cut a layer or a sound in two in front of a shot frame; nothing that is seen changes.

    The later piece is new; a layer's lies right above the earlier one.
    """

    do: Literal["split"] = "split"
    target: Id
    at: int
    new_id: Id


class Slip(Part):
    """Show another stretch of the source in the same span: so many shot frames later in it."""

    do: Literal["slip"] = "slip"
    target: Id
    by: int = Field(ge=-200_000, le=200_000)


class Freeze(Part):
    """Hold a frame of a clip from a shot frame on; see :func:`time_edits.freeze`."""

    do: Literal["freeze"] = "freeze"
    layer: Id
    at: int
    frames: int = Field(ge=1, le=200_000)
    frozen_id: Id
    rest_id: Id
    apart: bool = Field(False, description="as a layer of its own above; nothing else changes")


class ChangeSpeed(Part):
    """Another even speed; the same stretch of the source is shown, in more or fewer frames."""

    do: Literal["change-speed"] = "change-speed"
    target: Id
    speed: float = Field(ge=-1000, le=1000)


class Reverse(Part):
    """Show the same stretch of the source backwards."""

    do: Literal["reverse"] = "reverse"
    target: Id


class AddSound(Part):
    do: Literal["add-sound"] = "add-sound"
    sound: SoundTrack


class RemoveSound(Part):
    do: Literal["remove-sound"] = "remove-sound"
    sound: Id


class ChangeRate(Part):
    """Another frame rate; everything stays where it is in time, to the nearest frame."""

    do: Literal["change-rate"] = "change-rate"
    rate: FrameRate


class AddMark(Part):
    do: Literal["add-mark"] = "add-mark"
    mark: Mark


class RemoveMarks(Part):
    do: Literal["remove-marks"] = "remove-marks"
    marks: tuple[Id, ...] = Field(min_length=1, max_length=2000)


class Several(Part):
    """Edits that are one step of undo."""

    do: Literal["several"] = "several"
    label: Name
    edits: tuple[Edit, ...] = Field(min_length=1, max_length=2000)


Edit = Annotated[
    AddLayer
    | RemoveLayer
    | DuplicateLayer
    | ReorderLayer
    | SetValues
    | KeyHere
    | MoveKeys
    | RemoveKeys
    | EaseKeys
    | PasteKeys
    | AddPoint
    | RemovePoint
    | ReplaceFootage
    | AddMatte
    | AddMask
    | RemovePart
    | MoveInTime
    | Trim
    | Split
    | Slip
    | Freeze
    | ChangeSpeed
    | Reverse
    | AddSound
    | RemoveSound
    | ChangeRate
    | AddMark
    | RemoveMarks
    | Several,
    Field(discriminator="do"),
]

Several.model_rebuild()
_EDIT: TypeAdapter[Edit] = TypeAdapter(Edit)


def read_edit(given: Any) -> Edit:
    """An edit from JSON-like data.

    Raises:
        Problem: with a sentence, when it is not an edit.
    """
    try:
        return _EDIT.validate_python(given)
    except ValidationError as error:
        raise Problem(f"Nothing was changed: {sentence(error)}.") from None
