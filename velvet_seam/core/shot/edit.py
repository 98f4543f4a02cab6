"""Edits: every change to a shot is one small typed value, applied by one pure function.

>>> from velvet_seam.core.shot.shot import Canvas, Shot
>>> shot = Shot(name="Test", canvas=Canvas(width=64, height=64), rate="25", length=50)
>>> apply(shot, SetValues(values={"length": 75})).length
75
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from functools import reduce
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.layer import FootageSource, Layer, SoundTrack, Span, TimeMap
from velvet_seam.core.shot.mask import DrawnMask, Mask, MaskBase
from velvet_seam.core.shot.matte import Matte
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Shot, sentence
from velvet_seam.core.shot.words import Id, Name, Part
from velvet_seam.core.timing.animated import Animated, Keyframes

Thing = TypeVar("Thing", Layer, SoundTrack)

FIXED = {"id", "kind", "schema_version", "layers", "sounds", "matte", "masks"}
"""Fields that :class:`SetValues` leaves alone: they have edits of their own, or none."""


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

    ``values`` maps dotted paths to new values: ``place.x``, ``seam.matte.KEY_ID.tolerance``.
    """

    do: Literal["set-values"] = "set-values"
    target: Id | None = None
    values: dict[str, Any] = Field(min_length=1, max_length=200)


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


class AddSound(Part):
    do: Literal["add-sound"] = "add-sound"
    sound: SoundTrack


class RemoveSound(Part):
    do: Literal["remove-sound"] = "remove-sound"
    sound: Id


class Several(Part):
    """Edits that are one step of undo."""

    do: Literal["several"] = "several"
    label: Name
    edits: tuple[Edit, ...] = Field(min_length=1, max_length=200)


Edit = Annotated[
    AddLayer
    | RemoveLayer
    | DuplicateLayer
    | ReorderLayer
    | SetValues
    | ReplaceFootage
    | AddMatte
    | AddMask
    | RemovePart
    | MoveInTime
    | Trim
    | Split
    | AddSound
    | RemoveSound
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


def apply(shot: Shot, edit: Edit) -> Shot:
    """The shot after an edit; the given shot is left as it is.

    Raises:
        Problem: with a sentence that says why the edit cannot be done.
    """
    _refuse_locked(shot, edit)
    try:
        return _APPLY[type(edit)](shot, edit)
    except ValidationError as error:
        raise Problem(f"Nothing was changed: {sentence(error)}.") from None


def _refuse_locked(shot: Shot, edit: Edit) -> None:
    """What is locked stays as it is until it is unlocked."""
    if isinstance(edit, SetValues) and set(edit.values) == {"locked"}:
        return
    target = next(
        (
            t
            for name in ("target", "layer", "sound")
            if isinstance(t := getattr(edit, name, None), str)
        ),
        None,
    )
    for thing in shot.things:
        if thing.id == target and thing.locked and not isinstance(edit, DuplicateLayer):
            raise Problem(f"{thing.name} is locked. Unlock it to change it.")


def revised(part: Any, **changes: Any) -> Any:
    """A copy of a document part with fields replaced, checked again as a whole."""
    fields = {name: getattr(part, name) for name in type(part).model_fields}
    return type(part).model_validate({**fields, **changes})


def _with_layer(shot: Shot, new: Layer) -> Shot:
    shot.layer(new.id)
    return revised(shot, layers=[new if old.id == new.id else old for old in shot.layers])


def _with_sound(shot: Shot, new: SoundTrack) -> Shot:
    shot.sound(new.id)
    return revised(shot, sounds=[new if old.id == new.id else old for old in shot.sounds])


def _add_layer(shot: Shot, edit: AddLayer) -> Shot:
    layers = list(shot.layers)
    layers.insert(len(layers) if edit.index is None else edit.index, edit.layer)
    return revised(shot, layers=layers)


def _remove_layer(shot: Shot, edit: RemoveLayer) -> Shot:
    shot.layer(edit.layer)
    return revised(shot, layers=[layer for layer in shot.layers if layer.id != edit.layer])


def _duplicate_layer(shot: Shot, edit: DuplicateLayer) -> Shot:
    layer = shot.layer(edit.layer)
    copy = revised(
        layer, id=edit.new_id, name=f"{layer.name[:112]} copy", seam=_fresh(layer, edit.new_id),
        locked=False,
    )  # fmt: skip
    layers = list(shot.layers)
    layers.insert(layers.index(layer) + 1, copy)
    return revised(shot, layers=layers)


def _fresh(layer: Layer, new_id: str) -> Seam:
    """A layer's seam for a copy of it: its mattes and masks get ids of their own."""
    seam = layer.seam
    return Seam.model_validate(
        {name: getattr(seam, name) for name in Seam.model_fields}
        | {
            "matte": [revised(p, id=f"{new_id[:30]}-k{i}") for i, p in enumerate(seam.matte)],
            "masks": [revised(p, id=f"{new_id[:30]}-m{i}") for i, p in enumerate(seam.masks)],
        }
    )


def _begun_later(part: Any, by: int) -> Any:
    """A part whose layer begins ``by`` frames later: its keyframes stay where they were in time."""
    if isinstance(part, Keyframes):
        return Keyframes(keys=tuple(revised(key, frame=key.frame - by) for key in part.keys))
    if isinstance(part, BaseModel):
        fields = {name: getattr(part, name) for name in type(part).model_fields}
        return type(part).model_validate({n: _begun_later(f, by) for n, f in fields.items()})
    if isinstance(part, tuple):
        return tuple(_begun_later(one, by) for one in part)
    return part


def _reorder_layer(shot: Shot, edit: ReorderLayer) -> Shot:
    layer = shot.layer(edit.layer)
    layers = [other for other in shot.layers if other.id != layer.id]
    layers.insert(edit.index, layer)
    return revised(shot, layers=layers)


def _set_path(part: Any, path: list[str], value: Any) -> Any:
    """A copy of a document part with the value at a path replaced."""
    step, rest = path[0], path[1:]
    if isinstance(part, tuple):
        if not any(item.id == step for item in part):
            raise Problem("Nothing was changed: that matte or mask is no longer there.")
        return [_set_path(item, rest, value) if item.id == step else item for item in part]
    known = isinstance(part, BaseModel) and step in type(part).model_fields
    if not known or (not rest and step in FIXED):
        raise Problem(f"Nothing was changed: there is no value called {step[:40]!r} to set.")
    new = _set_path(getattr(part, step), rest, value) if rest else value
    return revised(part, **{step: new})


def _set_values(shot: Shot, edit: SetValues) -> Shot:
    def set_all(part: Any) -> Any:
        return reduce(
            lambda p, item: _set_path(p, item[0].split("."), item[1]), edit.values.items(), part
        )

    if edit.target is None:
        return set_all(shot)
    if any(layer.id == edit.target for layer in shot.layers):
        return _with_layer(shot, set_all(shot.layer(edit.target)))
    return _with_sound(shot, set_all(shot.sound(edit.target)))


def _scaled(value: Animated, by: float) -> Animated:
    if not isinstance(value, Keyframes):
        return round(value * by, 4)
    return Keyframes(keys=tuple(revised(k, value=round(k.value * by, 4)) for k in value.keys))


def _resized(mask: MaskBase, by: float) -> MaskBase:
    """A mask on a picture of another size, at the same place of it."""
    names = [n for n in ("x", "y", "width", "height", "round", "radius") if hasattr(mask, n)]
    changes: dict[str, Any] = {n: _scaled(getattr(mask, n), by) for n in names}
    if isinstance(mask, DrawnMask):
        lengths = ("x", "y", "in_x", "in_y", "out_x", "out_y")
        changes["outline"] = [
            revised(v, **{n: getattr(v, n) * by for n in lengths}) for v in mask.outline
        ]
    return revised(mask, **changes)


def _replace_footage(shot: Shot, edit: ReplaceFootage) -> Shot:
    def replaced(thing: Layer | SoundTrack) -> Layer | SoundTrack:
        if isinstance(thing, SoundTrack):
            return revised(thing, footage=edit.footage)
        if not isinstance(thing.source, FootageSource):
            raise Problem(f"{thing.name} shows no footage that could be replaced.")
        masks = [
            _resized(mask, 1 / edit.ratio) if mask.fixed == "layer" else mask
            for mask in thing.seam.masks
        ]
        return revised(
            thing,
            source=FootageSource(footage=edit.footage),
            place=revised(thing.place, scale=_scaled(thing.place.scale, edit.ratio)),
            seam=revised(thing.seam, masks=masks),
        )

    return _replace(shot, edit.target, replaced)


def _add_matte(shot: Shot, edit: AddMatte) -> Shot:
    layer = shot.layer(edit.layer)
    seam = revised(layer.seam, matte=(*layer.seam.matte, edit.matte))
    return _with_layer(shot, revised(layer, seam=seam))


def _add_mask(shot: Shot, edit: AddMask) -> Shot:
    layer = shot.layer(edit.layer)
    seam = revised(layer.seam, masks=(*layer.seam.masks, edit.mask))
    return _with_layer(shot, revised(layer, seam=seam))


def _remove_part(shot: Shot, edit: RemovePart) -> Shot:
    layer = shot.layer(edit.layer)
    seam = layer.seam
    if not any(part.id == edit.part for part in seam.parts):
        raise Problem("Nothing was changed: that matte or mask is no longer there.")
    seam = revised(
        seam,
        matte=[part for part in seam.matte if part.id != edit.part],
        masks=[part for part in seam.masks if part.id != edit.part],
    )
    return _with_layer(shot, revised(layer, seam=seam))


def _replace(shot: Shot, target: str, change: Callable[[Any], Any]) -> Shot:
    if any(layer.id == target for layer in shot.layers):
        return _with_layer(shot, change(shot.layer(target)))
    return _with_sound(shot, change(shot.sound(target)))


def _move_in_time(shot: Shot, edit: MoveInTime) -> Shot:
    def moved(thing: Thing) -> Thing:
        by = max(edit.by, -thing.span.first)
        return revised(thing, span=thing.span.moved(by))

    return _replace(shot, edit.target, moved)


def _trim(shot: Shot, edit: Trim) -> Shot:
    def trimmed(thing: Thing) -> Thing:
        span = thing.span
        if edit.edge == "last":
            return revised(thing, span=Span(first=span.first, last=max(edit.to, span.first)))
        first = min(edit.to, span.last)
        moving = isinstance(thing, SoundTrack) or isinstance(thing.source, FootageSource)
        if moving:  # the source starts at its own first frame at the earliest
            first = max(first, span.first - int(thing.time.source_in * shot.rate))
        first = max(first, 0)
        source_in = thing.time.source_in + Fraction(first - span.first) / shot.rate
        return revised(
            _begun_later(thing, first - span.first),
            span=Span(first=first, last=span.last),
            time=TimeMap(source_in=source_in if moving else Fraction(0)),
        )

    return _replace(shot, edit.target, trimmed)


def _split(shot: Shot, edit: Split) -> Shot:
    thing = next((one for one in shot.things if one.id == edit.target), None)
    if thing is None:
        raise Problem("Nothing was changed: that layer or sound is no longer in the shot.")
    if not thing.span.first < edit.at <= thing.span.last:
        raise Problem(f"{thing.name} has no frame on both sides of the playhead to be split there.")
    earlier = _trim(shot, Trim(target=edit.target, edge="last", to=edit.at - 1))
    later = _trim(shot, Trim(target=edit.target, edge="first", to=edit.at))
    if isinstance(thing, SoundTrack):
        piece = revised(later.sound(thing.id), id=edit.new_id)
        return revised(earlier, sounds=(*earlier.sounds, piece))
    rest = later.layer(thing.id)
    layers = list(earlier.layers)
    piece = revised(rest, id=edit.new_id, seam=_fresh(rest, edit.new_id))
    layers.insert(shot.layers.index(thing) + 1, piece)
    return revised(earlier, layers=layers)


def _add_sound(shot: Shot, edit: AddSound) -> Shot:
    return revised(shot, sounds=(*shot.sounds, edit.sound))


def _remove_sound(shot: Shot, edit: RemoveSound) -> Shot:
    shot.sound(edit.sound)
    return revised(shot, sounds=[sound for sound in shot.sounds if sound.id != edit.sound])


def _several(shot: Shot, edit: Several) -> Shot:
    return reduce(apply, edit.edits, shot)


_APPLY: dict[type, Callable[[Shot, Any], Shot]] = {
    AddLayer: _add_layer,
    RemoveLayer: _remove_layer,
    DuplicateLayer: _duplicate_layer,
    ReorderLayer: _reorder_layer,
    SetValues: _set_values,
    ReplaceFootage: _replace_footage,
    AddMatte: _add_matte,
    AddMask: _add_mask,
    RemovePart: _remove_part,
    MoveInTime: _move_in_time,
    Trim: _trim,
    Split: _split,
    AddSound: _add_sound,
    RemoveSound: _remove_sound,
    Several: _several,
}
