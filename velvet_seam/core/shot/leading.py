"""What follows tracks, wherever in a layer: kept where it was as its leaders are moved in time or named anew."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.revise import revised, throughout
from velvet_seam.core.timing.following import Follow


def following(part: Any, change: Callable[[Follow], Follow]) -> Any:
    """A layer, or a part of one, with all that it follows, anything in it too, changed."""
    return throughout(
        part, lambda one: change(one) if isinstance(one, Follow) and not one.none else None
    )


def led_by(part: Any, layer: str) -> Any:
    """A part taken from a layer, for another one: what followed that layer's own tracks goes on following them."""
    return following(part, lambda one: revised(one, layer=one.layer or layer))


def led_by_nobody(part: Any) -> Any:
    """A part for another shot: there are no tracks there that it could follow."""
    return following(part, lambda one: Follow())


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
