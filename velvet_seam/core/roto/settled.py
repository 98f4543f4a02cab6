"""A region whose edge lies between pixels.

What is told by whole pixels alone is wrong by up to half of one, and anew at each step of a way: a cable that is three
pixels wide has worn away after a dozen. So beside the region of whole pixels it is known, near its edge, where between
two of them that lies.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.first import inside_of

F32 = NDArray[np.float32]
Where = NDArray[np.bool_]

PARTS = 64
"""Parts of a pixel that are told apart."""

NEAR = 3.0
"""Pixels from the edge within which they are."""


def settled(region: Where, shape: F32) -> F32:
    """How far inside a region each pixel is, with the edge between two of them where it is in another region like it.

    Args:
        region: (h, w) the pixels that are inside.
        shape: (h, w) float32, how far inside the other each pixel is.

    >>> settled(np.array([[False, True]]), np.array([[-0.75, 0.25]], np.float32)).tolist()
    [[-0.75, 0.25]]
    """
    whole = inside_of(region)
    off = np.clip(np.rint((shape - whole) * np.float32(PARTS)), -PARTS // 2, PARTS // 2)
    # what is inside stays so
    off = np.where(region, np.maximum(off, 1 - PARTS // 2), np.minimum(off, PARTS // 2 - 1))
    return _moved(whole, off[_near(whole)].astype(np.int8))


def offsets(inside: F32, region: Where) -> NDArray[np.int8]:
    """By how many parts of a pixel the edge lies elsewhere than between whole ones, of every pixel near it, in their order."""
    whole = inside_of(region)
    near = _near(whole)
    return np.rint((inside[near] - whole[near]) * np.float32(PARTS)).astype(np.int8)


def edged(region: Where, off: NDArray[np.int8]) -> F32:
    """The region again of which these were the :func:`offsets`.

    Raises:
        ValueError: for those of another.
    """
    whole = inside_of(region)
    if int(_near(whole).sum()) != off.size:
        raise ValueError("no edge of this region")
    return _moved(whole, off)


def _near(whole: F32) -> Where:
    return np.asarray(np.abs(whole) <= NEAR)


def _moved(whole: F32, off: NDArray[np.int8]) -> F32:
    out = whole.copy()
    out[_near(whole)] += off * np.float32(1 / PARTS)
    return out
