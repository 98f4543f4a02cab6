"""What moves otherwise than the camera does: a first guess of the subject."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.channels import mean_of
from velvet_seam.core.roto.camera import SOME, camera_move
from velvet_seam.core.roto.seen import Seen, flow

F32 = NDArray[np.float32]

LEAST, NOISE = 0.6, 4.0
"""Pixels that something must have moved by, and how many times the median of what is left of the background."""

UNLIKE = 2.5
"""So many times the median difference something must look unlike what the camera would show there: what has no structure
seems to move with whatever is beside it."""


SURE, STEEP = 1.3, 3.0
"""What the camera's movement leaves over where something is as likely to move by itself as not, and how fast that turns."""

TOGETHER = 0.3
"""How much of both together the movement seen from one frame to another is; what is left over of several is the rest."""

APART, ALONE = 5, 2
"""Frames to those it is compared with on either side; where there are none on one side, to the other: what is uncovered
is the less the nearer that is."""


def beside(frame: int, first: int, last: int) -> tuple[int | None, int | None]:
    """The frames that one is compared with, of those from ``first`` to ``last``.

    >>> beside(9, 0, 20), beside(1, 0, 20), beside(0, 0, 0)
    ((4, 14), (None, 3), (None, None))
    """
    if first + APART <= frame <= last - APART:
        return frame - APART, frame + APART
    if frame + ALONE <= last:
        return None, frame + ALONE
    return (frame - ALONE if frame - ALONE >= first else None), None


def moving(here: Seen, before: Seen | None, after: Seen | None) -> F32:
    """How likely each pixel of a frame is part of what moves: (h, w) float32, 0 to 1.

    The movement to every other frame is that of the camera, an affine map which most of the picture agrees on, and what
    is left. What the subject uncovers seems to move in one direction of time only: so of earlier and of later frames
    the one counts in which less is left.

    Args:
        before, after: an earlier and a later frame, where there are; see :func:`beside`.
    """
    sides = [_otherwise(here, one) for one in (before, after) if one is not None]
    if not sides:
        return np.zeros(here.light.shape, np.float32)
    return np.asarray(cv2.GaussianBlur(np.min(sides, axis=0), (0, 0), 1.5), np.float32)


def standing_out(likely: F32, left: F32) -> F32:
    """What moves, and has left its place in other frames: (h, w) float32, 0 to 1.

    Args:
        likely: (h, w) from :func:`moving`.
        left: (h, w) from :func:`~velvet_seam.core.roto.residual.residual`.

    >>> standing_out(np.full((1, 2), 0.5, np.float32), np.full((1, 2), 1.3, np.float32)).round(2).tolist()
    [[0.5, 0.5]]
    """
    gone = 1 / (1 + np.exp(-np.float32(STEEP) * (left - np.float32(SURE))))
    return np.asarray(np.maximum(likely, 0) ** TOGETHER * gone ** (1 - TOGETHER), np.float32)


def _otherwise(here: Seen, there: Seen) -> F32:
    """What neither has moved as the camera has, nor looks as if it had: 0 to 1."""
    way = flow(here, there)
    height, width = way.shape[:2]
    y, x = (one.astype(np.float32) for one in np.mgrid[0:height, 0:width])
    at = np.dstack([x, y])
    found = camera_move(way)
    to = (at @ found[:, :2].T + found[:, 2]).astype(np.float32)
    moved = np.hypot(*np.moveaxis(at + way - to, 2, 0)).astype(np.float32)
    shown = cv2.remap(
        there.f, to[..., 0], to[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    differs = cv2.GaussianBlur(mean_of(np.abs(shown - here.f)), (0, 0), 1.0)
    least = max(LEAST, NOISE * float(np.median(moved[SOME])))
    noise = UNLIKE * max(float(np.median(differs[SOME])), 0.5)
    both = np.clip(moved / least - 0.5, 0, 1) * np.clip(differs / noise - 0.5, 0, 1)
    return np.asarray(both, np.float32)
