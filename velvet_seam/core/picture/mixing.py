"""Pictures added to and taken from each other: for sharpening, glow, and parts that are mixed in.

All are (h, w, 4) uint8 RGBA, premultiplied, of one size.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

Picture = NDArray[np.uint8]

_BAND = 32


@nb.njit(error_model="numpy")
def _apart_row(row, soft, amount, to):
    zero, half, byte = np.float32(0), np.float32(0.5), np.uint32(255)
    for x in range(row.size):
        v, w = row[x], soft[x]
        a = v >> np.uint32(24)
        cover = np.float32(np.int32(a))
        made = a
        for shift in (np.uint32(16), np.uint32(8), np.uint32(0)):
            c = np.float32(np.int32((v >> shift) & byte))
            c += amount * (c - np.float32(np.int32((w >> shift) & byte)))
            made = made << np.uint32(8) | np.uint32(np.int32(min(max(c, zero), cover) + half))
        to[x] = made


@kernel(parallel=True)
def _apart(words, soft, amount):
    out = np.empty_like(words)
    for y in nb.prange(len(words)):
        _apart_row(words[y], soft[y], amount, out[y])
    return out


def apart(picture: Picture, soft: Picture, amount: float) -> Picture:
    """A picture with what it has more than its own blur added, so many times; coverage stays.

    >>> one, soft = np.full((1, 1, 4), 255, np.uint8), np.full((1, 1, 4), 255, np.uint8)
    >>> one[..., 0], soft[..., 0] = 100, 80
    >>> apart(one, soft, 0.5).tolist()
    [[[110, 255, 255, 255]]]
    """
    one, other = (np.ascontiguousarray(p).view(np.uint32)[..., 0] for p in (picture, soft))
    made = np.asarray(_apart(one, other, np.float32(amount)))
    return made.view(np.uint8).reshape(picture.shape)


@nb.njit(error_model="numpy")
def _bright_row(row, knee, to):
    zero, half, byte = np.float32(0), np.float32(0.5), np.uint32(255)
    per = np.float32(1) / max(np.float32(255) - knee, np.float32(1))
    for x in range(row.size):
        v = row[x]
        r, g, b = v & byte, (v >> np.uint32(8)) & byte, (v >> np.uint32(16)) & byte
        over = max(np.float32(np.int32(max(max(r, g), b))) - knee, zero) * per
        gain = over * over * (np.float32(3) - np.float32(2) * over)
        made = np.uint32(0)
        for shift in (np.uint32(24), np.uint32(16), np.uint32(8), np.uint32(0)):
            c = np.float32(np.int32((v >> shift) & byte)) * gain + half
            made = made << np.uint32(8) | np.uint32(np.int32(c))
        to[x] = made


@kernel(parallel=True)
def _bright(words, knee):
    out = np.empty_like(words)
    for y in nb.prange(len(words)):
        _bright_row(words[y], knee, out[y])
    return out


def bright(picture: Picture, above: float) -> Picture:
    """What is brighter than a level, 0 to 1, by its strongest channel; softly from there up to white."""
    words = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    made = np.asarray(_bright(words, np.float32(255 * above)))
    return made.view(np.uint8).reshape(picture.shape)


@nb.njit(error_model="numpy")
def _light_row(row, light, amount, to):
    full, half, unit = np.float32(255), np.float32(0.5), np.float32(1 / 255)
    for k in range(row.size):
        v = np.float32(row[k])
        v += min(np.float32(light[k]) * amount, full) * (full - v) * unit
        to[k] = np.uint8(np.int32(v + half))


@nb.njit(error_model="numpy")
def _held_row(to):
    """No channel is more than its coverage."""
    byte = np.uint32(255)
    for x in range(to.size):
        v = to[x]
        a = v >> np.uint32(24)
        made = a
        for shift in (np.uint32(16), np.uint32(8), np.uint32(0)):
            made = made << np.uint32(8) | min((v >> shift) & byte, a)
        to[x] = made


@kernel(parallel=True)
def _light_added(picture, light, amount):
    out = np.empty_like(picture)
    words = out.view(np.uint32)
    for y in nb.prange(picture.shape[0]):
        _light_row(picture[y].reshape(-1), light[y].reshape(-1), amount, out[y].reshape(-1))
        _held_row(words[y].reshape(-1))
    return out


def light_added(picture: Picture, light: NDArray[np.uint16], amount: float) -> Picture:
    """The sum of three pictures of light screened onto one, their mean so many times; its coverage grows by theirs."""
    return np.asarray(_light_added(np.ascontiguousarray(picture), light, np.float32(amount / 3)))


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
