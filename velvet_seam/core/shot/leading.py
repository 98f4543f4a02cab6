"""What follows tracks, wherever in a layer: found, and kept where it was as its leaders are moved in time or named anew."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

from pydantic import BaseModel

from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.timing.following import Follow


def followed(part: object) -> Iterator[str]:
    """The other layers whose tracks a layer, or anything in it, follows."""
    if isinstance(part, Follow):
        if part.layer is not None and not part.none:
            yield part.layer
    elif isinstance(part, BaseModel):
        for name in type(part).model_fields:
            yield from followed(getattr(part, name))
    elif isinstance(part, tuple):
        for one in part:
            yield from followed(one)


def following(part: Any, change: Callable[[Follow], Follow]) -> Any:
    """A layer, or anything in it, with all that it follows changed; the same object where nothing is."""
    if isinstance(part, Follow):
        return part if part.none else change(part)
    if isinstance(part, BaseModel):
        fields = {name: getattr(part, name) for name in type(part).model_fields}
        changed = {name: following(field, change) for name, field in fields.items()}
        same = all(changed[name] is fields[name] for name in fields)
        return part if same else type(part).model_validate(changed)
    if isinstance(part, tuple):
        made = tuple(following(one, change) for one in part)
        return part if all(a is b for a, b in zip(made, part, strict=True)) else made
    return part


def taken_over(layer: Layer, ids: Mapping[str, str], by: int) -> Layer:
    """A layer that was taken into another shot, ``by`` frames later there: it follows those that stand for its leaders,
    by their old ids, from the same moment."""
    made: Layer = following(
        layer,
        lambda one: revised(one, layer=ids.get(one.layer or "", one.layer), frame=one.frame + by),
    )
    return made


def led_later(layers: tuple[Layer, ...], moved: Mapping[str, int]) -> tuple[Layer, ...]:
    """Layers of which some have ``moved`` in time, by their ids and so many frames: what follows their tracks goes on doing
    so from the same moment of theirs."""

    def led(layer: Layer) -> Layer:
        def change(one: Follow) -> Follow:
            by = moved.get(one.layer or layer.id, 0)
            changed: Follow = revised(one, frame=one.frame + by) if by else one
            return changed

        made: Layer = following(layer, change)
        return made

    return tuple(led(layer) for layer in layers)
