"""What the page's scripts are told of kinds and values: the same words and ways as everywhere."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache
from types import UnionType
from typing import Any, get_args, get_origin

from pydantic import BaseModel

from velvet_seam.core.around import AROUND
from velvet_seam.core.looks import LOOKS
from velvet_seam.core.masks import MASKS
from velvet_seam.core.mattes import MATTES
from velvet_seam.core.passages import WAYS
from velvet_seam.core.shot.layer import Layer, SoundTrack
from velvet_seam.core.sources import GENERATED
from velvet_seam.core.timing.bounds import bounds_of
from velvet_seam.core.words import kind_of

_GROUPS = {
    "stir": "stirring", "echo": "echo", "sound": "its sound", "arrive": "coming", "leave": "going",
    "seam.edge": "edge", "place.pins": "corner pins", "look": "look", "crop": "crop",
    **{f"around.{name}": kind.label.lower() for name, kind in AROUND.items()},
}  # fmt: skip
"""What is said behind the name of a value of some parts of a layer."""


@cache
def kinds() -> dict[str, Any]:
    """For the find box, the lanes and the drawing of masks."""
    masks = [
        {"kind": kind_of(one), "label": one.label, "hint": one.hint, "find": one.find, "line": one.by_line}
        for one in MASKS
    ]  # fmt: skip
    mattes = [
        {"kind": kind_of(one), "label": one.label, "find": one.find, "begins": one.begins}
        for one in MATTES
    ]
    values = {path: told for part in (Layer, SoundTrack) for path, told in _values(part)}
    ways = [{"label": way.label, "find": way.find} for way in WAYS]
    looks = [{"kind": kind_of(one), "label": one.label, "find": one.find} for one in LOOKS]
    sources = [{"kind": kind_of(one), "label": one.label, "find": one.find} for one in GENERATED]
    return {
        "looks": looks,
        "sources": sources,
        "masks": masks,
        "mattes": mattes,
        "values": values,
        "ways": ways,
    }


def _values(part: type[BaseModel], way: str = "") -> Iterator[tuple[str, dict[str, str]]]:
    """All numbers of a part of the document and of the parts in it, by their paths."""
    for name, field in part.model_fields.items():
        path = f"{way}.{name}".lstrip(".")
        bounds = bounds_of(part, name)
        if bounds is not None:
            group = _GROUPS.get(way, "")
            title = f"{bounds.label}, {group}" if group else bounds.label
            yield path, {"title": title, "find": bounds.find}
        for inner in _models(field.annotation):
            yield from _values(inner, path)


def _models(annotation: Any) -> list[type[BaseModel]]:
    """Parts that a field holds one of; lists have their own kinds."""
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return [annotation]
    if isinstance(annotation, UnionType) or get_origin(annotation) is not None:
        return []
    return [one for one in get_args(annotation) if isinstance(one, type)]
