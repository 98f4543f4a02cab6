"""A frame many times in one picture: in every blend, or with every look."""

from __future__ import annotations

import numpy as np

from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.shot.edits import ReorderLayer, SetValues, WearLook, apply
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.shot import Shot
from velvet_seam.work.asks import LookTiles, Wall, WallPictures
from velvet_seam.work.picture_files import jpeg


def wall_of(engine: Engine, shot: Shot, ask: Wall) -> WallPictures:
    at = shot.layers.index(shot.layer(ask.layer))
    above = _hidden_by_what_lies_above(engine, shot, ask)
    if above:
        shot = shot.model_copy(update={"layers": shot.layers[: at + 1]})
    orders = [shot]
    if at > 0:
        orders.append(apply(shot, ReorderLayer(layer=ask.layer, index=at - 1)))
    rows = []
    for blend in ask.blends:
        values = {"seam.blend": blend}
        tiles = [
            engine.picture(
                engine.plan(
                    apply(order, SetValues(target=ask.layer, values=values)), ask.frame,
                    short_side=ask.short_side,
                )
            )
            for order in orders
        ]  # fmt: skip
        rows.append(np.concatenate(tiles if at > 0 else tiles * 2, axis=1))
    return WallPictures(jpeg(np.concatenate(rows), 86), above)


def _hidden_by_what_lies_above(engine: Engine, shot: Shot, ask: Wall) -> bool:
    """Whether a layer makes no difference on a frame where it would without those above it."""
    at = shot.layers.index(shot.layer(ask.layer))
    if at == len(shot.layers) - 1:
        return False

    def differs(layers: tuple[Layer, ...]) -> bool:
        there = shot.model_copy(update={"layers": layers})
        gone = apply(there, SetValues(target=ask.layer, values={"hidden": True}))
        one, other = (
            engine.picture(engine.plan(each, ask.frame, short_side=ask.short_side)).copy()
            for each in (there, gone)
        )
        return not np.array_equal(one, other)

    return not differs(shot.layers) and differs(shot.layers[: at + 1])


def look_tiles_of(engine: Engine, shot: Shot, ask: LookTiles) -> bytes:
    tiles = []
    for text in ask.looks:
        look = Look.model_validate_json(text)
        worn = apply(shot, WearLook(layers=(ask.layer,), look=look, new_id="w-tile"))
        plan = engine.plan(worn, ask.frame, short_side=ask.short_side, quick=ask.layer)
        tiles.append(engine.picture(plan, trying=True))
    return jpeg(np.concatenate(tiles, axis=1), 82)
