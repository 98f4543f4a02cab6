"""Applying edits: the shot after one, by pure functions.

>>> from velvet_seam.core.shot.shot import Canvas, Shot
>>> shot = Shot(name="Test", canvas=Canvas(width=64, height=64), rate="25", length=50)
>>> apply(shot, SetValues(values={"length": 75})).length
75
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial, reduce
from typing import Any

from pydantic import BaseModel, ValidationError

from velvet_seam.core.problem import Gone, Problem
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
    Trim,
)  # fmt: skip
from velvet_seam.core.shot.keyframes import (
    is_keyed,
    keyed,
    moved,
    raised,
    unkeyed,
    with_ease,
    with_keys,
)
from velvet_seam.core.shot.layer import FootageSource, Layer, SoundTrack
from velvet_seam.core.shot.mask import DrawnMask, MaskBase, OutlineKeys, Vertex
from velvet_seam.core.shot.points import resized, with_point
from velvet_seam.core.shot.rate_edit import change_rate
from velvet_seam.core.shot.revise import fresh_seam, replaced, revised, with_layer
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Shot, sentence
from velvet_seam.core.shot.time_edits import (
    change_speed,
    freeze,
    move_in_time,
    reverse,
    slip,
    split,
    trim,
)
from velvet_seam.core.shot.words import copy_name
from velvet_seam.core.timing.animated import Animated, Keyframes, value_at

FIXED = {"id", "kind"}
FIXED_OF: dict[type, set[str]] = {
    Shot: {"schema_version", "layers", "sounds", "marks", "rate"},
    Seam: {"matte", "masks"},
}
"""Fields that :class:`SetValues` leaves alone, of all parts and of some: they have edits of their own, or
none."""


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
        layer, id=edit.new_id, name=copy_name(layer.name, {thing.name for thing in shot.things}), seam=fresh_seam(layer, edit.new_id),
        locked=False,
    )  # fmt: skip
    layers = list(shot.layers)
    layers.insert(layers.index(layer) + 1, copy)
    return revised(shot, layers=layers)


def _reorder_layer(shot: Shot, edit: ReorderLayer) -> Shot:
    layer = shot.layer(edit.layer)
    layers = [other for other in shot.layers if other.id != layer.id]
    layers.insert(edit.index, layer)
    return revised(shot, layers=layers)


def _set_path(part: Any, path: list[str], change: Callable[[Any], Any]) -> Any:
    """A copy of a document part with the value at a path changed."""
    step, rest = path[0], path[1:]
    if isinstance(part, tuple):
        if not any(item.id == step for item in part):
            raise Gone("Nothing was changed: that matte, mask or mark is no longer there.")
        return [_set_path(item, rest, change) if item.id == step else item for item in part]
    known = isinstance(part, BaseModel) and step in type(part).model_fields
    if not known or (not rest and step in FIXED | FIXED_OF.get(type(part), set())):
        raise Problem(f"Nothing was changed: there is no value called {step[:40]!r} to set.")
    held = getattr(part, step)
    return revised(part, **{step: _set_path(held, rest, change) if rest else change(held)})


def _changed(shot: Shot, target: str | None, changes: Mapping[str, Callable[[Any], Any]]) -> Shot:
    """The shot with the values at some paths of a target changed."""

    def all_of(part: Any) -> Any:
        for path, change in changes.items():
            part = _set_path(part, path.split("."), change)
        return part

    return all_of(shot) if target is None else replaced(shot, target, all_of)


def _set_values(shot: Shot, edit: SetValues) -> Shot:
    def change(new: Any) -> Callable[[Any], Any]:
        def to(old: Any) -> Any:
            plain = not isinstance(new, dict)  # else keyframes are given
            if edit.at is None or not is_keyed(old) or not plain:
                return new
            if edit.along and isinstance(old, Keyframes) and isinstance(new, int | float):
                return raised(old, new - value_at(old, edit.at))
            return keyed(old, edit.at, new)

        return to

    values = edit.values
    if edit.target is None and "length" in values:  # from now on it is the one that was set
        values = {"grows": False, **values}
    return _changed(shot, edit.target, {path: change(new) for path, new in values.items()})


def _key_here(shot: Shot, edit: KeyHere) -> Shot:
    def change(old: Any) -> Any:
        if not edit.on:
            return unkeyed(old, [edit.frame])
        if not (is_keyed(old) or isinstance(old, float | tuple)):
            raise Problem("Nothing was changed: only numbers and outlines have keyframes.")
        return keyed(old, edit.frame)

    return _changed(shot, edit.target, dict.fromkeys(edit.paths, change))


def _move_keys(shot: Shot, edit: MoveKeys) -> Shot:
    def change(frames: tuple[int, ...]) -> Callable[[Any], Any]:
        return lambda old: moved(
            old, frames, edit.by, about=edit.about, stretch=edit.stretch, rise=edit.rise,
            copy=edit.copied,
        )  # fmt: skip

    return _changed(shot, edit.target, {path: change(frames) for path, frames in edit.keys.items()})


def _remove_keys(shot: Shot, edit: RemoveKeys) -> Shot:
    changes = {path: partial(unkeyed, frames=frames) for path, frames in edit.keys.items()}
    return _changed(shot, edit.target, changes)


def _ease_keys(shot: Shot, edit: EaseKeys) -> Shot:
    changes = {
        path: partial(with_ease, frames=frames, ease=edit.ease)
        for path, frames in edit.keys.items()
    }
    return _changed(shot, edit.target, changes)


def _paste_keys(shot: Shot, edit: PasteKeys) -> Shot:
    def change(new: Keyframes | OutlineKeys) -> Callable[[Any], Any]:
        def to(old: Any) -> Any:
            if isinstance(new, OutlineKeys) != isinstance(old, OutlineKeys | tuple):
                raise Problem("Nothing was changed: keyframes of another kind of value.")
            there = [revised(key, frame=key.frame + edit.at) for key in new.keys]
            return with_keys(new, (*(old.keys if is_keyed(old) else ()), *there))

        return to

    return _changed(shot, edit.target, {path: change(new) for path, new in edit.keys.items()})


def _with_outline(
    shot: Shot, layer: str, mask: str, change: Callable[[tuple[Vertex, ...]], tuple[Vertex, ...]]
) -> Shot:
    """The shot with an outline changed, in all its keyframes."""

    def every(old: Any) -> Any:
        if isinstance(old, OutlineKeys):
            keys = [revised(key, value=change(key.value)) for key in old.keys]
            return OutlineKeys(keys=tuple(keys))
        return change(old)

    return _changed(shot, layer, {f"seam.masks.{mask}.outline": every})


def _add_point(shot: Shot, edit: AddPoint) -> Shot:
    def change(points: tuple[Vertex, ...]) -> tuple[Vertex, ...]:
        if edit.after >= len(points):
            raise Gone("Nothing was changed: that point is no longer there.")
        return with_point(points, edit.after, edit.part)

    return _with_outline(shot, edit.layer, edit.mask, change)


def _remove_point(shot: Shot, edit: RemovePoint) -> Shot:
    def change(points: tuple[Vertex, ...]) -> tuple[Vertex, ...]:
        if edit.point >= len(points):
            raise Gone("Nothing was changed: that point is no longer there.")
        if len(points) <= 3:
            raise Problem("Nothing was changed: an outline has at least three points.")
        return points[: edit.point] + points[edit.point + 1 :]

    return _with_outline(shot, edit.layer, edit.mask, change)


def _scaled(value: Animated, by: float) -> Animated:
    if not isinstance(value, Keyframes):
        return round(value * by, 4)
    return Keyframes(keys=tuple(revised(k, value=round(k.value * by, 4)) for k in value.keys))


def _resized(mask: MaskBase, by: float) -> MaskBase:
    """A mask on a picture of another size, at the same place of it."""
    names = [n for n in ("x", "y", "width", "height", "round", "radius") if hasattr(mask, n)]
    changes: dict[str, Any] = {n: _scaled(getattr(mask, n), by) for n in names}
    if isinstance(mask, DrawnMask):
        changes["outline"] = resized(mask.outline, by)
    return revised(mask, **changes)


def _replace_footage(shot: Shot, edit: ReplaceFootage) -> Shot:
    def showing(thing: Layer | SoundTrack) -> Layer | SoundTrack:
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

    return replaced(shot, edit.target, showing)


def _add_matte(shot: Shot, edit: AddMatte) -> Shot:
    layer = shot.layer(edit.layer)
    seam = revised(layer.seam, matte=(*layer.seam.matte, edit.matte))
    return with_layer(shot, revised(layer, seam=seam))


def _add_mask(shot: Shot, edit: AddMask) -> Shot:
    layer = shot.layer(edit.layer)
    seam = revised(layer.seam, masks=(*layer.seam.masks, edit.mask))
    return with_layer(shot, revised(layer, seam=seam))


def _remove_part(shot: Shot, edit: RemovePart) -> Shot:
    layer = shot.layer(edit.layer)
    seam = layer.seam
    if not any(part.id == edit.part for part in seam.parts):
        raise Gone("Nothing was changed: that matte or mask is no longer there.")
    seam = revised(
        seam,
        matte=[part for part in seam.matte if part.id != edit.part],
        masks=[part for part in seam.masks if part.id != edit.part],
    )
    return with_layer(shot, revised(layer, seam=seam))


def _add_sound(shot: Shot, edit: AddSound) -> Shot:
    return revised(shot, sounds=(*shot.sounds, edit.sound))


def _remove_sound(shot: Shot, edit: RemoveSound) -> Shot:
    shot.sound(edit.sound)
    return revised(shot, sounds=[sound for sound in shot.sounds if sound.id != edit.sound])


def _add_mark(shot: Shot, edit: AddMark) -> Shot:
    marks = sorted((*shot.marks, edit.mark), key=lambda mark: mark.frame)
    return revised(shot, marks=marks)


def _remove_marks(shot: Shot, edit: RemoveMarks) -> Shot:
    return revised(shot, marks=[mark for mark in shot.marks if mark.id not in edit.marks])


def _several(shot: Shot, edit: Several) -> Shot:
    return reduce(apply, edit.edits, shot)


_APPLY: dict[type, Callable[[Shot, Any], Shot]] = {
    AddLayer: _add_layer,
    RemoveLayer: _remove_layer,
    DuplicateLayer: _duplicate_layer,
    ReorderLayer: _reorder_layer,
    SetValues: _set_values,
    KeyHere: _key_here,
    MoveKeys: _move_keys,
    RemoveKeys: _remove_keys,
    EaseKeys: _ease_keys,
    PasteKeys: _paste_keys,
    AddPoint: _add_point,
    RemovePoint: _remove_point,
    ReplaceFootage: _replace_footage,
    AddMatte: _add_matte,
    AddMask: _add_mask,
    RemovePart: _remove_part,
    MoveInTime: move_in_time,
    Trim: trim,
    Split: split,
    Slip: slip,
    Freeze: freeze,
    ChangeSpeed: change_speed,
    Reverse: reverse,
    AddSound: _add_sound,
    RemoveSound: _remove_sound,
    ChangeRate: change_rate,
    AddMark: _add_mark,
    RemoveMarks: _remove_marks,
    Several: _several,
}
