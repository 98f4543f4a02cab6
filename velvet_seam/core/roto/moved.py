"""How likely what the camera's movement leaves over of a pixel is the subject's: tables of it seen in the subject and around
it, as of colours (:mod:`~velvet_seam.core.roto.tables`). Whether the subject moves, what lies around it does, or neither, the
strokes say."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.residual import LEAST, MOST, residual
from velvet_seam.core.roto.seen import Seen

F32 = NDArray[np.float32]
Levels = NDArray[np.int32]

LEVELS, CODES = 10, 250
"""Equal steps of what is left over, and finer ones in which it is kept."""

WIDE = 0.8
"""Levels over which what is seen is smoothed."""

UNKNOWN = 0.04
"""Part of either side that any level is, seen or not: few pixels lie under a stroke."""

MOST_LIKELY = 3.0
"""The logarithm of how much likelier it is, at the most."""


def coded(left: F32) -> NDArray[np.uint8]:
    """What is left over, from :func:`~velvet_seam.core.roto.residual.residual`, in bytes: 0 to 250.

    >>> coded(np.array([-1.5, 0.0, 3.5], np.float32)).tolist()
    [0, 75, 250]
    """
    part = (left - np.float32(LEAST)) / np.float32(MOST - LEAST)
    return np.rint(np.clip(part, 0, 1) * np.float32(CODES)).astype(np.uint8)


def looked(here: Seen, before: list[Seen], after: list[Seen]) -> Seen:
    """A frame with what the camera's movement leaves over, beside earlier and later ones, nearest first."""
    return replace(here, moved=coded(residual(here, before, after)))


def levels(code: NDArray[np.uint8]) -> Levels:
    """The level of each pixel of what is left over, from :func:`coded`.

    >>> levels(np.array([0, 75, 106, 250], np.uint8)).tolist()
    [0, 3, 4, 9]
    """
    return np.minimum(code // np.uint8(CODES // LEVELS), LEVELS - 1).astype(np.int32)


def level_table(where: Levels, weight: F32) -> F32:
    """How often each level is seen, as a part of all, smoothed: (LEVELS,) float32; 0 where nothing counts."""
    seen = np.bincount(where.ravel(), weight.ravel(), LEVELS).astype(np.float32)[None]
    smooth = cv2.GaussianBlur(seen, (5, 1), sigmaX=WIDE, borderType=cv2.BORDER_REPLICATE)[0]
    return np.asarray(smooth / np.float32(smooth.sum() or 1), np.float32)


def likelier_by_level(where: Levels, keep: F32, drop: F32) -> F32:
    """How much likelier each pixel's level is in the subject than around it: the logarithm, (h, w) float32.

    >>> where = np.array([[0, 9]], np.int32)
    >>> sides = [level_table(where, np.array([[a, 1 - a]], np.float32)) for a in (0, 1)]
    >>> likelier_by_level(where, *sides).round(1).astype(float).round(1).tolist()
    [[-3.0, 3.0]]
    """
    ratio = np.log((keep + np.float32(UNKNOWN)) / (drop + np.float32(UNKNOWN)))
    return np.asarray(np.clip(ratio, -MOST_LIKELY, MOST_LIKELY)[where], np.float32)
