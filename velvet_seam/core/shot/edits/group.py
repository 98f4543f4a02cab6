"""Layers that become a nested shot, and come back out of it."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from velvet_seam.core.problem import Gone
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.layer import Layer, SoundTrack
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id


class GroupLayers(EditBase):
    """One layer in the place of some, where the highest of them lies: it shows the shot that they have become."""

    do: Literal["group-layers"] = "group-layers"
    layers: tuple[Id, ...] = Field(min_length=1, max_length=200)
    into: Layer

    def applied(self, shot: Shot) -> Shot:
        if not set(self.layers) <= {one.id for one in shot.layers}:
            raise Gone("Nothing was changed: one of those layers is no longer in the shot.")
        top = max(n for n, one in enumerate(shot.layers) if one.id in self.layers)
        stack = [
            one for n, layer in enumerate(shot.layers)
            for one in ((self.into,) if n == top else () if layer.id in self.layers else (layer,))
        ]  # fmt: skip
        made: Shot = revised(shot, layers=tuple(stack))
        return made

    def words(self, shot: Shot) -> str:
        count = len(self.layers)
        return f"group {count} layers" if count > 1 else f"a shot of {called(shot, self.layers[0])}"


class TakeApart(EditBase):
    """The layers and sounds of a nested shot in the place of the layer that shows it."""

    do: Literal["take-apart"] = "take-apart"
    layer: Id
    layers: tuple[Layer, ...] = Field((), max_length=200)
    sounds: tuple[SoundTrack, ...] = Field((), max_length=200)

    def applied(self, shot: Shot) -> Shot:
        at = shot.layers.index(shot.layer(self.layer))
        stack = (*shot.layers[:at], *self.layers, *shot.layers[at + 1 :])
        made: Shot = revised(shot, layers=stack, sounds=(*shot.sounds, *self.sounds))
        return made

    def words(self, shot: Shot) -> str:
        return f"take {called(shot, self.layer)} apart"
