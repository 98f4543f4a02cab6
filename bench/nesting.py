"""A nested shot that is only placed against the same layers lying flat: what it costs, and whether it is the same."""

from __future__ import annotations

import time
from collections.abc import Callable
from statistics import median

import numpy as np

from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.nested import Nested
from velvet_seam.core.shot.edits import GroupLayers, apply
from velvet_seam.core.shot.grouping import grouped, span_of
from velvet_seam.core.shot.layer import Layer, Place
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sources import NestedSource
from velvet_seam.store.library import Library

FRAMES = range(30, 110)


def nested(say: Callable[..., None], library: Library, shot: Shot) -> None:
    print(f"\nMoth and embers of the demo shot as a nested shot, {len(FRAMES)} frames, in turn")
    ids = ("l-moth", "l-embers")
    chosen = [layer for layer in shot.layers if layer.id in ids]
    inside = grouped(shot, ids, "inside")
    middle = Place(x=shot.canvas.width / 2, y=shot.canvas.height / 2)
    into = Layer(id="l-in", name="In", source=NestedSource(footage="s-in"), span=span_of(chosen), place=middle)  # fmt: skip
    outer = apply(shot, GroupLayers(layers=ids, into=into))

    def engine(preview: bool) -> Engine:
        found = library.materials(preview=preview)
        held = Nested(inside, lambda one: found(one).digest)
        return Engine(lambda one: held if one == "s-in" else found(one), passing=True)

    for what, preview in (("540 × 960, proxies", True), ("1080 × 1920, originals", False)):
        flat, deep = (engine(preview), shot), (engine(preview), outer)
        ratios, furthest = [], 0
        for frame in FRAMES:
            took, made = {}, {}
            for one in (flat, deep) if frame % 2 else (deep, flat):
                begin = time.process_time()
                plan = one[0].plan(one[1], frame, short_side=540 if preview else None)
                made[id(one)] = one[0].picture(plan).astype(int)
                took[id(one)] = time.process_time() - begin
            ratios.append(took[id(deep)] / took[id(flat)])
            furthest = max(furthest, int(np.abs(made[id(flat)] - made[id(deep)]).max()))
        say(f"CPU against flat, {what}", f"{median(ratios[5:]):.3f}",
            f"times, median; furthest off {furthest} of 255 (aim 1.05; 1)")  # fmt: skip
