"""Two layers lined up as they lie on the canvas."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.engine.comparing import against
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.register.in_place import line_up, moves
from velvet_seam.core.register.warps import apart, scaled
from velvet_seam.core.shot.shot import Shot
from velvet_seam.work.asks import Lines, LineUp

FINE_SHORT_SIDE = 1080
"""A line-up of larger canvases is measured at this short side: to a hundredth of its pixels."""


def lines_of(engine: Engine, shot: Shot, ask: LineUp, short_side: int) -> Lines:
    """How a layer lies off another one, measured on their pictures at a short side."""
    layer = shot.layer(ask.layer)
    other = against(shot, layer, ask.frame, ask.beside)
    if other is None or not layer.span.holds(ask.frame) or not other.span.holds(ask.frame):
        return Lines(None if other is None else other.id, why="absent")
    pictures = [engine.taken(shot, ask.frame, one.id, short_side).copy() for one in (other, layer)]
    (first, shown), (second, other_shown) = (_grey(one) for one in pictures)
    found = line_up(first, second, ask.model, shown, other_shown)
    per = first.shape[1] / shot.canvas.width
    warp = found.rough if found.warp is None else found.warp
    if warp is None:
        return Lines(other.id, why=found.why, agrees=found.agrees)
    size = shot.canvas.width, shot.canvas.height
    change = scaled(np.asarray(np.linalg.inv(warp), np.float64), 1 / per)
    _, turned, grown = moves(warp, (first.shape[1], first.shape[0]))
    return Lines(
        other.id, tuple((change / change[2, 2]).ravel().tolist()), found.why, apart(change, np.eye(3), size), turned,
        grown, found.residual / per, found.agrees,
    )  # fmt: skip


def _grey(picture: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """A picture's brightness, and where it shows something wholly."""
    grey = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGBA2GRAY), np.uint8)
    return grey, np.where(picture[..., 3] == 255, 255, 0).astype(np.uint8)
