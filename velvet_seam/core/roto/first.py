"""The region that strokes ask for, on one frame: what is kept, found from colours seen under the strokes, from how near
a pixel is to either kind of stroke, and from the edges of the picture."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.dividing import crossings, divided, divided_near
from velvet_seam.core.roto.geodesic import FAR, geodesic
from velvet_seam.core.roto.moved import Levels, level_table, levels, likelier_by_level
from velvet_seam.core.roto.tables import bins, likelier, table

F32 = NDArray[np.float32]
Where = NDArray[np.bool_]

ROUNDS = 3
"""In which the tables of colours learn from the region found, and the region is found anew."""

SURE = 20.0
"""What it costs to decide against a stroke."""

COLOUR, NEAR, LATER = 0.5, 4.0, 0.6
"""How much a colour counts, and how near a pixel is to the strokes: that for less once there is a region."""

LEARNT = 0.7
"""How much the region says of what colours there are; the strokes say the rest."""

MOVED, MOVED_LEARNT = 0.7, 0.3
"""How much it counts what the camera's movement leaves over, and how much the region says of what that is."""

SMOOTH, FINE = 2.0, 1.6
"""What an edge costs, at half the size and in the band."""

BAND = 4.0
"""Pixels around the edge found at half the size in which it is found anew."""

SHAPE, MOST_SHAPE = 3.0, 4.0
"""Pixels of depth that count as much as one e-fold of likelihood there, and the most that they say."""

HOLE = 0.02
"""Part of the region that a hole in it must have to stay one by itself."""

MARGIN = 64
"""Pixels around a region that are looked at: it moves by less from one frame to the one after the next."""

FLAT, STEEP = 0.005, 1.0
"""What a pixel of way costs, and a difference of likelihood from nothing to certain."""


@dataclass(frozen=True)
class Marks:
    """Where strokes keep and drop, (h, w) bool each; a pixel under both is under neither."""

    keep: Where
    drop: Where

    @classmethod
    def of(cls, keep: Where, drop: Where) -> Marks:
        both = keep & drop
        return cls(keep & ~both, drop & ~both)

    def halved(self) -> Marks:
        height, width = self.keep.shape
        size = (max(1, width // 2), max(1, height // 2))

        def half(plane: Where) -> Where:
            return cv2.resize(plane.astype(np.float32), size, interpolation=cv2.INTER_AREA) >= 0.25

        return Marks.of(half(self.keep), half(self.drop))


def found(
    f: F32, marks: Marks, guess: F32 | None = None, moved: NDArray[np.uint8] | None = None
) -> F32:
    """The region that strokes ask for.

    Args:
        f: (h, w, 3) what is compared, from :func:`~velvet_seam.core.roto.features.features`.
        marks: the strokes, at the same size.
        guess: (h, w) 0 to 1, how likely each pixel is the subject's, if something has guessed it.
        moved: (h, w) what the camera's movement leaves over of each pixel, from
            :func:`~velvet_seam.core.roto.moved.coded`, if other frames were looked at.

    Returns:
        (h, w) float32: how far inside the region each pixel is, in pixels; below 0 outside it.
    """
    height, width = f.shape[:2]
    if not marks.keep.any() and guess is None:
        return np.full((height, width), -FAR, np.float32)
    half = marks.halved()
    size = half.keep.shape[::-1]

    def small(plane: NDArray[Any]) -> NDArray[Any]:
        return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA), plane.dtype)

    hint = None if guess is None else small(guess)
    by_itself = None if moved is None else levels(small(moved))
    region, keep, drop = _coarse(small(f), half, hint, by_itself)
    inside = cv2.resize(inside_of(region), (width, height), interpolation=cv2.INTER_LINEAR) * 2
    logit = likelier(bins(f), keep, drop)
    r = -(np.float32(COLOUR) * logit + np.clip(inside / np.float32(SHAPE), -MOST_SHAPE, MOST_SHAPE))
    r = np.where(np.abs(inside) > BAND, np.where(inside > 0, -SURE, SURE), r).astype(np.float32)
    begin = (inside > 0).astype(np.float32)
    fine = divided_near(marked(r, marks), crossings(f), FINE, begin, SURE)
    return inside_of(filled(joined(fine, marks.keep), marks.drop))


def _coarse(
    f: F32, marks: Marks, guess: F32 | None, moved: Levels | None
) -> tuple[Where, F32, F32]:
    """The region at half the size, and the tables of colours of either side."""
    where, cross = bins(f), crossings(f)
    around = marks.drop if marks.drop.any() else _border(marks.keep)
    strokes = marks.keep, around
    own = _seen_in(table, where, strokes)
    own_moved = None if moved is None else _seen_in(level_table, moved, strokes)
    region = None if guess is None else np.asarray(guess > 0.5)
    for n in range(ROUNDS):
        sides = None if region is None or not region.any() or region.all() else (region, ~region)
        keep, drop = _mixed(own, sides and _seen_in(table, where, sides), LEARNT)
        logit = likelier(where, keep, drop)
        r = -np.float32(COLOUR) * logit
        if moved is not None and own_moved is not None and marks.keep.any():
            both = _mixed(own_moved, sides and _seen_in(level_table, moved, sides), MOVED_LEARNT)
            r -= np.float32(MOVED) * likelier_by_level(moved, *both)
        if guess is not None:
            r -= np.float32(NEAR) * (guess - np.float32(0.5))
        if marks.keep.any():
            near = nearness(logit, marks.keep, around)
            r -= np.float32(NEAR * (LATER if n or guess is not None else 1)) * (
                near - np.float32(0.5)
            )
        region = divided(marked(r, marks), cross, SMOOTH) > 0.5
        region = joined(region, marks.keep)
    assert region is not None  # there is at least one round
    return region, keep, drop


def _seen_in(
    table_of: Callable[[NDArray[np.int32], F32], F32],
    where: NDArray[np.int32],
    sides: tuple[Where, Where],
) -> tuple[F32, F32]:
    keep, drop = (table_of(where, one.astype(np.float32)) for one in sides)
    return keep, drop


def _mixed(
    strokes: tuple[F32, F32], region: tuple[F32, F32] | None, part: float
) -> tuple[F32, F32]:
    """What is seen under the strokes of either side, and, for some part of it, in and around the region."""
    if region is None:
        return strokes
    keep, drop = (
        new if not old.any() else np.float32(part) * new + np.float32(1 - part) * old
        for new, old in zip(region, strokes, strict=True)
    )
    return keep, drop


def _border(keep: Where) -> Where:
    """Where nothing is dropped, the border of the picture is taken for what lies around, but near what is kept."""
    ring = np.ones_like(keep)
    ring[2:-2, 2:-2] = False
    near = cv2.dilate(keep.astype(np.uint8), np.ones((15, 15), np.uint8)) > 0
    return ring & ~near


def nearness(logit: F32, keep: Where, drop: Where) -> F32:
    """How near each pixel is to what is kept rather than to what is dropped, along the picture: (h, w), 1 to 0."""
    likely = np.asarray(cv2.GaussianBlur(1 / (1 + np.exp(-logit)), (0, 0), 1.0), np.float32)
    to_keep, to_drop = (geodesic(likely, one, FLAT, STEEP) for one in (keep, drop))
    return np.asarray(to_drop / np.maximum(to_keep + to_drop, 1e-6), np.float32)


def marked(r: F32, marks: Marks) -> F32:
    """What it costs to belong to the region, where the strokes have said it."""
    return np.where(marks.keep, -SURE, np.where(marks.drop, SURE, r)).astype(np.float32)


def joined(region: Where, keep: Where) -> Where:
    """The parts of a region that hang on something that was kept; all of it where nothing was."""
    if not (region & keep).any():
        return region
    _, labels = cv2.connectedComponents(region.astype(np.uint8), connectivity=4)
    good = np.unique(labels[region & keep])
    return np.isin(labels, good[good > 0])


def filled(region: Where, drop: Where) -> Where:
    """A region without its small holes, but for those that were dropped: an eye is part of its face."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(
        (~region).astype(np.uint8), connectivity=4
    )
    small = np.append(stats[:, cv2.CC_STAT_AREA] < HOLE * max(int(region.sum()), 1), False)[:count]
    edges = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
    small[0] = False
    small[edges] = False
    small[labels[drop]] = False
    return np.asarray(region | small[labels])


def inside_of(region: Where) -> F32:
    """How far each pixel is inside a region, in pixels, below 0 outside it; the edge lies between them. Of what is
    farther than 64 pixels from it only that is said.

    >>> inside_of(np.array([[False, False, True, True]])).tolist()
    [[-1.5, -0.5, 0.5, 1.5]]
    """
    if not region.any() or region.all():
        return np.full(region.shape, FAR if region.any() else -FAR, np.float32)
    out = np.full(region.shape, -MARGIN, np.float32)
    box = around(region, MARGIN)
    part = np.ascontiguousarray(region[box])
    plane = part.astype(np.uint8)
    within = cv2.distanceTransform(plane, cv2.DIST_L2, cv2.DIST_MASK_5)
    beyond = cv2.distanceTransform(1 - plane, cv2.DIST_L2, cv2.DIST_MASK_5)
    out[box] = np.where(part, within - 0.5, 0.5 - beyond)
    return out


def around(region: Where, margin: int) -> tuple[slice, slice]:
    """The smallest rectangle that holds a region, and so many pixels around it."""
    rows, columns = (np.flatnonzero(region.any(axis)) for axis in (1, 0))
    return (
        slice(max(int(rows[0]) - margin, 0), int(rows[-1]) + 1 + margin),
        slice(max(int(columns[0]) - margin, 0), int(columns[-1]) + 1 + margin),
    )
