"""The colour key: coverage from the distance to sampled colours, in OKLab.

The distance is computed once for each corner of a lattice over all colours and interpolated in it
for the pixels; ``tests/core/test_keys.py`` bounds the error of that.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.colour import to_oklab

LATTICE = 33


@lru_cache(maxsize=8)
def _distances(colours: tuple[tuple[int, int, int], ...]) -> NDArray[np.float32]:
    """Distance (ΔE × 100) of every lattice colour to the nearest sample."""
    axis = np.linspace(0, 1, LATTICE)
    every = to_oklab(np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1))
    nearest = np.full(every.shape[:3], np.inf)
    for colour in colours:
        away = np.linalg.norm(every - to_oklab(np.array(colour) / 255), axis=-1)
        nearest = np.minimum(nearest, 100 * away)
    return nearest.astype(np.float32)


@kernel(parallel=True)
def _key(picture, lattice, end, per):
    out = np.empty(picture.shape, np.uint8)
    byte, scale = np.uint32(255), np.float32((LATTICE - 1) / 255)
    zero, one, half, full = np.float32(0), np.float32(1), np.float32(0.5), np.float32(255)
    flat = lattice.reshape(-1)
    for y in nb.prange(picture.shape[0]):
        for x in range(picture.shape[1]):
            v = picture[y, x]
            r = np.float32(np.int32(v & byte)) * scale
            g = np.float32(np.int32((v >> np.uint32(8)) & byte)) * scale
            b = np.float32(np.int32((v >> np.uint32(16)) & byte)) * scale
            i, j, k = min(int(r), LATTICE - 2), min(int(g), LATTICE - 2), min(int(b), LATTICE - 2)
            r, g, b = r - np.float32(i), g - np.float32(j), b - np.float32(k)
            at = (i * LATTICE + j) * LATTICE + k
            d = zero
            for di in range(2):
                wi = r if di else one - r
                for dj in range(2):
                    wij = wi * (g if dj else one - g)
                    place = at + (di * LATTICE + dj) * LATTICE
                    d += wij * (flat[place] * (one - b) + flat[place + 1] * b)
            a = min(max((end - d) * per, zero), one)
            out[y, x] = np.uint8(np.int32(a * full + half))
    return out


def colour_key(
    picture: NDArray[np.uint8], colours: Sequence[tuple[int, int, int]], *, tolerance: float,
    softness: float,
) -> NDArray[np.uint8]:  # fmt: skip
    """Coverage of what has one of some colours.

    Args:
        picture: (h, w, 4) uint8 RGBA, display-referred, premultiplied.
        colours: samples, R, G, B in 0 to 255.
        tolerance, softness: OKLab ΔE × 100, up to which coverage is whole, and over which it falls.

    Returns:
        (h, w) uint8.

    >>> patch = np.array([[[207, 106, 44, 255], [60, 90, 200, 255]]], np.uint8)
    >>> colour_key(patch, [(207, 106, 44)], tolerance=6, softness=8).tolist()
    [[255, 0]]
    """
    pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    lattice = _distances(tuple(sorted((int(r), int(g), int(b)) for r, g, b in colours)))
    soft = max(softness, 0.01)
    return np.asarray(_key(pixels, lattice, np.float32(tolerance + soft), np.float32(1 / soft)))
