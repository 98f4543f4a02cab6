"""From a region to a soft matte: coverage in a band around the region's edge, at the size of the picture, and the
subject's own colour there."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.roto.laplacian import MARGIN, solved, stencils
from velvet_seam.core.roto.nearby import nearby, taken

F32 = NDArray[np.float32]

REACH = 1 / 135
"""How far the band reaches on either side of the region's edge, of the picture's short side: 4 pixels of 540."""

LEAST_REACH = 3.0

THIN, THINNEST = 0.3, 0.18
"""In a part that is thin, or a gap that is narrow, the band reaches that part of its depth, and at least this part of what is
usual: else nothing in a cable would be sure, and its colour be taken from what lies far away."""

FEATHER = 1.5
"""Pixels over which the region's own edge is soft."""

BY_REGION, BY_COLOUR = 0.03, 0.005
"""How firmly coverage is held to the region's edge, and to what the colours nearby say where they can be told apart."""

NOISE = 0.012**2


def band_of(picture_size: tuple[int, int], fringe: float = 1.0) -> float:
    """Pixels that the band reaches on either side in a picture of some height and width."""
    return max(LEAST_REACH, REACH * min(picture_size)) * fringe


def soft_matte(
    picture: NDArray[np.uint8], inside: F32, fringe: float = 1.0, narrows: bool = True
) -> NDArray[np.uint8]:
    """A picture cut out along a region's edge.

    Args:
        picture: (h, w, 4) uint8, premultiplied.
        inside: (h', w') float32 how far inside the region each pixel is, in its own pixels, below 0 outside.
        fringe: how far hair, fur and blur reach beyond the edge, of what is usual.
        narrows: whether the band is narrower where a part is thin. Not along a region that colour alone has found, which
            follows every hair as it is.

    Returns:
        (h, w, 4) uint8, premultiplied; what the picture lets through itself stays open.
    """
    height, width = picture.shape[:2]
    factor = height / inside.shape[0]
    deep = cv2.resize(inside, (width, height), interpolation=cv2.INTER_LINEAR) * np.float32(factor)
    reach = band_of((height, width), fringe)
    near = np.abs(deep) < reach
    out = np.asarray(cv2.copyTo(np.ascontiguousarray(picture), (deep > 0).view(np.uint8)), np.uint8)
    if not near.any():
        return out
    rows, columns = np.flatnonzero(near.any(1)), np.flatnonzero(near.any(0))
    around = int(4 * reach) + MARGIN
    top, bottom = max(int(rows[0]) - around, 0), min(int(rows[-1]) + around + 1, height)
    left, right = max(int(columns[0]) - around, 0), min(int(columns[-1]) + around + 1, width)
    box = np.s_[top:bottom, left:right]
    narrow = _narrowed(inside, deep, reach / factor) if narrows else np.ones(deep.shape, np.float32)
    piece, deep, narrow = (np.ascontiguousarray(one[box]) for one in (picture, deep, narrow))
    out[box] = _soft(piece, deep, narrow, reach)
    return out


def _narrowed(inside: F32, deep: F32, reach: float) -> F32:
    """By how much the band is narrower at each pixel than usual: (h, w) float32, 1 where it is not.

    Args:
        inside: the region at its own size.
        deep: (h, w) the same at the size of the picture.
        reach: how far the band reaches, in pixels of the region.
    """
    side = 2 * int(np.ceil(reach / THIN)) + 1
    height, width = deep.shape

    def of(depth: F32) -> F32:
        deepest = cv2.dilate(depth, np.ones((side, side), np.uint8))
        part = np.clip(deepest * np.float32(THIN / reach), THINNEST, 1)
        return np.asarray(cv2.resize(1 / part, (width, height)), np.float32)

    return np.where(deep > 0, of(inside), of(-inside))


def _soft(picture: NDArray[np.uint8], deep: F32, narrow: F32, reach: float) -> NDArray[np.uint8]:
    rgb = np.multiply(picture[..., :3], np.float32(1 / 255), dtype=np.float32)
    near = nearby(picture, deep * narrow, reach)
    return np.asarray(_cut(picture, rgb, _coverage(rgb, deep, narrow, reach, near), *near))


def _coverage(rgb: F32, deep: F32, narrow: F32, reach: float, near: tuple[F32, F32, int]) -> F32:
    """Coverage of every pixel, 0 to 1."""
    band = np.abs(deep * narrow) < reach
    band[:MARGIN] = band[-MARGIN:] = False
    band[:, :MARGIN] = band[:, -MARGIN:] = False
    known = np.clip(deep / (2 * FEATHER) + 0.5, 0, 1).astype(np.float32)
    known[~band] = deep[~band] > 0
    places = np.flatnonzero(band).astype(np.int32)
    number = np.full(band.shape, -1, np.int32)
    number.ravel()[places] = np.arange(places.size, dtype=np.int32)
    said, trust = _by_colour(rgb, places, *near)
    region = known.ravel()[places]
    by_colour = np.float32(BY_COLOUR) * trust * trust
    by_region = np.float32(BY_REGION) * narrow.ravel()[places]
    weight = by_colour + by_region
    wanted = (by_colour * said + by_region * region) / weight
    known.ravel()[places] = wanted
    return np.clip(solved(stencils(rgb, number, places.size), weight, wanted, places, known), 0, 1)


@kernel()
def _by_colour(rgb, places, subject, around, step):
    """Coverage of the band's pixels by how far each is from the surroundings to the subject, and how far to trust
    that."""
    said, trust = np.empty(places.size, np.float32), np.empty(places.size, np.float32)
    own, other = np.empty(4, np.float32), np.empty(4, np.float32)  # colour, and how much it varies
    zero, one, noise = np.float32(0), np.float32(1), np.float32(NOISE)
    for n in range(places.size):
        y, x = places[n] // rgb.shape[1], places[n] % rgb.shape[1]
        taken(subject, y, x, step, own)
        taken(around, y, x, step, other)
        apart, along = np.float32(1e-6), np.float32(0)
        for c in range(3):
            d = own[c] - other[c]
            apart += d * d
            along += d * (rgb[y, x, c] - other[c])
        a = min(max(along / apart, zero), one)
        # along one of three directions a third of the variance
        doubt = (a * a * own[3] + (one - a) * (one - a) * other[3]) / np.float32(3) + noise
        said[n] = a
        trust[n] = one / (one + doubt / (apart * np.float32(0.04)))
    return said, trust


@kernel()
def _cut(picture, rgb, alpha, subject, around, step):
    """The picture premultiplied by coverage, the surroundings unmixed from it."""
    height, width = alpha.shape
    out = np.zeros((height, width, 4), np.uint8)
    own, other = np.empty(3, np.float32), np.empty(3, np.float32)
    zero, one, full, half = np.float32(0), np.float32(1), np.float32(255), np.float32(0.5)
    for y in range(height):
        for x in range(width):
            a = alpha[y, x]
            if a <= np.float32(0.002):
                continue
            if a >= np.float32(0.998):
                for c in range(4):
                    out[y, x, c] = picture[y, x, c]
                continue
            rest = one - a
            share = a / (a * a + rest * rest + np.float32(0.005))
            open_ = np.float32(picture[y, x, 3]) * np.float32(1 / 255)
            taken(subject, y, x, step, own)
            taken(around, y, x, step, other)
            for c in range(3):
                left = rgb[y, x, c] - a * own[c] - rest * other[c]
                f = min(max(own[c] + share * left, zero), one)
                out[y, x, c] = np.uint8(np.int32(min(f, open_) * a * full + half))
            out[y, x, 3] = np.uint8(np.int32(open_ * a * full + half))
    return out
