"""Strokes put on a layer of paint."""

from __future__ import annotations

from typing import Literal

from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits.base import EditBase, called
from velvet_seam.core.shot.revise import revised, with_layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sources.paint import MOST_STROKES, PaintSource, Stroke
from velvet_seam.core.words import Id


class AddStroke(EditBase):
    """Put a stroke over those that a layer of paint has."""

    do: Literal["add-stroke"] = "add-stroke"
    layer: Id
    stroke: Stroke

    def applied(self, shot: Shot) -> Shot:
        layer = shot.layer(self.layer)
        if not isinstance(layer.source, PaintSource):
            raise Problem(f"{layer.name} is no paint: strokes are drawn on a layer of paint.")
        held = layer.source.strokes
        if len(held) >= MOST_STROKES:
            raise Problem(
                f"Nothing was changed: a layer of paint has at most {MOST_STROKES} strokes. Begin another."
            )
        source = revised(layer.source, strokes=(*held, self.stroke))
        return with_layer(shot, revised(layer, source=source))

    def words(self, shot: Shot) -> str:
        return f"stroke on {called(shot, self.layer)}"
