"""Strokes put on a roto."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from velvet_seam.core.mattes import RotoStroke
from velvet_seam.core.mattes.roto import roto_of
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.revise import revised, with_layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import Id


class AddRotoStroke(EditBase):
    """Put a stroke behind those that a roto has; with ``cuts``, where the clip begins something new."""

    do: Literal["add-roto-stroke"] = "add-roto-stroke"
    layer: Id
    matte: Id
    stroke: RotoStroke
    cuts: tuple[int, ...] | None = Field(None, max_length=10_000)

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        held = roto_of(layer.seam.matte, self.matte)
        cuts = held.cuts if self.cuts is None else self.cuts
        new = revised(held, strokes=held.with_stroke(self.stroke), cuts=cuts)
        mattes = [new if one is held else one for one in layer.seam.matte]
        return with_layer(shot, revised(layer, seam=revised(layer.seam, matte=mattes)))

    def words(self, shot: Shot) -> str:
        said = {"keep": "what to keep", "drop": "what to drop", "rub": "strokes rubbed out"}[
            self.stroke.how
        ]
        return f"{said}, {called(shot, self.layer)}"
