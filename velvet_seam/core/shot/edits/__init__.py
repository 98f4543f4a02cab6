"""Edits: every change to a shot is one small typed value that says what it does, and what it did.

>>> read_edit({"do": "remove-layer", "layer": "l-moth"})
RemoveLayer(do='remove-layer', layer='l-moth')
>>> from velvet_seam.core.shot.shot import Canvas, Shot
>>> shot = Shot(name="Test", canvas=Canvas(width=64, height=64), rate="25", length=50)
>>> longer = SetValues(values={"length": 75})
>>> apply(shot, longer).length, longer.words(shot)
(75, 'length of Test')
"""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter, ValidationError

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits.bake import Bake, Unbake
from velvet_seam.core.shot.edits.base import EditBase, apply
from velvet_seam.core.shot.edits.cutting import Split, Trim
from velvet_seam.core.shot.edits.footage import ReplaceFootage
from velvet_seam.core.shot.edits.group import GroupLayers, TakeApart
from velvet_seam.core.shot.edits.keys import EaseKeys, KeyHere, MoveKeys, PasteKeys, RemoveKeys
from velvet_seam.core.shot.edits.looks import AddLookPart, MoveLookPart, WearLook
from velvet_seam.core.shot.edits.marks import AddMark, RemoveMarks
from velvet_seam.core.shot.edits.outline import AddPoint, RemovePoint
from velvet_seam.core.shot.edits.rate import ChangeRate
from velvet_seam.core.shot.edits.seam import AddMask, AddMatte, RemovePart
from velvet_seam.core.shot.edits.several import EDITS, Edit, Several
from velvet_seam.core.shot.edits.sounds import AddSound, RemoveSound
from velvet_seam.core.shot.edits.stack import AddLayer, DuplicateLayer, RemoveLayer, ReorderLayer
from velvet_seam.core.shot.edits.time import (
    ChangeSpeed,
    Freeze,
    MoveInTime,
    Reverse,
    Slip,
)
from velvet_seam.core.shot.edits.tracks import (
    FollowTrack,
    RemoveTrack,
    SetTrack,
    followers,
    left_behind,
)
from velvet_seam.core.shot.edits.values import SetValues
from velvet_seam.core.shot.shot import sentence

__all__ = [
    "EDITS",
    "AddLayer",
    "AddLookPart",
    "AddMark",
    "AddMask",
    "AddMatte",
    "AddPoint",
    "AddSound",
    "Bake",
    "ChangeRate",
    "ChangeSpeed",
    "DuplicateLayer",
    "EaseKeys",
    "Edit",
    "EditBase",
    "FollowTrack",
    "Freeze",
    "GroupLayers",
    "KeyHere",
    "MoveInTime",
    "MoveKeys",
    "MoveLookPart",
    "PasteKeys",
    "RemoveKeys",
    "RemoveLayer",
    "RemoveMarks",
    "RemovePart",
    "RemovePoint",
    "RemoveSound",
    "RemoveTrack",
    "ReorderLayer",
    "ReplaceFootage",
    "Reverse",
    "SetTrack",
    "SetValues",
    "Several",
    "Slip",
    "Split",
    "TakeApart",
    "Trim",
    "Unbake",
    "WearLook",
    "apply",
    "followers",
    "left_behind",
    "read_edit",
]  # fmt: skip

_EDIT: TypeAdapter[EditBase] = TypeAdapter(Edit)


def read_edit(given: Any) -> EditBase:
    """An edit from JSON-like data.

    Raises:
        Problem: with a sentence, when it is not an edit.
    """
    try:
        return _EDIT.validate_python(given)
    except ValidationError as error:
        raise Problem(f"Nothing was changed: {sentence(error)}.") from None
