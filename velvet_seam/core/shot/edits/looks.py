"""Looks put together, ordered, and worn by other layers too."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from velvet_seam.core.looks import LOOKS, LookBase, LookPart
from velvet_seam.core.problem import Gone
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.keyframes import begun_later
from velvet_seam.core.shot.leading import led_by
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.revise import fresh_look, revised, with_layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id, Name, kind_of

LABELS = {kind_of(kind): kind.label for kind in LOOKS}


class AddLookPart(EditBase):
    """Put a part into a layer's look, behind those that it has unless an index is given."""

    do: Literal["add-look-part"] = "add-look-part"
    layer: Id
    part: LookPart
    index: int | None = Field(None, ge=0)

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        parts = list(layer.look.parts)
        parts.insert(len(parts) if self.index is None else self.index, self.part)
        return with_layer(shot, revised(layer, look=revised(layer.look, parts=parts)))

    def words(self, shot: Shot) -> str:
        return f"{LABELS[self.part.kind].lower()}, look of {called(shot, self.layer)}"


class MoveLookPart(EditBase):
    """Move a part of a look so that it has this index, 0 acting first."""

    do: Literal["move-look-part"] = "move-look-part"
    layer: Id
    part: Id
    index: int = Field(ge=0)

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        held = _part(layer.look, self.part)
        others = [one for one in layer.look.parts if one is not held]
        others.insert(min(self.index, len(others)), held)
        return with_layer(shot, revised(layer, look=revised(layer.look, parts=others)))

    def words(self, shot: Shot) -> str:
        return f"order in the look of {called(shot, self.layer)}"


class WearLook(EditBase):
    """A whole look for some layers, in the place of what they have. Its parts get ids of their own in each.

    The look ``of`` another layer changes at the same frames of the shot as there, and masks in it follow that layer's
    tracks, as they do there.
    """

    do: Literal["wear-look"] = "wear-look"
    layers: tuple[Id, ...] = Field(min_length=1, max_length=200)
    look: Look
    name: Name = "look"
    new_id: Id
    of: Id | None = None

    @property
    def changes(self) -> str | None:
        return self.layers[0] if len(self.layers) == 1 else None

    def applied(self, shot: Shot) -> Shot:
        of = shot.layer(self.of) if self.of else None
        for number, identity in enumerate(self.layers):
            layer = shot.layer(identity)
            if layer.locked and len(self.layers) > 1:
                continue
            look = fresh_look(self.look, f"{self.new_id[:24]}-{number}")
            if of is not None:
                look = led_by(begun_later(look, layer.span.first - of.span.first), of.id)
            shot = with_layer(shot, revised(layer, look=look))
        return shot

    def words(self, shot: Shot) -> str:
        of = called(shot, self.layers[0]) if len(self.layers) == 1 else f"{len(self.layers)} layers"
        return f"{self.name} on {of}"


def _part(look: Look, identity: str) -> LookBase:
    held = next((one for one in look.parts if one.id == identity), None)
    if held is None:
        raise Gone("Nothing was changed: that part of the look is no longer there.")
    return held
