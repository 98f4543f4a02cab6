"""The centre of a source or of a part of a look aimed at a track: as keyframes, which can then be moved and changed."""

from __future__ import annotations

from typing import Any

import numpy as np

from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.warps import mapped
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.timing.bounds import bounds_of
from velvet_seam.core.timing.thinned import thinned

PAIRS = (("across", "down"), ("x", "y"))
"""What a centre is called, in per cent of the layer's picture."""

NEAR = 0.02
"""Per cent: what moves by less from frame to frame than a straight line says needs no keyframe of its own."""

REACH = -200.0, 300.0
"""Per cent of the picture, between which a centre lies."""


def centres(layer: Layer) -> dict[str, tuple[str, str]]:
    """What of a layer has a centre: by ``source``, or the id of a part of its look, the paths of both values."""
    found = {}
    parts: list[tuple[str, str, Any]] = [("source", "source", layer.source)]
    parts += [(one.id, f"look.parts.{one.id}", one) for one in layer.look.parts]
    for name, path, part in parts:
        for across, down in PAIRS:
            bounds = bounds_of(type(part), across) if across in type(part).model_fields else None
            if bounds and bounds.unit == "%" and down in type(part).model_fields:
                found[name] = (f"{path}.{across}", f"{path}.{down}")
    return found


def aimed(
    lies: Lying, layer: Layer, part: str, leader: Layer, tracks: tuple[str, ...]
) -> dict[str, Any]:
    """Values that put a centre of a layer where the middle of some tracks is seen, at each of its frames.

    Raises:
        Problem: it has no centre there, or the tracks are gone.
    """
    paths = centres(layer).get(part)
    if paths is None:
        raise Problem(f"{layer.name} has no centre there that could be aimed. Nothing was changed.")
    size = np.array(lies.size(layer), float)
    places = []
    for frame in range(layer.span.first, layer.span.last + 1):
        points = lies.points_seen(leader, tracks, frame)
        if points is None:
            raise Problem("That track is no longer there. Nothing was changed.")
        whole, moved = lies.matrix(layer, frame), lies.moved(layer, frame)
        whole = whole if moved is None else moved @ whole
        own = mapped(np.asarray(np.linalg.inv(whole), np.float64), points.mean(0)[None])[0]
        places.append(100 * own / size)
    low, high = REACH
    held = np.clip(np.array(places), low, high)
    return {path: thinned(held[:, n].tolist(), NEAR) for n, path in enumerate(paths)}
