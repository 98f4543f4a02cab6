"""Pictures added to and taken from each other: for sharpening, glow, and parts that are mixed in.

All are (h, w, 4) uint8 RGBA, premultiplied, of one size.
"""

from __future__ import annotations

from collections.abc import Sequence

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

Picture = NDArray[np.uint8]

_BAND = 32


@nb.njit(error_model="numpy")
def _apart_row(row, soft, amount, to):
    zero, half = np.float32(0), np.float32(0.5)
    for x in range(row.shape[0]):
        a = np.float32(row[x, 3])
        for c in range(3):
            v = np.float32(row[x, c])
            v += amount * (v - np.float32(soft[x, c]))
            to[x, c] = np.uint8(np.int32(min(max(v, zero), a) + half))
        to[x, 3] = row[x, 3]


@kernel(parallel=True)
def _apart(picture, soft, amount):
    out = np.empty_like(picture)
    for y in nb.prange(picture.shape[0]):
        _apart_row(picture[y], soft[y], amount, out[y])
    return out


def apart(picture: Picture, soft: Picture, amount: float) -> Picture:
    """A picture with what it has more than its own blur added, so many times; coverage stays.

    >>> one, soft = np.full((1, 1, 4), 255, np.uint8), np.full((1, 1, 4), 255, np.uint8)
    >>> one[..., 0], soft[..., 0] = 100, 80
    >>> apart(one, soft, 0.5).tolist()
    [[[110, 255, 255, 255]]]
    """
    return np.asarray(_apart(np.ascontiguousarray(picture), soft, np.float32(amount)))


@nb.njit(error_model="numpy")
def _bright_row(row, knee, to):
    zero, half, full = np.float32(0), np.float32(0.5), np.float32(255)
    span = max(full - knee, np.float32(1))
    for x in range(row.shape[0]):
        most = np.float32(max(max(row[x, 0], row[x, 1]), row[x, 2]))
        over = max(most - knee, zero) / span
        gain = over * over * (np.float32(3) - np.float32(2) * over)
        for c in range(3):
            to[x, c] = np.uint8(np.int32(np.float32(row[x, c]) * gain + half))
        to[x, 3] = np.uint8(np.int32(np.float32(row[x, 3]) * gain + half))


@kernel(parallel=True)
def _bright(picture, knee):
    out = np.empty_like(picture)
    for y in nb.prange(picture.shape[0]):
        _bright_row(picture[y], knee, out[y])
    return out


def bright(picture: Picture, above: float) -> Picture:
    """What is brighter than a level, 0 to 1, by its strongest channel; softly from there up to white."""
    return np.asarray(_bright(np.ascontiguousarray(picture), np.float32(255 * above)))


@nb.njit(error_model="numpy")
def _light_row(row, one, other, third, amount, to):
    full, half, unit = np.float32(255), np.float32(0.5), np.float32(1 / 255)
    flat = row.size
    for k in range(flat):
        light = np.float32(np.int32(one[k]) + np.int32(other[k]) + np.int32(third[k])) * amount
        v = np.float32(row[k])
        v += min(light, full) * (full - v) * unit
        to[k] = np.uint8(np.int32(v + half))


@nb.njit(error_model="numpy")
def _held_row(to):
    """No channel is more than its coverage."""
    for x in range(to.shape[0]):
        for c in range(3):
            to[x, c] = min(to[x, c], to[x, 3])


@kernel(parallel=True)
def _light_added(picture, one, other, third, amount):
    out = np.empty_like(picture)
    for y in nb.prange(picture.shape[0]):
        _light_row(picture[y].reshape(-1), one[y].reshape(-1), other[y].reshape(-1), third[y].reshape(-1),
                   amount, out[y].reshape(-1))  # fmt: skip
        _held_row(out[y])
    return out


def light_added(picture: Picture, lights: Sequence[Picture], amount: float) -> Picture:
    """Three pictures of light screened onto one, their mean so many times; its coverage grows by theirs."""
    one, other, third = lights
    return np.asarray(
        _light_added(np.ascontiguousarray(picture), one, other, third, np.float32(amount / 3))
    )


@nb.njit(error_model="numpy")
def _mix_row(row, other, part, to):
    """Flat rows mixed by 256ths."""
    half = np.int32(128)
    for k in range(to.size):
        a, b = np.int32(row[k]), np.int32(other[k])
        to[k] = np.uint8(a + (((b - a) * part + half) >> np.int32(8)))


@kernel(parallel=True)
def _mix(picture, other, part):
    out = np.empty_like(picture)
    for y in nb.prange(picture.shape[0]):
        _mix_row(picture[y].reshape(-1), other[y].reshape(-1), part, out[y].reshape(-1))
    return out


def mixed_in(picture: Picture, other: Picture, part: float) -> Picture:
    """A picture with ``part``, 0 to 1, of another one in its place.

    >>> mixed_in(np.zeros((1, 1, 4), np.uint8), np.full((1, 1, 4), 200, np.uint8), 0.25).tolist()
    [[[50, 50, 50, 50]]]
    """
    if part <= 0:
        return picture
    if part >= 1:
        return other
    whole = np.int32(round(part * 256))
    return np.asarray(_mix(np.ascontiguousarray(picture), np.ascontiguousarray(other), whole))


def padded(picture: Picture, left: int, top: int, right: int, bottom: int) -> Picture:
    """A picture with so many clear pixels around it."""
    if not any((left, top, right, bottom)):
        return picture
    height, width = picture.shape[:2]
    out = np.zeros((height + top + bottom, width + left + right, 4), np.uint8)
    out[top : top + height, left : left + width] = picture
    return out
