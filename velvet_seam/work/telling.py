"""What is counted in a layer's picture: its levels, the holes and specks of its matte, how much masks cut of it."""

from __future__ import annotations

import numpy as np

from velvet_seam.core.analyse.mask_cut import cut_length
from velvet_seam.core.analyse.scopes import levels
from velvet_seam.core.engine.engine import PREVIEW_SHORT_SIDE, Engine
from velvet_seam.core.engine.plan import View
from velvet_seam.core.picture.edge import Counts, counts
from velvet_seam.core.shot.edits import SetValues, WearLook, apply
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.shot import Shot
from velvet_seam.work.asks import CutLength, Levels, MatteFacts

CUT_SIDE = 180
"""Shorter side at which masks are looked at for cutting a subject."""

SEEN_AND_COVERED: tuple[View, View] = ("layer", "matte")

LEVELS_SIDE = 180
"""Shorter side at which levels are counted."""


def levels_of(engine: Engine, shot: Shot, ask: Levels) -> list[list[float]]:
    layer = shot.layer(ask.layer)
    ids = [one.id for one in layer.look.parts]
    before = layer.look.parts[: ids.index(ask.part)] if ask.part in ids else ()
    shot = apply(shot, WearLook(layers=(ask.layer,), look=Look(parts=before), new_id="w-bare"))
    if layer.source.adjusts:
        at = shot.layers.index(shot.layer(ask.layer))
        shot = shot.model_copy(update={"layers": shot.layers[: at + 1]})
        return levels(
            engine.picture(engine.plan(shot, ask.frame, short_side=LEVELS_SIDE), trying=True)
        )
    seen = [
        engine.picture(
            engine.plan(shot, ask.frame, short_side=LEVELS_SIDE, view=view, chosen=ask.layer),
            trying=True,
        ).copy()
        for view in SEEN_AND_COVERED
    ]
    return levels(seen[0], seen[1][..., 1])


def facts_of(engine: Engine, shot: Shot, ask: MatteFacts) -> Counts:
    """Areas in square canvas pixels."""
    plan = engine.plan(
        shot, ask.frame, short_side=PREVIEW_SHORT_SIDE, view="matte", chosen=ask.layer
    )
    grey = engine.picture(plan)[..., 1]
    k = shot.canvas.width * shot.canvas.height / grey.size
    found = counts(np.ascontiguousarray(grey))
    return Counts(
        [round(a * k) for a in found.parts], [round(a * k) for a in found.holes], found.covered
    )


def cut_length_of(engine: Engine, shot: Shot, ask: CutLength) -> float:
    masks = shot.layer(ask.layer).seam.masks
    off = {f"seam.masks.{mask.id}.on": False for mask in masks if mask.use != "keep"}
    bare = apply(shot, SetValues(target=ask.layer, values=off))
    before, after = (
        engine.picture(
            engine.plan(each, ask.frame, short_side=CUT_SIDE, view="matte", chosen=ask.layer)
        )[..., 1].copy()
        for each in (bare, shot)
    )
    return cut_length(before, after)
