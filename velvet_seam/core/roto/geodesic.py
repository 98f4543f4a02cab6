"""Distances along a picture: how far a pixel is from a stroke by the way that crosses the least of what differs.

By sweeps over the picture in turn (P. Toivanen, 1996; as used for strokes by X. Bai and G. Sapiro, 2007).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

F32 = NDArray[np.float32]

SWEEPS = 2
"""Each there and back: ways that wind back and forth more often are rare."""

FAR = 1e6


@kernel()
def _swept(plane, out, flat, steep, sweeps):
    """``flat`` is what a pixel of way costs at least, ``steep`` what a difference of 1 costs."""
    height, width = plane.shape
    long = np.float32(1.41421356)
    for _ in range(sweeps):
        for y in range(height):
            for x in range(width):
                best, here = out[y, x], plane[y, x]
                if x > 0:
                    best = min(best, out[y, x - 1] + flat + steep * abs(here - plane[y, x - 1]))
                if y > 0:
                    best = min(best, out[y - 1, x] + flat + steep * abs(here - plane[y - 1, x]))
                    if x > 0:
                        best = min(
                            best,
                            out[y - 1, x - 1]
                            + flat * long
                            + steep * abs(here - plane[y - 1, x - 1]),
                        )
                    if x + 1 < width:
                        best = min(
                            best,
                            out[y - 1, x + 1]
                            + flat * long
                            + steep * abs(here - plane[y - 1, x + 1]),
                        )
                out[y, x] = best
        for y in range(height - 1, -1, -1):
            for x in range(width - 1, -1, -1):
                best, here = out[y, x], plane[y, x]
                if x + 1 < width:
                    best = min(best, out[y, x + 1] + flat + steep * abs(here - plane[y, x + 1]))
                if y + 1 < height:
                    best = min(best, out[y + 1, x] + flat + steep * abs(here - plane[y + 1, x]))
                    if x + 1 < width:
                        best = min(
                            best,
                            out[y + 1, x + 1]
                            + flat * long
                            + steep * abs(here - plane[y + 1, x + 1]),
                        )
                    if x > 0:
                        best = min(
                            best,
                            out[y + 1, x - 1]
                            + flat * long
                            + steep * abs(here - plane[y + 1, x - 1]),
                        )
                out[y, x] = best
    return out


def geodesic(plane: F32, seeds: NDArray[np.bool_], flat: float, steep: float) -> F32:
    """How far each pixel is from the nearest seed: (h, w) float32; 10⁶ where there is none.

    Args:
        plane: (h, w) what a way crosses the differences of.
        seeds: (h, w) where ways begin.
        flat: what each pixel of way costs.
        steep: what a difference of 1 costs.

    >>> wall = np.zeros((1, 5), np.float32)
    >>> wall[0, 3:] = 1
    >>> geodesic(wall, np.arange(5)[None] == 0, 0.1, 10).round(1).tolist()
    [[0.0, 0.10000000149011612, 0.20000000298023224, 10.300000190734863, 10.399999618530273]]
    """
    out = np.where(seeds, np.float32(0), np.float32(FAR)).astype(np.float32)
    return np.asarray(
        _swept(
            np.ascontiguousarray(plane, np.float32),
            out,
            np.float32(flat),
            np.float32(steep),
            SWEEPS,
        )
    )
