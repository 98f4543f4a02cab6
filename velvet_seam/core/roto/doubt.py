"""How doubtful a region is that has been carried to a frame: whether a person should look at it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.carry import carried
from velvet_seam.core.roto.seen import Seen
from velvet_seam.core.roto.telling import Sample

F32 = NDArray[np.float32]
Where = NDArray[np.bool_]

LOOK = 0.052
"""A doubt above which a frame is to be looked at: about a twentieth of the region is wrong there by then. Chosen on 798
frames of 42 made clips of fourteen subjects (``bench/roto_doubt.py``)."""

KEPT = 0.8
"""How much is left of a stray after a step: the edge is found anew in every one, so that it does not stray for ever.
Chosen on the same frames."""

APART, UNSURE = 2.12, 0.2
"""What counts of a region mixed of two that were carried from either side, and how many pixels along its edge are unsure at
any rate: chosen on 1,008 frames of those clips and of fourteen more in which half of the subject swings."""


def strayed(
    inside: F32, there: Seen, to: F32, here: Seen, painted: Sample, before: float = 0.0
) -> float:
    """How far a region has strayed, in pixels along its edge, with what is left of all that it had strayed before.

    What was carried from one frame to the next is carried back. Where it does not come back to what it was, something was
    followed that is not there in both: the measure of Z. Kalal et al. (2010) for points, taken for an edge.

    Args:
        inside: (h, w) the region in the frame ``there``.
        to: (h, w) the region that it was carried to, in the frame ``here``.
        painted: the frame on which it was painted.
        before: the same of the step before, 0 at a painted frame.
    """
    back = carried(to, here, there, painted) > 0
    return KEPT * before + float((back != (inside > 0)).sum()) / max(edge(to > 0), 1)


def doubt(inside: F32, far: float) -> float:
    """The doubt of a region that has strayed so many pixels: what that is of its area; of what is thin much is wrong as soon
    as its edge is.

    >>> inside = np.full((9, 9), -1, np.float32)
    >>> inside[2:7, 2:7] = 1
    >>> doubt(inside, 0.5)
    0.4
    """
    region = inside > 0
    return min(far * edge(region) / max(int(region.sum()), 1), 1.0) if region.any() else 1.0


def apart(shown: F32, one: F32, other: F32) -> float:
    """The doubt of a region that is mixed of two, carried from painted frames on either side: how much it differs from the
    nearer of them. Where one of the two was followed well the mixture lies close to it, wherever the other has gone. Of what
    is thin, more is wrong for the same difference; where nothing differs, nothing is doubted.
    """
    least = min(_differ(shown, one), _differ(shown, other))
    region = shown > 0
    thin = edge(region) / max(int(region.sum()), 1)
    return min(APART * float(np.sqrt(least * (least + UNSURE * thin))), 1.0)


def _differ(one: F32, other: F32) -> float:
    """The part of two regions that lies in only one of them."""
    a, b = one > 0, other > 0
    return float((a != b).sum()) / max(float((a | b).sum()), 1.0)


def edge(region: Where) -> int:
    """How long the edge of a region is: sides of pixels between what is in it and what is not."""
    return int((region[:, 1:] != region[:, :-1]).sum() + (region[1:] != region[:-1]).sum())
