"""Gradient noise that drifts and changes, and may come back to where it began.

K. Perlin, *Improving Noise* (2002): gradients at the corners of a lattice of place and time, hashed from whole
numbers, joined by a quintic fade. For a row at a moment the gradients of a column of corners are two numbers, so that
a pixel costs one mix. A loop wraps the lattice of time, and shifts its columns by whole cells, so that what has drifted
out comes in again: at the end it is what it was at the beginning, and its contrast is even all the way.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel


@nb.njit(error_model="numpy", inline="always")
def _hashed(i, j, k, seed):
    """32 bits that look like chance (the finaliser of MurmurHash3)."""
    h = np.uint32(i) * np.uint32(0x9E3779B1) ^ np.uint32(j) * np.uint32(0x85EBCA77)
    h ^= np.uint32(k) * np.uint32(0xC2B2AE3D) ^ np.uint32(seed) * np.uint32(0x27D4EB2F)
    h ^= h >> np.uint32(16)
    h *= np.uint32(0x85EBCA6B)
    h ^= h >> np.uint32(13)
    h *= np.uint32(0xC2B2AE35)
    return h ^ h >> np.uint32(16)


@nb.njit(error_model="numpy", inline="always")
def _fade(t):
    return t * t * t * (t * (t * np.float32(6) - np.float32(15)) + np.float32(10))


@nb.njit(error_model="numpy")
def _columns(first, count, j, k, wrap, shift_x, shift_y, fy, ft, seed, a, b):
    """Of each column of corners: what it adds at its own place, and with every step to the right."""
    unit, half = np.float32(1 / 512.0), np.float32(512)
    wy, wt = _fade(fy), _fade(ft)
    one = np.float32(1)
    for n in range(count):
        total, slope = np.float32(0), np.float32(0)
        for dj in range(2):
            y = fy - np.float32(dj)
            for dk in range(2):
                t = ft - np.float32(dk)
                weight = (wy if dj else one - wy) * (wt if dk else one - wt)
                i, row, moment = first + n, j + dj, k + dk
                if wrap > 0 and moment >= wrap:
                    moment -= wrap
                    i += shift_x
                    row += shift_y
                h = _hashed(i, row, moment, seed)
                gx = (np.float32(np.int32(h & np.uint32(1023))) - half) * unit
                gy = (np.float32(np.int32((h >> np.uint32(10)) & np.uint32(1023))) - half) * unit
                gt = (np.float32(np.int32((h >> np.uint32(20)) & np.uint32(1023))) - half) * unit
                total += weight * (gy * y + gt * t)
                slope += weight * gx
        a[n] = total
        b[n] = slope


@nb.njit(error_model="numpy")
def _along(x0, per, first, a, b, gain, to):
    """A row of pixels from its columns."""
    one = np.float32(1)
    for x in range(to.size):
        u = x0 + np.float32(x) * per
        n = np.int32(u)
        f = u - np.float32(n)
        w = _fade(f)
        i = np.uint64(n)
        left = a[i] + b[i] * f
        right = a[i + np.uint64(1)] + b[i + np.uint64(1)] * (f - one)
        to[x] += gain * (left + w * (right - left))


@kernel(parallel=True)
def _noise(width, height, cells, shifts, moments, wraps, gains, seeds):
    out = np.zeros((height, width), np.float32)
    for y in nb.prange(height):
        for o in range(len(cells)):
            per = np.float32(1.0 / cells[o])
            left, top = shifts[o, 0], shifts[o, 1]
            v = top + (y + 0.5) / cells[o]
            j, k = np.int64(np.floor(v)), np.int64(np.floor(moments[o]))
            first = np.int64(np.floor(left))
            count = np.int64(width / cells[o]) + 4
            a, b = np.empty(count, np.float32), np.empty(count, np.float32)
            _columns(first, count, j, k, wraps[o, 0], wraps[o, 1], wraps[o, 2], np.float32(v - j),
                     np.float32(moments[o] - k), seeds[o], a, b)  # fmt: skip
            start = np.float32(left - first) + np.float32(0.5) * per
            _along(start, per, first, a, b, np.float32(gains[o]), out[y])
    return out


def noise(
    size: tuple[int, int], cell: float, octaves: float, time: float, loop: float = 0.0,
    drift: tuple[float, float] = (0.0, 0.0), seed: int = 1,
) -> NDArray[np.float32]:  # fmt: skip
    """Noise over a picture, about −1 to 1.

    Args:
        size: width and height, pixels.
        cell: of the coarsest octave, pixels; each next one is half as large and half as strong.
        octaves: how many; the last may count in part.
        time: in cells of the coarsest octave's time.
        loop: after so much time everything is as at 0; 0 for never.
        drift: pixels it moves across and down in each unit of time.

    >>> bool(np.array_equal(noise((40, 30), 9, 3, 5.0, 5.0, (4, 1)), noise((40, 30), 9, 3, 0.0, 5.0, (4, 1))))
    True
    """
    count = max(1, int(np.ceil(octaves)))
    cells, shifts = np.zeros(count), np.zeros((count, 2))
    moments, wraps, gains = np.zeros(count), np.zeros((count, 3), np.int64), np.zeros(count)
    for o in range(count):
        cells[o] = max(cell / 2**o, 2.0)
        gains[o] = 0.5**o * min(1.0, octaves - o)
        quick = 2 ** (o / 2)  # what is finer changes quicker
        moments[o] = time * quick
        far = np.array(drift) * time / cells[o]
        if loop > 0:
            wrap = max(1, round(loop * quick))
            part = (time / loop) % 1.0
            moments[o] = part * wrap
            whole = np.rint(np.array(drift) * loop / cells[o]).astype(np.int64)
            wraps[o] = wrap, whole[0], whole[1]
            far = whole * part
        # octaves begin at places of their own, or their lattices would show at one
        shifts[o] = 1000.37 * (o + 1) - far[0], 700.11 * (o + 1) - far[1]
    scale = 2.2 / max(gains.sum(), 1e-6)
    # what is coarse is smooth: it is made small, and doubled until it is as large as the picture
    total: NDArray[np.float32] | None = None
    for less in (8, 4, 2, 1):
        wide, high = -(-size[0] // less), -(-size[1] // less)
        if total is not None:
            total = _doubled(total, (wide, high))
        of = [o for o in range(count) if _less(cells[o]) == less]
        if of:
            seeds = seed + 101 * np.array(of)
            made = np.asarray(
                _noise(
                    wide,
                    high,
                    cells[of] / less,
                    shifts[of],
                    moments[of],
                    wraps[of],
                    gains[of] * scale,
                    seeds,
                )
            )
            total = made if total is None else total + made
    assert total is not None
    return total


def _doubled(small: NDArray[np.float32], size: tuple[int, int]) -> NDArray[np.float32]:
    matrix = np.array([[2, 0, 0.5], [0, 2, 0.5]], np.float64)
    made = cv2.warpAffine(
        small, matrix, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    return np.asarray(made, np.float32)


def _less(cell: float) -> int:
    """By how much smaller noise of such cells is made."""
    return next((less for less in (8, 4, 2) if cell >= 8 * less), 1)


@nb.njit(error_model="numpy")
def _veil_row(row, r, g, b, gain, shift, to):
    zero, one, full, half = np.float32(0), np.float32(1), np.float32(255), np.float32(0.5)
    for x in range(row.size):
        t = min(max(row[x] * gain + shift, zero), one)
        a = t * t * (np.float32(3) - np.float32(2) * t)
        to[x] = (
            np.uint32(np.int32(a * full + half)) << np.uint32(24)
            | np.uint32(np.int32(a * b + half)) << np.uint32(16)
            | np.uint32(np.int32(a * g + half)) << np.uint32(8)
            | np.uint32(np.int32(a * r + half))
        )


@kernel(parallel=True)
def _veil(field, r, g, b, gain, shift):
    out = np.empty(field.shape, np.uint32)
    for y in nb.prange(len(field)):
        _veil_row(field[y], r, g, b, gain, shift, out[y])
    return out


def veiled(
    field: NDArray[np.float32], rgb: tuple[int, int, int], cover: float, contrast: float
) -> NDArray[np.uint8]:
    """Noise as coverage of one colour: (h, w, 4) uint8 RGBA, premultiplied.

    Args:
        cover: about how much of the picture is filled, 0 to 1.
        contrast: 0 for mist, 1 for clouds with an edge.
    """
    gain = 0.55 + 5.5 * contrast**2
    shift = 0.5 + (2 * cover - 1) * (0.5 + 0.62 * gain)
    f = np.float32
    made = _veil(field, f(rgb[0]), f(rgb[1]), f(rgb[2]), f(gain), f(shift))
    return np.asarray(made).view(np.uint8).reshape(*field.shape, 4)
