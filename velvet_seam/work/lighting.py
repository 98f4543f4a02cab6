"""The light of a layer brought to another one's, as they lie on the canvas."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.analyse.match import gain_of, lent, matched
from velvet_seam.core.engine.comparing import against
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.shot.shot import Shot
from velvet_seam.work.asks import LightFound, MatchLight

MANY = 216
"""Shorter side at which gains of many frames are measured."""


def light_of(engine: Engine, shot: Shot, ask: MatchLight, short_side: int) -> LightFound:
    """What brings the light of a layer to that of another one."""
    layer, first = shot.layer(ask.layer), ask.frames[0]
    other = against(shot, layer, first, ask.beside)
    if other is None:
        return LightFound(None)

    def pair(frame: int, side: int) -> list[NDArray[np.uint8]]:
        if not layer.span.holds(frame) or not other.span.holds(frame):
            return []
        return [engine.taken(shot, frame, one.id, side).copy() for one in (other, layer)]

    if len(ask.frames) > 1:
        several = (pair(frame, MANY) for frame in ask.frames)
        gains = [gain_of(one[0], one[1], _shown(*one)) if one else None for one in several]
        return LightFound(other.id, gains=tuple(gains))
    both = pair(first, short_side)
    if not both:
        return LightFound(other.id)
    if ask.lend:
        found = lent(both[0], both[1], both[0][..., 3] == 255, both[1][..., 3] == 255)
        given = None if found is None else (tuple(found[0].tolist()), tuple(found[1].tolist()))
        return LightFound(other.id, lent=given)
    return LightFound(other.id, matched(both[0], both[1], _shown(*both)))


def _shown(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> NDArray[np.bool_]:
    return np.asarray((one[..., 3] == 255) & (other[..., 3] == 255))
