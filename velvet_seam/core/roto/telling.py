"""Which pixels near the edge of a carried region are the subject's: what tells it, and a small network that weighs that.

Colour tells, and where like places were in the frame before and in the painted one; and the shape that was carried. Each
misleads somewhere: a colour that is on both sides, a place that was hidden, a shape that bends. How much each counts where
was learnt from many films of things whose coverage is known. The network's numbers are in ``telling.npz``; ``python -m
bench.fit_telling`` finds them anew. That what was said of one frame is kept beside what was found in the last is what keeps
a carried region from straying (S. W. Oh et al., *Video Object Segmentation using Space-Time Memory Networks*, 2019).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.first import MARGIN, around
from velvet_seam.core.roto.likeness import Search, nearest, signs, steepness
from velvet_seam.core.roto.moved import level_table, levels
from velvet_seam.core.roto.places import shown_at
from velvet_seam.core.roto.seen import Seen
from velvet_seam.core.roto.tables import bins, likelier, table

F32 = NDArray[np.float32]

REACH = 8.0
"""Pixels around the carried edge within which the edge is found anew."""

AROUND = 40
"""Pixels around the edge whose colours tell the subject from what is around it."""

BESIDE = 10.0
"""Pixels beside the edge in which it is asked what the camera's movement leaves over."""

NAMES = (
    "depth", "side", "thickness", "edge", "mismatch",
    "colour", "colour around", "likeness", "likeness around", "strangeness",
    "painted colour", "painted colour around", "painted likeness", "painted likeness around", "painted strangeness",
)  # fmt: skip
"""What is told of a pixel, in its order."""

FACTS = len(NAMES)

BEFORE, PAINTED = Search(6, 2), Search(20, 3)
"""Where like places are looked for in the frame before, whose movement is known; and in the painted one, where only how
its middle has moved is."""


@dataclass(frozen=True)
class Sample:
    """A frame whose region is known, as far as it is looked at to tell other frames by it.

    ``inside``: (h, w) how far inside the region each pixel is; ``signs``: (h, w, 8); ``keep`` and ``drop``: the tables of
    colours near the edge within it and around it; ``middle``: column and row of the middle of the region; ``moves``, where
    other frames were looked at: the tables of what the camera's movement leaves over, within and around it.
    """

    inside: F32
    signs: F32
    keep: F32
    drop: F32
    middle: tuple[float, float]
    moves: tuple[F32, F32] | None = None

    @property
    def nbytes(self) -> int:
        return sum(one.nbytes for one in (self.inside, self.signs, self.keep, self.drop))


def sample(inside: F32, look: Seen) -> Sample:
    """What tells by a frame whose region is known: (h, w), in pixels inside it."""
    f = look.f
    where = bins(f)
    near = np.abs(inside) < AROUND
    keep, drop = (
        table(where, (near & side).astype(np.float32)) for side in (inside > 1.5, inside < -1.5)
    )
    return Sample(
        np.ascontiguousarray(inside, np.float32), signs(f), keep, drop, middle(inside),
        _moves(inside, look),
    )  # fmt: skip


def _moves(inside: F32, look: Seen) -> tuple[F32, F32] | None:
    """What the camera's movement leaves over beside the edge of a region, within it and around it."""
    if look.moved is None:
        return None
    where, near = levels(look.moved), np.abs(inside) < BESIDE
    within, beyond = (
        level_table(where, (near & side).astype(np.float32)) for side in (inside > 0, inside <= 0)
    )
    return within, beyond


def painted_sample(inside: F32, look: Seen) -> Sample:
    """The same of a painted frame, of which only what lies around the region is kept."""
    if not (inside > 0).any():
        return sample(inside, look)
    box = around(inside > 0, MARGIN)
    return sample(np.ascontiguousarray(inside[box]), look.within(box))


def middle(inside: F32) -> tuple[float, float]:
    """Column and row of the middle of a region; 0, 0 of none.

    >>> middle(np.array([[-1, -1, -1], [-1, 1, 1]], np.float32))
    (1.5, 1.0)
    """
    rows, columns = np.nonzero(inside > 0)
    return (float(columns.mean()), float(rows.mean())) if rows.size else (0.0, 0.0)


def facts(
    shape: F32, way: F32, before: Sample, painted: Sample, f: F32
) -> tuple[NDArray[np.bool_], F32]:
    """What is told of the pixels near an edge.

    Args:
        shape: (h, w) how far inside the carried region each pixel is.
        way: (h, w, 2) how far from each pixel it was in the frame before, if it is the subject's.
        before: the frame before, of the same size.
        painted: the painted frame.
        f: (h, w, 3) what is compared of the frame.

    Returns:
        (h, w) which pixels are told of, and (n, :data:`FACTS`) what, each within about ± 1.
    """
    near = np.abs(shape) <= REACH
    rows, columns = np.nonzero(near)
    own, where = signs(f), bins(f)

    def told_by(one: Sample, to: tuple[F32, F32], search: Search) -> list[F32]:
        colour = likelier(where, one.keep, one.drop) / np.float32(3)
        off, on = nearest((rows, columns), own, one.signs, one.inside, to, search)
        like: F32 = np.zeros(shape.shape, np.float32)
        like[near] = (off - on) / (off + on + np.float32(3))
        strange = np.tanh(np.minimum(off, on) / np.float32(20))
        return [
            colour[near], cv2.blur(colour, (5, 5))[near], like[near], cv2.blur(like, (5, 5))[near], strange,
        ]  # fmt: skip

    moved = [place[near] + np.float32(to - at) for place, to, at in zip(
        np.meshgrid(np.arange(shape.shape[1], dtype=np.float32), np.arange(shape.shape[0], dtype=np.float32)),
        painted.middle, middle(shape), strict=True,
    )]  # fmt: skip
    came = rows + way[..., 1][near], columns + way[..., 0][near]
    steep = steepness(f)[near]
    steep = steep / (steep.mean() + np.float32(1e-3)) if rows.size else steep
    thick = cv2.dilate(shape, np.ones((13, 13), np.uint8))
    return near, np.stack(
        [
            shape[near] / np.float32(REACH), np.tanh(shape[near]), np.clip(thick[near], 0, 16) / np.float32(16),
            np.tanh(steep / 2), mismatch(own, before.signs, (rows, columns), came),
            *told_by(before, came, BEFORE),
            *told_by(painted, (moved[1], moved[0]), PAINTED),
        ], 1, dtype=np.float32,
    )  # fmt: skip


def mismatch(
    own: F32, there: F32, at: tuple[NDArray[np.int64], NDArray[np.int64]], came: tuple[F32, F32]
) -> F32:
    """How unlike what it was each pixel looks if it is the subject's: (n,) 0 to 1.

    Args:
        own: (h, w, 8) the signs of the frame.
        there: (h, w, 8) those of the frame before.
        at: rows and columns of the pixels.
        came: their rows and columns in the frame before.
    """
    was = shown_at(np.ascontiguousarray(there[..., 3:6]), came[1], came[0])
    return np.asarray(np.tanh(np.abs(own[at][:, 3:6] - was).sum(1) / np.float32(20)), np.float32)
