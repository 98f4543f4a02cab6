"""What an edit did, in words: for the undo button and the history."""

from __future__ import annotations

from velvet_seam.core.problem import Gone
from velvet_seam.core.shot.edit import (
    AddLayer,
    AddMark,
    AddMask,
    AddMatte,
    AddPoint,
    AddSound,
    ChangeRate,
    ChangeSpeed,
    DuplicateLayer,
    EaseKeys,
    Edit,
    Freeze,
    KeyHere,
    MoveInTime,
    MoveKeys,
    PasteKeys,
    RemoveKeys,
    RemoveLayer,
    RemoveMarks,
    RemovePart,
    RemovePoint,
    RemoveSound,
    ReorderLayer,
    ReplaceFootage,
    Reverse,
    SetValues,
    Several,
    Slip,
    Split,
)
from velvet_seam.core.shot.mask import Mask, MaskBase
from velvet_seam.core.shot.matte import Matte
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.rate import call

_VALUE_WORDS = {
    "x": "position",
    "y": "position",
    "source_in": "start in the source",
    "flip_x": "mirror",
    "flip_y": "upside down",
    "on": "on or off",
    "colour": "colour",
    "colour_from": "screen colour",
    "keep_shadows": "keep shadows",
    "gain": "gain",
    "hidden": "hide",
    "locked": "lock",
}


def _called(shot: Shot, target: str | None) -> str:
    if target is None:
        return shot.name
    for thing in shot.things:
        if thing.id == target:
            return thing.name
    raise Gone("That layer is no longer in the shot.")


def _value(path: str) -> str:
    last = path.rpartition(".")[2]
    return _VALUE_WORDS.get(last, last.replace("_", " "))


def _kind(part: Matte | Mask) -> str:
    """``screen key``, ``layer matte``, ``oval garbage mask``, ``box mask``."""
    word = part.kind.replace("-", " ")
    if not isinstance(part, MaskBase):
        return word
    return f"{word} mask" if part.use == "limit" else f"{word} {part.use} mask"


def describe(shot: Shot, edit: Edit) -> str:
    """A few words for an edit of the shot it is about to change.

    >>> from velvet_seam.core.shot.shot import Canvas
    >>> shot = Shot(name="Test", canvas=Canvas(width=64, height=64), rate="25", length=50)
    >>> describe(shot, SetValues(values={"length": 75}))
    'length of Test'
    """
    match edit:
        case Several(label=label):
            return label
        case AddLayer(layer=layer):
            return f"add {layer.name}"
        case AddSound(sound=sound):
            return f"add {sound.name}"
        case ChangeRate(rate=rate):
            return f"{call(rate)} frames a second"
        case AddMark(mark=mark):
            return f"mark {mark.name}"
        case RemoveMarks(marks=marks):
            return "remove a mark" if len(marks) == 1 else f"remove {len(marks)} marks"
        case RemoveLayer(layer=target) | RemoveSound(sound=target):
            return f"remove {_called(shot, target)}"
        case DuplicateLayer(layer=target):
            return f"duplicate {_called(shot, target)}"
        case ReorderLayer(layer=target):
            return f"order of {_called(shot, target)}"
        case AddMatte(layer=target, matte=matte):
            return f"{_kind(matte)} on {_called(shot, target)}"
        case AddMask(layer=target, mask=mask):
            return f"{_kind(mask)} on {_called(shot, target)}"
        case RemovePart(layer=target, part=part):
            kind = next((_kind(p) for p in shot.layer(target).seam.parts if p.id == part), "mask")
            return f"remove {kind} of {_called(shot, target)}"
        case ReplaceFootage(target=target):
            return f"another source for {_called(shot, target)}"
        case Split(target=target):
            return f"split {_called(shot, target)}"
        case Slip(target=target):
            return f"slip {_called(shot, target)}"
        case Freeze(layer=target):
            return f"freeze {_called(shot, target)}"
        case ChangeSpeed(target=target):
            return f"speed of {_called(shot, target)}"
        case Reverse(target=target):
            return f"{_called(shot, target)} the other way round"
        case MoveInTime(target=target):
            return f"move {_called(shot, target)} in time"
        case AddPoint(layer=target) | RemovePoint(layer=target):
            return f"outline of {_called(shot, target)}"
        case KeyHere(target=target, paths=paths, on=on):
            what = (
                f"keyframe of {_value(paths[0])}" if len(paths) == 1 else f"{len(paths)} keyframes"
            )
            return f"{'' if on else 'remove '}{what}, {_called(shot, target)}"
        case EaseKeys(target=target):
            return f"ease of keyframes, {_called(shot, target)}"
        case MoveKeys(target=target) | RemoveKeys(target=target) | PasteKeys(target=target):
            word = {"move-keys": "move", "remove-keys": "remove", "paste-keys": "paste"}[edit.do]
            return f"{word} keyframes of {_called(shot, target)}"
        case SetValues(target=target, values=values):
            return f"{_value(next(iter(values)))} of {_called(shot, target)}"
        case _:
            return f"trim {_called(shot, edit.target)}"
