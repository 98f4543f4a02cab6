"""A clean plate as a layer of its own: it lies as its take does, so that whoever is masked out of the take is gone."""

from __future__ import annotations

from typing import Any

from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.revise import fresh_look, revised
from velvet_seam.core.sources import FootageSource
from velvet_seam.core.timing.animated import Keyframes, value_at


def plate_layer(
    take: Layer,
    identity: str,
    name: str,
    thread: int,
    footage: str,
    at: int | None = None,
) -> Layer:
    """A layer that shows the plate wherever its take is shown, with the take's crop and look; it shakes with it.

    Args:
        take: what the plate was made of; what it follows is left out, and has to be among its keyframes.
        identity, name, thread: the new layer's.
        footage: the plate, as large as the frames of the take.
        at: the frame of the take's span whose picture the plate is, where the camera moves: it then lies still as the
            take does there. Else it moves as the take is moved.
    """
    place = take.place if at is None else _still(take.place, at)
    return Layer(
        id=identity, name=name, thread=thread, source=FootageSource(footage=footage), span=take.span,
        place=place, crop=take.crop, look=fresh_look(take.look, identity), age=take.age,
        stir=revised(take.stir, flicker=0),
    )  # fmt: skip


def _still(part: Any, frame: int) -> Any:
    """A part of the document with every value as it is at a frame.

    >>> from velvet_seam.core.shot.layer import Place
    >>> moving = Place(x=Keyframes(keys=({"frame": 0, "value": 0}, {"frame": 10, "value": 50})), y=3)
    >>> _still(moving, 5).x
    25.0
    """
    changed = {}
    for name in type(part).model_fields:
        value = getattr(part, name)
        if isinstance(value, Keyframes):
            changed[name] = value_at(value, frame)
        elif hasattr(type(value), "model_fields"):
            changed[name] = _still(value, frame)
    return revised(part, **changed) if changed else part
