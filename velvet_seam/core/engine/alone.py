"""The layers of a shot joined by themselves, over nothing: what a clear canvas leaves clear stays so.

They are joined over black and over white. What differs shows how much of what will lie below is seen through: so a
layer that screens or multiplies does to what lies below the shot nearly what it would have done in it.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from velvet_seam.core.engine.adjusting import to_floats, to_light, to_shown
from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.compose import Below
from velvet_seam.core.picture.light import displayed
from velvet_seam.core.steps import Picture


@nb.njit(error_model="numpy")
def _shown(value, coverage, linear):
    """A premultiplied value as displayed: light is brought to display without its coverage."""
    if not linear or coverage <= 0:
        return value
    return displayed(value / coverage) * coverage


@nb.njit(error_model="numpy")
def _alone_row(black, white, linear, to):
    one, none = np.float32(1), np.float32(0)
    half, full = np.float32(0.5), np.float32(255)
    for x in range(to.size):
        through = one
        for c in range(3):
            through = min(through, white[c, x] - black[c, x])
        coverage = min(max(one - through, none), one)
        byte = np.uint32(np.int32(coverage * full + half))
        word = byte << np.uint32(24)
        for c in range(3):
            value = _shown(min(max(black[c, x], none), coverage), coverage, linear)
            most = min(np.uint32(np.int32(value * full + half)), byte)
            word |= most << np.uint32(8 * c)
        to[x] = word


@kernel(parallel=True)
def _alone(black, white, linear):
    out = np.empty((black.shape[0], black.shape[2]), np.uint32)
    for y in nb.prange(black.shape[0]):
        _alone_row(black[y], white[y], linear, out[y])
    return out


def alone(linear: bool, black: Below, white: Below) -> Picture:
    """What was joined over black and over white, as one picture: (h, w, 4) uint8, premultiplied.

    >>> black, white = (np.full((1, 3, 1), v, np.float32) for v in (0.25, 0.75))
    >>> alone(False, black, white).tolist()
    [[[64, 64, 64, 128]]]
    """
    height, _, width = black.shape
    return np.asarray(_alone(black, white, linear)).view(np.uint8).reshape(height, width, 4)


def spread(linear: bool, picture: Picture) -> Below:
    """The colours of a picture without its coverage, for an adjustment to act on: floats as a join has them."""
    covered = picture[..., 3:].astype(np.float32)
    full = np.where(covered > 0, picture / np.maximum(covered, 1) * np.float32(255), 0)
    planes = to_floats(np.rint(np.minimum(full, 255)).astype(np.uint8))
    return to_light(planes) if linear else planes


def covered_by(linear: bool, planes: Below, picture: Picture) -> Picture:
    """Joined colours with the coverage of a picture: (h, w, 4) uint8, premultiplied."""
    shown = to_shown(planes) if linear else planes
    covered = picture[..., 3:]
    out = np.concatenate([shown.transpose(0, 2, 1) * covered, covered], -1)
    return np.rint(out).astype(np.uint8)
