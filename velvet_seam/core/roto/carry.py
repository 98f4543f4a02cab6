"""A region carried from one frame to another, put right by strokes, and mixed between two frames."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.dividing import crossings, divided, divided_near
from velvet_seam.core.roto.first import MARGIN, SURE, Marks, around, inside_of, joined, marked
from velvet_seam.core.roto.geodesic import geodesic
from velvet_seam.core.roto.seen import Seen, flow
from velvet_seam.core.roto.tables import BINS, bins, likelier, table

F32 = NDArray[np.float32]

REACH = 8.0
"""Pixels around the carried edge within which the edge is found anew."""

SMOOTH = 1.6
AROUND = 40
"""Pixels around the edge whose colours tell the subject from what is around it; and how far a stroke reaches."""

SHAPE, MOST_SHAPE = 1.5, 4.0
"""Pixels of depth that count as much as one e-fold of likelihood, and the most that the carried shape says."""

COLOUR = 0.6
COARSER = 4
"""Movement is spread at a size so much smaller."""

DEEP = 60.0
"""Depths are held within so many pixels where two are mixed: far from both edges it does not matter."""


def carried(inside: F32, there: Seen, here: Seen) -> F32:
    """A region of one frame, ``there``, carried to another, ``here``: how far inside each pixel is, in pixels, below 0
    outside, (h, w) float32.

    The subject's movement is that of pixels within it, spread outward: what lies beside its edge moves otherwise.
    """
    if not (inside > 0).any() or (inside > 0).all():
        return inside
    box = around(inside > 0, MARGIN)
    region = np.zeros(inside.shape, bool)
    region[box] = _carried(np.ascontiguousarray(inside[box]), there.within(box), here.within(box))
    return inside_of(
        region
    )  # of all of the frame: what moves far must not run out of what is looked at


def _carried(inside: F32, there: Seen, here: Seen) -> NDArray[np.bool_]:
    way = flow(here, there)
    height, width = inside.shape
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    held = np.clip(inside, -DEEP, DEEP)

    def moved(by: F32) -> F32:
        places = x + by[..., 0], y + by[..., 1]
        return np.asarray(
            cv2.remap(held, *places, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        )

    shape = inside_of(moved(spread_out(way, moved(way) > 1.0)) > 0)
    return _kept_to_edges(shape, _colours(inside, there, here), here)


def spread_out(way: F32, own: NDArray[np.bool_]) -> F32:
    """Movement of what is the subject's own, carried beyond it: means over as little as holds enough of it."""
    height, width = own.shape
    size = (-(-width // COARSER), -(-height // COARSER))
    weight = own.astype(np.float32)
    parts = cv2.resize(
        np.dstack([way * weight[..., None], weight]), size, interpolation=cv2.INTER_AREA
    )
    mean: F32 = np.empty((*parts.shape[:2], 2), np.float32)
    mean[:] = parts[..., :2].reshape(-1, 2).sum(0) / max(float(parts[..., 2].sum()), 1e-6)
    for radius in (6, 2, 1):
        some = cv2.blur(parts, (2 * radius + 1,) * 2, borderType=cv2.BORDER_CONSTANT)
        least = np.float32(0.02)
        mean = np.asarray((some[..., :2] + least * mean) / (some[..., 2:] + least), np.float32)
    wide = cv2.resize(mean, (width, height), interpolation=cv2.INTER_LINEAR)
    return np.asarray(np.where(own[..., None], way, wide), np.float32)


def _colours(inside: F32, there: Seen, here: Seen) -> F32:
    """How much likelier each pixel's colour is the subject's, by what was seen near its edge: (h, w)."""
    where = bins(there.f)
    near = np.abs(inside) < AROUND
    keep, drop = (
        table(where, (near & side).astype(np.float32)) for side in (inside > 1.5, inside < -1.5)
    )
    return likelier(bins(here.f), keep, drop)


def _kept_to_edges(shape: F32, logit: F32, here: Seen) -> NDArray[np.bool_]:
    r = -(np.float32(COLOUR) * logit + np.clip(shape / np.float32(SHAPE), -MOST_SHAPE, MOST_SHAPE))
    r = np.where(np.abs(shape) > REACH, np.where(shape > 0, -SURE, SURE), r).astype(np.float32)
    begin = (shape > 0).astype(np.float32)
    return divided_near(r, crossings(here.f), SMOOTH, begin, SURE)


def corrected(inside: F32, here: Seen, marks: Marks) -> F32:
    """A region put right by strokes: only near them, and only what hangs on them.

    Args:
        inside: (h, w) how far inside the region each pixel is.
        here: the frame.
        marks: the strokes.
    """
    strokes = marks.keep | marks.drop
    if not strokes.any():
        return inside
    where = bins(here.f)
    keep = _either(where, (inside > 1.5) & ~strokes, marks.keep)
    logit = likelier(where, keep, _either(where, (inside < -1.5) & ~strokes, marks.drop))
    likely = np.asarray(cv2.GaussianBlur(1 / (1 + np.exp(-logit)), (0, 0), 1.0), np.float32)
    # as far as a stroke reaches it outweighs what was there: by how near it is along the picture
    away_keep, away_drop = (
        geodesic(likely, one, 1 / AROUND, 1.0) for one in (marks.keep, marks.drop)
    )
    pull = np.clip(1 - away_keep, 0, 1) - np.clip(1 - away_drop, 0, 1)
    shape = np.clip(inside / np.float32(SHAPE), -MOST_SHAPE, MOST_SHAPE)
    strength = np.abs(pull)
    r = -(
        np.float32(COLOUR) * logit * strength
        + shape * (1 - strength)
        + np.float32(2 * MOST_SHAPE) * pull
    )
    r = marked(np.where(strength > 0, r, -shape * 4).astype(np.float32), marks)
    old = np.asarray(inside > 0)
    new = np.asarray(divided(r, crossings(here.f), SMOOTH, old.astype(np.float32)) > 0.5)
    region = (old | _hanging(new & ~old, marks.keep)) & ~_hanging(old & ~new, marks.drop)
    return inside_of(np.asarray((region | marks.keep) & ~marks.drop))


def _either(where: NDArray[np.int32], region: NDArray[np.bool_], stroke: NDArray[np.bool_]) -> F32:
    """Colours of a region and of a stroke in it, half and half; of one where there is no other."""
    both = [table(where, one.astype(np.float32)) for one in (region, stroke) if one.any()]
    return np.asarray(np.mean(both, 0) if both else np.zeros(BINS**3), np.float32)


def _hanging(changed: NDArray[np.bool_], stroke: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """What has changed, as far as it hangs on a stroke."""
    return joined(changed, stroke) if (changed & stroke).any() else np.zeros_like(changed)


def between(before: F32, after: F32, part: float) -> F32:
    """A region between two that were carried to the same frame from either side, ``part`` of the way to the second."""
    a, b = (np.clip(one, -DEEP, DEEP) for one in (before, after))
    return inside_of(np.asarray(a * np.float32(1 - part) + b * np.float32(part) > 0))
