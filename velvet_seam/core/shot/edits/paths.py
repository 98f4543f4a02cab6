"""Values of a layer, a sound or the shot, named by dotted paths, and changed there."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from pydantic import BaseModel

from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.layer import OwnSound, SoundTrack, TimeMap
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.motion import Passage
from velvet_seam.core.shot.revise import replaced, revised
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Shot

FIXED = {"id", "kind", "masks"}
FIXED_OF: dict[type, set[str]] = {
    Shot: {"schema_version", "layers", "sounds", "marks", "rate"},
    Seam: {"matte"},
    Look: {"parts"},
}
"""Fields that cannot be set by a path, of all parts and of some: they have edits of their own, or none."""


_FADES: dict[str, dict[str, Any]] = {"fade_in": {"faded_in": 0}, "fade_out": {"faded_out": 0}}
SET_TOO: dict[type, dict[str, dict[str, Any]]] = {
    Passage: {"way": {"done": 0}, "frames": {"done": 0}}, OwnSound: _FADES, SoundTrack: _FADES,
    TimeMap: {"sound": {"ahead": 0}},
}  # fmt: skip
"""What else is set where a value is: one that is chosen anew is not cut off by an earlier split."""


def changed(shot: Shot, target: str | None, changes: Mapping[str, Callable[[Any], Any]]) -> Shot:
    """The shot with the values at some paths of a target, or without one of itself, changed."""

    def all_of(part: Any) -> Any:
        for path, change in changes.items():
            part = _set_path(part, path.split("."), change)
        return part

    return all_of(shot) if target is None else replaced(shot, target, all_of)


def _set_path(part: Any, path: list[str], change: Callable[[Any], Any]) -> Any:
    """A copy of a document part with the value at a path changed."""
    step, rest = path[0], path[1:]
    if isinstance(part, tuple):
        if not any(item.id == step for item in part):
            raise Gone("Nothing was changed: that matte, mask, part or mark is no longer there.")
        return [_set_path(item, rest, change) if item.id == step else item for item in part]
    known = isinstance(part, BaseModel) and step in type(part).model_fields
    if not known or (not rest and step in FIXED | FIXED_OF.get(type(part), set())):
        raise Problem(f"Nothing was changed: there is no value called {step[:40]!r} to set.")
    held = getattr(part, step)
    made = _set_path(held, rest, change) if rest else change(held)
    return revised(part, **SET_TOO.get(type(part), {}).get(step, {}), **{step: made})
