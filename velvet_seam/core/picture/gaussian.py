"""A Gaussian of any width at about one cost: shrunk, blurred small, enlarged.

Shrinking by ``f`` sums means over f/2 pixels with weights 1 3 3 1; enlarging is a cubic B-spline. Both are themselves
nearly Gaussians, of variance ((f/2)² − 1)/12 + 0.75 (f/2)² and f²/3 in pixels; a true one, small, makes up the rest
of the wanted variance. With at least 1.3 small pixels left for it, what comes out differs from the Gaussian by less
than half a level of a byte in the mean.

Rows are flat, all channels beside each other, so that what runs along memory runs in vectors.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

LEAST = 1.3
"""Deviation that is left to the small Gaussian, small pixels."""

DIRECT = 4.2
"""Up to this deviation the picture is not shrunk."""

_CUT = 3.6
"""Deviations at which the small Gaussian ends."""


def shrink_of(sigma: float) -> int:
    """By how much a picture is shrunk: 1, or an even number.

    >>> [shrink_of(sigma) for sigma in (1, 3, 10, 30, 100)]
    [1, 1, 6, 20, 66]
    """
    if sigma < DIRECT:
        return 1
    f = 2
    while _left(sigma, f + 2) >= LEAST**2:
        f += 2
    return f


def _left(sigma: float, f: int) -> float:
    """The variance left to the small Gaussian, small pixels."""
    half = f / 2
    return float((sigma**2 - (half**2 - 1) / 12 - 0.75 * half**2 - f * f / 3) / (f * f))


def _reach(sigma: float) -> int:
    """How many taps lie on each side of the middle one."""
    return max(1, int(np.ceil(_CUT * sigma)))


def _taps(sigma: float) -> NDArray[np.float32]:
    """Weights of a Gaussian, and then of nothing up to a multiple of four."""
    reach = _reach(sigma)
    at = np.arange(-reach, reach + 1)
    weights = np.exp(-(at**2) / (2 * sigma**2))
    taps = np.zeros((len(at) + 3) // 4 * 4, np.float32)
    taps[: len(at)] = weights / weights.sum()
    return taps


def _spline(f: int) -> NDArray[np.float32]:
    """The four weights of a cubic B-spline for each pixel of a small one."""
    t = (np.arange(f) + 0.5) / f + 0.5
    t -= np.floor(t)
    return np.stack(
        [
            (1 - t) ** 3 / 6,
            (3 * t**3 - 6 * t**2 + 4) / 6,
            (-3 * t**3 + 3 * t**2 + 3 * t + 1) / 6,
            t**3 / 6,
        ],
        axis=-1,
    ).astype(np.float32)


@nb.njit(error_model="numpy")
def _add_row(row, weight, sums):
    for k in range(sums.size):
        sums[k] += np.int32(row[k]) * weight


@nb.njit(error_model="numpy", inline="always")
def _halves(sums, ch, width, half, left, extend, to):
    """Sums over half steps; ``left`` of them lie before the first pixel."""
    count = to.size // ch
    for k in range(count):
        begin = (k - left) * half
        if begin >= 0 and begin + half <= width:
            for c in range(ch):
                some = np.int32(0)
                for x in range(half):
                    some += sums[np.uint64((begin + x) * ch + c)]
                to[np.uint64(k * ch + c)] = np.float32(some)
        else:
            for c in range(ch):
                some = np.int32(0)
                for x in range(begin, begin + half):
                    if extend or 0 <= x < width:
                        some += sums[min(max(x, 0), width - 1) * ch + c]
                to[k * ch + c] = np.float32(some)


@nb.njit(error_model="numpy", inline="always")
def _steps(halves, ch, small, scale, to):
    """Weights 1 3 3 1 over half steps, every second one."""
    three = np.float32(3)
    for j in range(small):
        for c in range(ch):
            i = np.uint64(2 * j * ch + c)
            n = np.uint64(ch)
            some = halves[i] + halves[i + np.uint64(3) * n]
            to[np.uint64(j * ch + c)] = scale * (
                some + three * (halves[i + n] + halves[i + np.uint64(2) * n])
            )


@nb.njit(error_model="numpy")
def _across_4(sums, width, half, left, extend, halves, small, scale, to):
    _halves(sums, 4, width, half, left, extend, halves)
    _steps(halves, 4, small, scale, to)


@nb.njit(error_model="numpy")
def _across_1(sums, width, half, left, extend, halves, small, scale, to):
    _halves(sums, 1, width, half, left, extend, halves)
    _steps(halves, 1, small, scale, to)


@nb.njit(error_model="numpy")
def _shrunk_row(picture, j, ch, f, margin, extend, sums, halves, to):
    height, width = picture.shape[0], picture.shape[1] // ch
    half = f // 2
    first = (j - margin) * f - half
    sums[:] = 0
    for n in range(2 * f):
        y = first + n
        if not 0 <= y < height:
            if not extend:
                continue
            y = min(max(y, 0), height - 1)
        part = n // half
        _add_row(picture[y], np.int32(3 if part == 1 or part == 2 else 1), sums)
    scale = np.float32(1) / np.float32(64 * half * half)
    small = to.size // ch
    if ch == 4:
        _across_4(sums, width, half, 2 * margin + 1, extend, halves, small, scale, to)
    else:
        _across_1(sums, width, half, 2 * margin + 1, extend, halves, small, scale, to)


@kernel(parallel=True)
def _shrink(picture, ch, f, margin, extend, high, wide):
    out = np.empty((high, wide * ch), np.float32)
    bands = (high + 7) // 8
    for band in nb.prange(bands):
        sums = np.empty(picture.shape[1], np.int32)
        halves = np.empty((2 * wide + 2) * ch, np.float32)
        for j in range(8 * band, min(8 * band + 8, high)):
            _shrunk_row(picture, j, ch, f, margin, extend, sums, halves, out[j])
    return out


@nb.njit(error_model="numpy")
def _four(to, row, at, apart, taps, t):
    """Four taps more of a row's own places, ``apart`` from each other."""
    w0, w1, w2, w3 = taps[t], taps[t + 1], taps[t + 2], taps[t + 3]
    b, c, d = at + apart, at + apart + apart, at + apart + apart + apart
    for k in range(to.size):
        i = np.uint64(k)
        to[i] += w0 * row[at + i] + w1 * row[b + i] + w2 * row[c + i] + w3 * row[d + i]


@nb.njit(error_model="numpy")
def _four_rows(to, r0, r1, r2, r3, w0, w1, w2, w3):
    for k in range(to.size):
        to[k] += (
            w0 * np.float32(r0[k])
            + w1 * np.float32(r1[k])
            + w2 * np.float32(r2[k])
            + w3 * np.float32(r3[k])
        )


@nb.njit(error_model="numpy")
def _down_taps(rows, y, reach, taps, extend, nothing, to):
    """The taps of a column for all of row ``y``."""
    high = len(rows)
    to[:] = 0
    for t in range(0, len(taps), 4):
        at = y + t - reach
        if at >= high + 3 and not extend:
            break
        if extend:
            _four_rows(to, rows[min(max(at, 0), high - 1)], rows[min(max(at + 1, 0), high - 1)],
                       rows[min(max(at + 2, 0), high - 1)], rows[min(max(at + 3, 0), high - 1)],
                       taps[t], taps[t + 1], taps[t + 2], taps[t + 3])  # fmt: skip
        elif at >= 0 and at + 3 < high:
            _four_rows(to, rows[at], rows[at + 1], rows[at + 2], rows[at + 3],
                       taps[t], taps[t + 1], taps[t + 2], taps[t + 3])  # fmt: skip
        else:
            for n in range(4):
                if 0 <= at + n < high:
                    _four_rows(to, rows[at + n], nothing, nothing, nothing, taps[t + n],
                               np.float32(0), np.float32(0), np.float32(0))  # fmt: skip


@nb.njit(error_model="numpy")
def _along(padded, ch, taps, to):
    """A row blurred along itself, with as much on both sides as its taps reach."""
    to[:] = 0
    for t in range(0, len(taps), 4):
        _four(to, padded, np.uint64(t * ch), np.uint64(ch), taps, t)


@nb.njit(error_model="numpy")
def _filled(padded, ch, reach, size, extend):
    """What lies before and behind a row."""
    first, last = reach * ch, reach * ch + size
    for x in range(first):
        padded[x] = padded[first + x % ch] if extend else np.float32(0)
    for x in range(last, padded.size):
        padded[x] = padded[last - ch + (x - last) % ch] if extend else np.float32(0)


@kernel(parallel=True)
def _blur_small(small, ch, taps, reach):
    high, size = small.shape
    first, out = np.empty_like(small), np.empty_like(small)
    for y in nb.prange(high):
        padded = np.empty(size + (len(taps) + 1) * ch, np.float32)
        padded[reach * ch : reach * ch + size] = small[y]
        _filled(padded, ch, reach, size, True)
        _along(padded, ch, taps, first[y])
    for y in nb.prange(high):
        _down_taps(first, y, reach, taps, True, first[0], out[y])
    return out


@nb.njit(error_model="numpy", inline="always")
def _wide_row(row, ch, f, begin, weights, width, to):
    """A small row as wide as the picture: ``begin`` is the small pixel of the first, whose phase is 0."""
    n = np.uint64(ch)
    for phase in range(f):
        w0, w1, w2, w3 = weights[phase, 0], weights[phase, 1], weights[phase, 2], weights[phase, 3]
        # past the middle of a small pixel the four around are those one further on
        first = begin - (2 if 2 * phase + 1 < f else 1)
        for k in range((width - phase + f - 1) // f):
            for c in range(ch):
                i = np.uint64((first + k) * ch + c)
                to[np.uint64((k * f + phase) * ch + c)] = (
                    w0 * row[i] + w1 * row[i + n] + w2 * row[i + n + n] + w3 * row[i + n + n + n]
                )


@nb.njit(error_model="numpy")
def _widened(row, ch, f, begin, weights, width, to):
    if ch == 4:
        _wide_row(row, 4, f, begin, weights, width, to)
    else:
        _wide_row(row, 1, f, begin, weights, width, to)


@nb.njit(error_model="numpy")
def _down(a, b, c, d, w0, w1, w2, w3, to):
    half = np.float32(0.5)
    for k in range(to.size):
        to[k] = np.uint8(np.int32(w0 * a[k] + w1 * b[k] + w2 * c[k] + w3 * d[k] + half))


@nb.njit(error_model="numpy")
def _enlarged_band(small, ch, f, margin, first, last, weights, out):
    """The rows of some small ones, from ``first`` on; every small row is widened once, in a ring of four."""
    high, wide = out.shape[0], out.shape[1] // ch
    tall = len(small)
    ring = np.empty((4, wide * ch), np.float32)
    lowest = margin + first - 2
    for n in range(3):
        _widened(small[lowest + n], ch, f, margin, weights, wide, ring[(lowest + n) % 4])
    for j in range(first, last):
        here = margin + j
        for part in range(2):
            begin = here - 2 + part  # before the middle of a small row, and after it
            _widened(
                small[min(begin + 3, tall - 1)], ch, f, margin, weights, wide, ring[(begin + 3) % 4]
            )
            for phase in range(0 if part == 0 else f // 2, f // 2 if part == 0 else f):
                y = j * f + phase
                if y >= high:
                    continue
                w = weights[phase]
                _down(ring[begin % 4], ring[(begin + 1) % 4], ring[(begin + 2) % 4], ring[(begin + 3) % 4],
                      w[0], w[1], w[2], w[3], out[y])  # fmt: skip


@kernel(parallel=True)
def _enlarge(small, ch, f, margin, high, wide, weights):
    out = np.empty((high, wide * ch), np.uint8)
    rows = (high + f - 1) // f
    each = max(4, (rows + 7) // 8)
    for band in nb.prange((rows + each - 1) // each):
        first = band * each
        _enlarged_band(small, ch, f, margin, first, min(first + each, rows), weights, out)
    return out


@nb.njit(error_model="numpy")
def _rounded(row, to):
    half = np.float32(0.5)
    for k in range(to.size):
        to[k] = np.uint8(np.int32(row[k] + half))


@kernel(parallel=True)
def _direct(picture, ch, taps, reach, extend):
    """Down, then along each row."""
    size = picture.shape[1]
    out = np.empty_like(picture)
    for band in nb.prange((len(picture) + 15) // 16):
        padded = np.empty(size + (len(taps) + 1) * ch, np.float32)
        to = np.empty(size, np.float32)
        inner = padded[reach * ch : reach * ch + size]
        for y in range(16 * band, min(16 * band + 16, len(picture))):
            _down_taps(picture, y, reach, taps, extend, picture[0], inner)
            _filled(padded, ch, reach, size, extend)
            _along(padded, ch, taps, to)
            _rounded(to, out[y])
    return out


def blurred(picture: NDArray[np.uint8], sigma: float, extend: bool = True) -> NDArray[np.uint8]:
    """A picture blurred by a Gaussian.

    Args:
        picture: (h, w) or (h, w, 4) uint8; premultiplied where it has coverage.
        sigma: its deviation, pixels; up to 0.2 nothing is done.
        extend: beyond its edge the picture goes on as it ends there, rather than being clear.

    >>> point = np.zeros((9, 9), np.uint8)
    >>> point[4, 4] = 255
    >>> blurred(point, 1.0)[4].tolist()
    [0, 0, 5, 25, 41, 25, 5, 0, 0]
    """
    if sigma <= 0.2:
        return picture
    ch = 1 if picture.ndim == 2 else picture.shape[2]
    height, width = picture.shape[:2]
    sigma = min(sigma, 2.0 * max(height, width))
    flat = np.ascontiguousarray(picture).reshape(height, width * ch)
    f = shrink_of(sigma)
    small_sigma = sigma if f == 1 else float(np.sqrt(_left(sigma, f)))
    taps, reach = _taps(small_sigma), _reach(small_sigma)
    if f == 1:
        return np.asarray(_direct(flat, ch, taps, reach, extend)).reshape(picture.shape)
    margin = 3 if extend else reach + 3
    high, wide = -(-height // f) + 2 * margin, -(-width // f) + 2 * margin
    small = _shrink(flat, ch, f, margin, extend, high, wide)
    small = _blur_small(small, ch, taps, reach)
    out = _enlarge(small, ch, f, margin, height, width, _spline(f))
    return np.asarray(out).reshape(picture.shape)
