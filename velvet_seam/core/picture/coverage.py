"""Coverage planes: joined with each other, and laid on a picture."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.colour import LUMA_709
from velvet_seam.core.picture.spans import any_covered

Plane = NDArray[np.uint8]
"""(h, w) uint8: 0 nothing, 255 all."""


_RED, _GREEN, _BLUE = LUMA_709

STRETCH = 128
"""Pixels of a row for which it is looked at together whether a plane leaves them as they are."""


@kernel()
def _brightness(picture):
    out = np.empty(picture.shape[:2], np.uint8)
    red, green, blue = np.float32(_RED), np.float32(_GREEN), np.float32(_BLUE)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            luma = np.float32(picture[y, x, 0]) * red + np.float32(picture[y, x, 1]) * green
            out[y, x] = np.uint8(np.rint(luma + np.float32(picture[y, x, 2]) * blue))
    return out


def brightness(picture: NDArray[np.uint8]) -> Plane:
    """Luma of ITU-R BT.709 of a premultiplied picture (h, w, 4), (h, w) uint8: what is clear is dark."""
    return np.asarray(_brightness(np.ascontiguousarray(picture)), np.uint8)


def fitted(plane: Plane, height: int, width: int) -> Plane:
    """A plane at the size of a picture: pixels that are not square are stored as if they were."""
    if plane.shape == (height, width):
        return plane
    return np.asarray(cv2.resize(plane, (width, height), interpolation=cv2.INTER_LINEAR), np.uint8)


@nb.njit(error_model="numpy", inline="always")
def _times(a, b):
    """a · b / 255, rounded to the nearest: exact for all bytes."""
    t = np.uint32(a) * np.uint32(b) + np.uint32(128)
    return np.uint8((t + (t >> np.uint32(8))) >> np.uint32(8))


@kernel()
def _join(one, other, how):
    out = np.empty(one.size, np.uint8)
    a, b = one.reshape(-1), other.reshape(-1)
    full = np.uint8(255)
    if how == 0:
        for i in range(a.size):
            out[i] = full - _times(full - a[i], full - b[i])
    elif how == 1:
        for i in range(a.size):
            out[i] = _times(a[i], full - b[i])
    else:
        for i in range(a.size):
            out[i] = _times(a[i], b[i])
    return out.reshape(one.shape)


def joined(one: Plane, other: Plane, how: str) -> Plane:
    """Two planes by ``add`` (1 − (1 − a)(1 − b)), ``subtract`` (a(1 − b)) or ``intersect`` (ab).

    >>> a, b = np.array([[128, 255]], np.uint8), np.array([[128, 51]], np.uint8)
    >>> [joined(a, b, how).tolist() for how in ("add", "subtract", "intersect")]
    [[[192, 255]], [[64, 204]], [[64, 51]]]
    """
    number = ("add", "subtract", "intersect").index(how)
    return np.asarray(_join(np.ascontiguousarray(one), np.ascontiguousarray(other), number))


def all_joined(planes: Sequence[tuple[Plane, str]]) -> Plane:
    """Planes one after the other; one that subtracts and stands first takes from what is whole."""
    result: Plane | None = None
    for plane, how in planes:
        if result is None:
            result = 255 - plane if how == "subtract" else plane
        else:
            result = joined(result, plane, how)
    assert result is not None
    return result


def faded(plane: Plane, opacity: float, invert: bool) -> Plane:
    """A plane turned round and weakened; opacity 0 to 1."""
    if invert:
        plane = 255 - plane
    return plane if opacity >= 1 else np.rint(plane * np.float32(opacity)).astype(np.uint8)


@nb.njit(error_model="numpy", inline="always")
def _weighed_pixel(v, part):
    byte, eight, half = np.uint32(255), np.uint32(8), np.uint32(128)
    made = np.uint32(0)
    for shift in (np.uint32(0), np.uint32(8), np.uint32(16), np.uint32(24)):
        t = ((v >> shift) & byte) * part + half
        made |= ((t + (t >> eight)) >> eight) << shift
    return made


@nb.njit(error_model="numpy")
def _weigh_row(row, plane, to):
    for x in range(to.size):
        to[x] = _weighed_pixel(row[x], np.uint32(plane[x]))


@nb.njit(error_model="numpy")
def _bounds(plane, begin, end):
    """The least and the most coverage of some pixels of a row."""
    low, high = np.uint8(255), np.uint8(0)
    for n in range(end - begin):
        part = plane[np.uint64(begin) + np.uint64(n)]
        low, high = min(low, part), max(high, part)
    return low, high


@nb.njit(error_model="numpy")
def weigh_in_place(row, plane, first, last):
    """Some packed pixels of a row with their coverage multiplied by that of a plane."""
    for begin in range(first, last, STRETCH):
        end = min(begin + STRETCH, last)
        low, high = _bounds(plane, begin, end)
        if high == 0:
            row[begin:end] = 0
        elif low < 255:
            # counted from the beginning, so that the compiler knows that what is read is what is written
            for n in range(end - begin):
                x = np.uint64(begin) + np.uint64(n)
                row[x] = _weighed_pixel(row[x], np.uint32(plane[x]))


@kernel(parallel=True)
def _weigh(picture, plane):
    out = np.empty_like(picture)
    for y in nb.prange(picture.shape[0]):
        low, high = _bounds(plane[y], 0, picture.shape[1])
        if high == 0 or not any_covered(picture[y], 0, picture.shape[1]):
            out[y] = 0
        elif low == 255:
            out[y] = picture[y]
        else:
            _weigh_row(picture[y], plane[y], out[y])
    return out


def weighed(picture: NDArray[np.uint8], plane: Plane) -> NDArray[np.uint8]:
    """A premultiplied picture, (h, w, 4) uint8, with its coverage multiplied by a plane.

    >>> weighed(np.full((1, 2, 4), 200, np.uint8), np.array([[255, 128]], np.uint8)).tolist()
    [[[200, 200, 200, 200], [100, 100, 100, 100]]]
    """
    pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    made = _weigh(pixels, np.ascontiguousarray(plane))
    return np.asarray(made.view(np.uint8).reshape(picture.shape))


def wiped(picture: NDArray[np.uint8], side: str, part: float) -> NDArray[np.uint8]:
    """A picture of which only a part, 0 to 1, is uncovered, beginning at its ``left``, ``right``,
    ``up`` or ``down`` side.

    >>> wiped(np.full((1, 4, 4), 200, np.uint8), "right", 0.375)[0, :, 3].tolist()
    [0, 0, 100, 200]
    """
    height, width = picture.shape[:2]
    long = width if side in ("left", "right") else height
    shown = np.rint(255 * np.clip(part * long - np.arange(long), 0, 1)).astype(np.uint8)
    if side in ("right", "down"):
        shown = shown[::-1]
    line = shown[None, :] if side in ("left", "right") else shown[:, None]
    return weighed(picture, np.ascontiguousarray(np.broadcast_to(line, (height, width))))


@kernel(parallel=True)
def _mixed(one, other, plane):
    out = np.empty_like(one)
    for y in nb.prange(one.shape[0]):
        for x in range(one.shape[1]):
            v, w, k = one[y, x], other[y, x], np.uint32(plane[y, x])
            made = np.uint32(0)
            for shift in (np.uint32(0), np.uint32(8), np.uint32(16), np.uint32(24)):
                a, b = (v >> shift) & np.uint32(255), (w >> shift) & np.uint32(255)
                t = a * (np.uint32(255) - k) + b * k + np.uint32(128)
                made |= ((t + (t >> np.uint32(8))) >> np.uint32(8)) << shift
            out[y, x] = made
    return out


def mixed(one: NDArray[np.uint8], other: NDArray[np.uint8], plane: Plane) -> NDArray[np.uint8]:
    """Two premultiplied pictures: the other where the plane is 255, the one where it is 0.

    >>> a, b = np.zeros((1, 1, 4), np.uint8), np.full((1, 1, 4), 255, np.uint8)
    >>> mixed(a, b, np.array([[51]], np.uint8)).tolist()
    [[[51, 51, 51, 51]]]
    """
    a, b = (np.ascontiguousarray(p).view(np.uint32)[..., 0] for p in (one, other))
    made = _mixed(a, b, np.ascontiguousarray(plane))
    return np.asarray(made.view(np.uint8).reshape(one.shape))


@kernel(parallel=True)
def _laid(one, other):
    out = np.empty_like(one)
    for y in nb.prange(one.shape[0]):
        for x in range(one.shape[1]):
            v, w = one[y, x], other[y, x]
            k = np.uint32(255) - (v >> np.uint32(24))
            made = np.uint32(0)
            for shift in (np.uint32(0), np.uint32(8), np.uint32(16), np.uint32(24)):
                a, b = (v >> shift) & np.uint32(255), (w >> shift) & np.uint32(255)
                t = b * k + np.uint32(128)
                made |= (
                    min(a + ((t + (t >> np.uint32(8))) >> np.uint32(8)), np.uint32(255)) << shift
                )
            out[y, x] = made
    return out


def laid(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """One premultiplied picture over another (source-over).

    >>> half = np.full((1, 1, 4), 128, np.uint8)
    >>> laid(half, half).tolist()
    [[[192, 192, 192, 192]]]
    """
    a, b = (np.ascontiguousarray(p).view(np.uint32)[..., 0] for p in (one, other))
    return np.asarray(_laid(a, b).view(np.uint8).reshape(one.shape))
