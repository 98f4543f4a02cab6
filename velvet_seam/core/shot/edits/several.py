"""The list of edits, and several of them as one step of undo."""

from __future__ import annotations

from functools import reduce
from typing import TYPE_CHECKING, Annotated, ForwardRef, Literal, Union

from pydantic import Field

from velvet_seam.core.shot.edits.bake import Bake, Unbake
from velvet_seam.core.shot.edits.base import EditBase, apply
from velvet_seam.core.shot.edits.cutting import Split, Trim
from velvet_seam.core.shot.edits.footage import ReplaceFootage
from velvet_seam.core.shot.edits.gap import CloseGap
from velvet_seam.core.shot.edits.group import GroupLayers, TakeApart
from velvet_seam.core.shot.edits.keys import EaseKeys, KeyHere, MoveKeys, PasteKeys, RemoveKeys
from velvet_seam.core.shot.edits.looks import AddLookPart, MoveLookPart, WearLook
from velvet_seam.core.shot.edits.marks import AddMark, RemoveMarks
from velvet_seam.core.shot.edits.outline import AddPoint, RemovePoint
from velvet_seam.core.shot.edits.paint import AddStroke
from velvet_seam.core.shot.edits.ramp import RampSpeed
from velvet_seam.core.shot.edits.rate import ChangeRate
from velvet_seam.core.shot.edits.repeat import LoopOver, Repeat
from velvet_seam.core.shot.edits.roto import AddRotoStroke
from velvet_seam.core.shot.edits.seam import AddMask, AddMatte, DropSample, RemovePart
from velvet_seam.core.shot.edits.sounds import AddSound, DetachSound, RemoveSound
from velvet_seam.core.shot.edits.stack import AddLayer, DuplicateLayer, RemoveLayer, ReorderLayer
from velvet_seam.core.shot.edits.time import (
    ChangeSpeed,
    Freeze,
    MoveInTime,
    Reverse,
    Slip,
)
from velvet_seam.core.shot.edits.tracks import FollowTrack, RemoveTrack, SetTrack
from velvet_seam.core.shot.edits.values import SetValues
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Name

SINGLE: tuple[type[EditBase], ...] = (
    AddLayer, RemoveLayer, DuplicateLayer, ReorderLayer, SetValues,
    KeyHere, MoveKeys, RemoveKeys, EaseKeys, PasteKeys, AddPoint, RemovePoint,
    ReplaceFootage, AddMatte, AddMask, RemovePart, DropSample, AddLookPart, MoveLookPart, WearLook,
    MoveInTime, Trim, Split, Slip, Freeze, ChangeSpeed, RampSpeed, Reverse, CloseGap,
    AddStroke, AddRotoStroke, Repeat, LoopOver, AddSound, DetachSound, RemoveSound, ChangeRate, AddMark, RemoveMarks,
    GroupLayers, TakeApart, Bake, Unbake, SetTrack, RemoveTrack, FollowTrack,
)  # fmt: skip
"""All kinds of edits; a new one is named here."""

if TYPE_CHECKING:
    Edit = EditBase
else:
    Edit = Annotated[Union[(*SINGLE, ForwardRef("Several"))], Field(discriminator="do")]


class Several(EditBase):
    """Edits that are one step of undo."""

    do: Literal["several"] = "several"
    label: Name
    edits: tuple[Edit, ...] = Field(min_length=1, max_length=2000)

    def applied(self, shot: Shot) -> Shot:
        return reduce(apply, self.edits, shot)

    def words(self, shot: Shot) -> str:
        return self.label


Several.model_rebuild()

EDITS: tuple[type[EditBase], ...] = (*SINGLE, Several)
