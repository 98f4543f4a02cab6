"""A region carried from one frame to another, put right by strokes, and mixed between two frames."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.dividing import crossings, divided, divided_near
from velvet_seam.core.roto.first import MARGIN, SURE, Marks, around, joined, marked
from velvet_seam.core.roto.geodesic import geodesic
from velvet_seam.core.roto.motion import motion
from velvet_seam.core.roto.moved import levels, likelier_by_level
from velvet_seam.core.roto.network import layers, likely
from velvet_seam.core.roto.seen import Seen
from velvet_seam.core.roto.settled import settled
from velvet_seam.core.roto.tables import BINS, bins, likelier, table
from velvet_seam.core.roto.telling import Sample, facts, sample

F32 = NDArray[np.float32]

SMOOTH = 1.6
"""What an edge costs."""

MOST = 8.0
"""The most that is said of a pixel near the edge."""

MOVED = 0.5
"""How much it counts what the camera's movement leaves over, beside what the network makes of all else."""

LEAST_REACH, MOST_REACH, DEEPER, LONGER = 6.0, 40.0, 1.5, 2.0
"""How far a stroke reaches, in pixels: at the least, at the most, and more for each pixel that it lies deep in what is
wrong, but no more than that for each pixel that it is long: a dot on a thin thing far away is that alone."""

MANY = 64
"""So many strokes of a kind are not looked at one by one, which takes some thousandths of a second each, but as one."""

SHAPE, MOST_SHAPE = 1.5, 4.0
"""Pixels of depth that count as much as one e-fold of likelihood, and the most that the carried shape says."""

COLOUR = 0.6
"""How much colours count beside that where a stroke reaches."""

DEEP = 60.0
"""Depths are held within so many pixels where they are moved or mixed: far from an edge they do not matter."""


def carried(inside: F32, there: Seen, here: Seen, painted: Sample) -> F32:
    """A region of one frame, ``there``, carried to another, ``here``: how far inside each pixel is, in pixels, below 0
    outside, (h, w) float32. ``painted`` is the frame on which it was painted.

    The subject's movement is that of pixels within it, spread outward: what lies beside its edge moves otherwise.
    """
    if not (inside > 0).any() or (inside > 0).all():
        return inside
    box = around(inside > 0, MARGIN)
    there, here = there.within(box), here.within(box)
    before, f = sample(np.ascontiguousarray(inside[box]), there), here.f
    shape, way = moved(before.inside, there, here)
    near, told = facts(shape, way, before, painted, f)
    said = likely(layers("telling"), told)
    if here.moved is not None and painted.moves is not None:
        by_itself = likelier_by_level(levels(here.moved), *painted.moves)
        said = said + np.float32(MOVED) * by_itself[near]
    part = kept_to_edges(shape, near, said, f)
    return whole_frame(part, shape, box, inside.shape)


def whole_frame(
    part: NDArray[np.bool_], shape: F32, box: tuple[slice, slice], size: tuple[int, ...]
) -> F32:
    """How far inside a region each pixel of a frame is, of which only a box was looked at: of all of the frame, for what
    moves far must not run out of what is looked at next.

    Args:
        part: the region in the box.
        shape: how far inside the carried one each pixel of the box is.
        box: rows and columns.
        size: height and width of the frame.
    """
    region, wide = np.zeros(size, bool), np.full(size, -DEEP, np.float32)
    region[box], wide[box] = part, shape
    return settled(region, wide)


def moved(inside: F32, there: Seen, here: Seen) -> tuple[F32, F32]:
    """A region as its subject has moved: how far inside it each pixel is, and how far from it that was, (h, w, 2)."""
    way = motion(inside, there, here)
    height, width = inside.shape
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    held = np.clip(inside, -DEEP, DEEP)
    shape = cv2.remap(
        held, x + way[..., 0], y + way[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
    )
    return settled(np.asarray(shape > 0), np.asarray(shape, np.float32)), way


def kept_to_edges(shape: F32, near: NDArray[np.bool_], likelier: F32, f: F32) -> NDArray[np.bool_]:
    """The region that is found anew near the edge of a carried one.

    Args:
        shape: (h, w) how far inside it each pixel is.
        near: (h, w) the pixels that may change.
        likelier: (n,) of each of them how much likelier it is that it is the subject's, as a logarithm.
        f: (h, w, 3) what is compared of the frame.
    """
    r = np.where(shape > 0, -SURE, SURE).astype(np.float32)
    r[near] = -np.clip(likelier, -MOST, MOST)
    return divided_near(r, crossings(f), SMOOTH, (shape > 0).astype(np.float32), SURE)


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
    pull = pulled(likely, marks.keep, -inside) - pulled(likely, marks.drop, inside)
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
    return settled(np.asarray((region | marks.keep) & ~marks.drop), inside)


def pulled(likely: F32, strokes: NDArray[np.bool_], wrong: F32) -> F32:
    """How much each pixel is drawn to the side of some strokes, (h, w) 0 to 1: the less the farther it is from them along the
    picture. A stroke reaches the farther the deeper it lies in what is on the other side, and the longer it is: for so large
    is what is wrong.

    Args:
        likely: (h, w) along what it reaches, 0 to 1.
        strokes: (h, w) their pixels.
        wrong: (h, w) how deep each pixel lies on the other side, in pixels.
    """
    out = np.zeros(strokes.shape, np.float32)
    count, labels = cv2.connectedComponents(strokes.astype(np.uint8), connectivity=8)
    if count > MANY:
        count, labels = 2, strokes.astype(np.int32)
    for n in range(1, count):
        one = labels == n
        rows, columns = np.nonzero(one)
        long = float(np.hypot(np.ptp(rows), np.ptp(columns)))
        far = min(DEEPER * max(float(wrong[one].max()), 0.0), LONGER * long)
        reach = min(LEAST_REACH + far, MOST_REACH)
        box = around(one, int(reach) + 1)
        away = geodesic(
            np.ascontiguousarray(likely[box]), np.ascontiguousarray(one[box]), 1 / reach, 1.0
        )
        out[box] = np.maximum(out[box], np.clip(1 - away, 0, 1))
    return out


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
    mixed = np.asarray(a * np.float32(1 - part) + b * np.float32(part), np.float32)
    return settled(np.asarray(mixed > 0), mixed)
