"""Documents changed: copies of frozen parts with something replaced, checked again as a whole."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from pydantic import BaseModel

from velvet_seam.core.shot.layer import Layer, SoundTrack
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.animated import Keyframe


def revised(part: Any, **changes: Any) -> Any:
    """A copy of a document part, or of a keyframe, with fields replaced, checked again as a whole."""
    kind = type(part)
    if isinstance(part, Keyframe):
        return replace(part, **changes)
    fields = {name: getattr(part, name) for name in kind.model_fields}
    return kind.model_validate({**fields, **changes})


def throughout(part: Any, change: Callable[[Any], Any]) -> Any:
    """A part of the document with what it holds changed, however deep.

    Args:
        change: what stands for a thing from now on; None to look inside it.

    Returns:
        The same object where nothing is changed.
    """
    made = change(part)
    if made is not None:
        return made
    if isinstance(part, BaseModel):
        fields = {name: getattr(part, name) for name in type(part).model_fields}
        changed = {name: throughout(held, change) for name, held in fields.items()}
        same = all(changed[name] is held for name, held in fields.items())
        return part if same else type(part).model_validate(changed)
    if isinstance(part, tuple) and not (part and isinstance(part[0], int | float | str)):
        inside = tuple(throughout(one, change) for one in part)
        return part if all(a is b for a, b in zip(inside, part, strict=True)) else inside
    return part


def with_layer(shot: Shot, new: Layer) -> Shot:
    shot.layer(new.id)
    return revised(shot, layers=[new if old.id == new.id else old for old in shot.layers])


def with_sound(shot: Shot, new: SoundTrack) -> Shot:
    shot.sound(new.id)
    return revised(shot, sounds=[new if old.id == new.id else old for old in shot.sounds])


def replaced(shot: Shot, target: str, change: Callable[[Any], Any]) -> Shot:
    if any(layer.id == target for layer in shot.layers):
        return with_layer(shot, change(shot.layer(target)))
    return with_sound(shot, change(shot.sound(target)))


def without_others(look: Look) -> Look:
    """A look for another shot: its parts act through no layer of this one."""
    parts = [
        revised(part, through=None)
        if part.through is not None and part.through.layer is not None
        else part
        for part in look.parts
    ]
    made: Look = revised(look, parts=parts)
    return made


def fresh_look(look: Look, new_id: str) -> Look:
    """A look for another layer: its parts and their masks get ids of their own."""
    parts = [
        revised(
            part, id=f"{new_id[:30]}-p{i}",
            masks=[revised(m, id=f"{new_id[:30]}-p{i}m{j}") for j, m in enumerate(part.masks)],
        )
        for i, part in enumerate(look.parts)
    ]  # fmt: skip
    made: Look = revised(look, parts=parts)
    return made


def fresh_parts(layer: Layer, new_id: str) -> dict[str, Any]:
    """What has ids of its own in a layer, for a copy of it."""
    return {
        "seam": fresh_seam(layer, new_id), "look": fresh_look(layer.look, new_id), "piece_of": None,
    }  # fmt: skip


def fresh_seam(layer: Layer, new_id: str) -> Seam:
    """A layer's seam for a copy of it: its mattes and masks get ids of their own."""
    seam = layer.seam
    return Seam.model_validate(
        {name: getattr(seam, name) for name in Seam.model_fields}
        | {
            "matte": [revised(p, id=f"{new_id[:30]}-k{i}") for i, p in enumerate(seam.matte)],
            "masks": [revised(p, id=f"{new_id[:30]}-m{i}") for i, p in enumerate(seam.masks)],
        }
    )
