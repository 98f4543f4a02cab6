"""The corners of a layer, pulled so that they are seen at given places."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.placement import Matrix
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.warps import mapped
from velvet_seam.core.shot.pins import CORNERS

FARTHEST = 16384
"""Source pixels by which a corner can be pulled."""


def corners_of(size: tuple[float, float]) -> NDArray[np.float64]:
    """Clockwise from the top left, (4, 2), source pixels."""
    width, height = size
    return np.array([(0, 0), (width, 0), (width, height), (0, height)], float)


def mirrored(places: NDArray[np.float64], flip_x: bool, flip_y: bool) -> NDArray[np.float64]:
    """Where the corners of a layer's source are to be seen, for those of the layer, flipped as it is, to be at (4, 2)
    places: what was mirrored stays so.

    >>> mirrored(corners_of((2, 1)), True, False)[0].tolist()
    [2.0, 0.0]
    """
    order = [0, 1, 2, 3]
    if flip_x:
        order = [order[n] for n in (1, 0, 3, 2)]
    if flip_y:
        order = [order[n] for n in (3, 2, 1, 0)]
    return places[order]


def pulls_to(
    plain: Matrix, places: NDArray[np.float64], size: tuple[float, float]
) -> dict[str, float]:
    """By the path of each value, how far the corners of a layer are pulled to be seen at (4, 2) canvas pixels.

    Args:
        plain: from source pixels to canvas pixels, without pins.

    Raises:
        Problem: they would lie across each other, or too far away.
    """
    pulled = mapped(np.asarray(np.linalg.inv(plain), np.float64), places) - corners_of(size)
    if not np.isfinite(pulled).all() or np.abs(pulled).max() > FARTHEST:
        raise Problem("That would turn the layer inside out. Nothing was changed.")
    return {
        f"place.pins.{name}_{way}": round(float(off), 4)
        for name, pair in zip(CORNERS, pulled, strict=True)
        for way, off in zip("xy", pair, strict=True)
    }
