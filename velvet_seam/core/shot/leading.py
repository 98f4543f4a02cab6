"""What follows tracks, wherever in a layer: kept where it was as its leaders are moved in time or named anew."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.revise import revised, throughout
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.following import Follow


def following(part: Any, change: Callable[[Follow], Follow]) -> Any:
    """A layer, or a part of one, with all that it follows, anything in it too, changed."""
    return throughout(
        part, lambda one: change(one) if isinstance(one, Follow) and not one.none else None
    )


def led_by(part: Any, layer: str, by: int = 0) -> Any:
    """A part taken from a layer, for another one: what followed that layer's own tracks goes on following them, which come
    ``by`` frames later now."""

    def change(one: Follow) -> Follow:
        made: Follow = revised(one, layer=layer, frame=one.frame + by)
        return made if one.layer in (None, layer) else one

    return following(part, change)


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


def led_later(
    shot: Shot, layers: tuple[Layer, ...], moved: Mapping[str, int], after: int | None = None
) -> tuple[Layer, ...]:
    """Layers of which some have moved in time: what follows their tracks goes on doing so from the same moment of theirs.

    Args:
        shot: as it was, for who was followed at which moment: a layer, or what was cut off from it.
        layers: as they are now.
        moved: by so many frames, by their ids.
        after: only what came after a frame has moved, and is a layer of its own now: the one before goes on following itself.
    """

    def led(layer: Layer) -> Layer:
        def change(one: Follow) -> Follow:
            # who is cut off from its leader has moved as that one had, whoever is there
            own = one.layer is None or any(layer.id == p.id for p in shot.pieces(one.layer))
            if after is not None and (own or one.frame <= after):
                return one
            there = None if own else shot.there(one.layer or "", one.frame)
            by = moved.get(there.id if there else one.layer or layer.id, 0)
            changed: Follow = revised(one, frame=one.frame + by) if by else one
            return changed

        made: Layer = following(layer, change)
        return made

    return tuple(led(layer) for layer in layers)
