"""The light of a layer brought to another one's, as they lie on the canvas."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.analyse.match import lent, matched
from velvet_seam.core.engine.comparing import against
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.shot.shot import Shot
from velvet_seam.work.asks import LightFound, MatchLight


def light_of(engine: Engine, shot: Shot, ask: MatchLight, short_side: int) -> LightFound:
    """What brings the light of a layer to that of another one."""
    layer = shot.layer(ask.layer)
    other = against(shot, layer, ask.frame, ask.beside)
    if other is None:
        return LightFound(None)
    if not (layer.span.holds(ask.frame) and other.span.holds(ask.frame)):
        return LightFound(other.id)
    both = [engine.taken(shot, ask.frame, one.id, short_side).copy() for one in (other, layer)]
    if ask.lend:
        found = lent(both[0], both[1], both[0][..., 3] == 255, both[1][..., 3] == 255)
        given = None if found is None else (tuple(found[0].tolist()), tuple(found[1].tolist()))
        return LightFound(other.id, lent=given)
    return LightFound(other.id, matched(both[0], both[1], shown_by_both(both[0], both[1])))


def shown_by_both(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> NDArray[np.bool_]:
    """Where two pictures with coverage both show something wholly."""
    return np.asarray((one[..., 3] == 255) & (other[..., 3] == 255))
