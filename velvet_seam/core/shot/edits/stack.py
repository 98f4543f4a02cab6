"""Layers put in, taken out, copied and put in another order."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.revise import fresh_parts, revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id, copy_name


class AddLayer(EditBase):
    """Put a layer into the stack, on top unless an index (0 is the bottom) is given."""

    do: Literal["add-layer"] = "add-layer"
    layer: Layer
    index: int | None = Field(None, ge=0)

    def applied(self, shot: Shot) -> Shot:
        layers = list(shot.layers)
        layers.insert(len(layers) if self.index is None else self.index, self.layer)
        return revised(shot, layers=layers)

    def words(self, shot: Shot) -> str:
        return f"add {self.layer.name}"


class RemoveLayer(EditBase):
    """Take a layer out of the stack. What was cut off from it is then a piece of what it was cut off from itself."""

    do: Literal["remove-layer"] = "remove-layer"
    layer: Id

    def applied(self, shot: Shot) -> Shot:
        gone = shot.layer(self.layer)
        layers = [
            revised(layer, piece_of=gone.piece_of) if layer.piece_of == gone.id else layer
            for layer in shot.layers
            if layer.id != gone.id
        ]
        return revised(shot, layers=layers)

    def words(self, shot: Shot) -> str:
        return f"remove {called(shot, self.layer)}"


class DuplicateLayer(EditBase):
    """A copy right above the layer."""

    do: Literal["duplicate-layer"] = "duplicate-layer"
    layer: Id
    new_id: Id

    @property
    def changes(self) -> str | None:
        return None  # a locked one stays as it is

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        name = copy_name(layer.name, {thing.name for thing in shot.things})
        layers = list(shot.layers)
        layers.insert(
            layers.index(layer) + 1,
            revised(
                layer, id=self.new_id, name=name, locked=False, **fresh_parts(layer, self.new_id)
            ),
        )
        return revised(shot, layers=layers)

    def words(self, shot: Shot) -> str:
        return f"duplicate {called(shot, self.layer)}"


class ReorderLayer(EditBase):
    """Move a layer so that it has this index in the stack, 0 at the bottom."""

    do: Literal["reorder-layer"] = "reorder-layer"
    layer: Id
    index: int = Field(ge=0)

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        layers = [other for other in shot.layers if other.id != layer.id]
        layers.insert(self.index, layer)
        return revised(shot, layers=layers)

    def words(self, shot: Shot) -> str:
        return f"order of {called(shot, self.layer)}"
