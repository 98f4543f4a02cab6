"""From a rough guess to a region that keeps to the picture's edges."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.dividing import crossings, divided_near
from velvet_seam.core.roto.features import features, solve_size
from velvet_seam.core.roto.first import inside_of
from velvet_seam.core.roto.tables import bins, likelier, table

F32 = NDArray[np.float32]

SURE = 0.9
"""From this likelihood on, or from as near to none, a pixel's colour tells what people look like here, or what does not."""

BY_GUESS, BY_COLOUR, MOST = 1.0, 0.25, 3.0
"""How much the guess counts, and the colour; the most that either says."""

SMOOTH = 2.5
"""What an edge costs."""

REACH = 10
"""Pixels from where the guess is undecided within which the edge is looked for."""

DECIDED = 20.0
"""What it costs to decide otherwise beyond."""

LEAST = 0.02
"""Part of the largest region that another must have to count: less is a speck; or a hole to be filled."""


def people(picture: NDArray[np.uint8], likely: F32, least: float = 0.5) -> F32:
    """How far inside people each pixel is, in pixels, below 0 outside: (h, w) float32 at the size of
    :func:`~velvet_seam.core.roto.features.solve_size`.

    Args:
        picture: (h, w, 4) uint8.
        likely: (h', w') float32, 0 to 1, how likely a person is there.
        least: how likely something must be a person, 0 to 1.
    """
    height, width = solve_size(*picture.shape[:2])
    likely = np.asarray(
        cv2.resize(likely, (width, height), interpolation=cv2.INTER_LINEAR), np.float32
    )
    region = likely > least
    if not region.any() or region.all():
        return inside_of(region)
    f = features(picture, (height, width))
    where = bins(f)
    keep, drop = (
        table(where, one.astype(np.float32)) for one in (likely > SURE, likely < 1 - SURE)
    )
    odds = np.log((likely + 1e-3) / (1 - likely + 1e-3)) - np.log(least / (1 - least))
    odds = np.clip(odds, -MOST, MOST)
    r = -(np.float32(BY_GUESS) * odds + np.float32(BY_COLOUR) * likelier(where, keep, drop, MOST))
    deep = inside_of(region)
    r = np.where(np.abs(deep) > REACH, np.where(region, -DECIDED, DECIDED), r).astype(np.float32)
    found = divided_near(r, crossings(f), SMOOTH, region.astype(np.float32), DECIDED)
    return inside_of(without_specks(found))


def without_specks(region: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """A region without parts, and without holes, that are next to nothing beside its largest part."""
    for turned in (False, True):
        count, labels, stats, _ = cv2.connectedComponentsWithStats(
            (region ^ turned).astype(np.uint8), connectivity=4
        )
        if count < 2:
            continue
        areas = stats[1:, cv2.CC_STAT_AREA]
        least = LEAST * max(int(region.sum()), 1)
        small = np.concatenate([[False], areas < least])
        region = region ^ small[labels]
    return np.asarray(region)
