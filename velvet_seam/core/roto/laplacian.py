"""The matting Laplacian over a band of a picture, and its solution.

Of A. Levin, D. Lischinski and Y. Weiss, *A Closed-Form Solution to Natural Image Matting* (2008): in every window of 3 × 3
pixels coverage is taken for a linear function of colour; the Laplacian is what is left of that, squared. Here it is held
for the pixels of the band alone, as 25 numbers for each, one for every pixel that shares a window with it.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

F32 = NDArray[np.float32]
Places = NDArray[np.int32]

EPSILON = 3e-4
"""How far coverage may bend from a linear function of colour, as a variance of colours in 0 to 1."""

ROUNDS = 40
CLOSE = 1e-3
"""What is left, of what there was at first, at which the solution is good enough."""

MARGIN = 2
"""Pixels that a band keeps from the border of the picture it is given: those that share a window with it."""


@kernel()
def _stencils(picture, number, count, epsilon):
    """(25, count) float32. ``picture`` (h, w, 3) 0 to 1; ``number`` (h, w) int32, the band's pixels counted, -1 else."""
    height, width = number.shape
    out = np.zeros((25, count), np.float32)
    d = np.empty((9, 3), np.float32)
    v = np.empty((9, 3), np.float32)
    which = np.empty(9, np.int32)
    ninth, one = np.float32(1 / 9), np.float32(1)
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            some = False
            for n in range(9):
                which[n] = number[y + n // 3 - 1, x + n % 3 - 1]
                some |= which[n] >= 0
            if not some:
                continue
            r = g = b = np.float32(0)
            for n in range(9):
                for c in range(3):
                    d[n, c] = picture[y + n // 3 - 1, x + n % 3 - 1, c]
                r += d[n, 0]
                g += d[n, 1]
                b += d[n, 2]
            r, g, b = r * ninth, g * ninth, b * ninth
            # in double precision: of black on white all channels agree, and next to nothing is left of their minors
            rr = gg = bb = np.float64(epsilon) / 9
            rg = rb = gb = np.float64(0)
            for n in range(9):
                d[n, 0] -= r
                d[n, 1] -= g
                d[n, 2] -= b
                dr, dg, db = np.float64(d[n, 0]), np.float64(d[n, 1]), np.float64(d[n, 2])
                rr += dr * dr / 9
                gg += dg * dg / 9
                bb += db * db / 9
                rg += dr * dg / 9
                rb += dr * db / 9
                gb += dg * db / 9
            # the inverse of the covariance, by its minors
            i00, i01, i02 = gg * bb - gb * gb, rb * gb - rg * bb, rg * gb - rb * gg
            i11, i12, i22 = rr * bb - rb * rb, rg * rb - rr * gb, rr * gg - rg * rg
            over = 1 / (rr * i00 + rg * i01 + rb * i02)
            for n in range(9):
                v[n, 0] = (i00 * d[n, 0] + i01 * d[n, 1] + i02 * d[n, 2]) * over
                v[n, 1] = (i01 * d[n, 0] + i11 * d[n, 1] + i12 * d[n, 2]) * over
                v[n, 2] = (i02 * d[n, 0] + i12 * d[n, 1] + i22 * d[n, 2]) * over
            for n in range(9):
                i = which[n]
                if i < 0:
                    continue
                for m in range(9):
                    at = (m // 3 - n // 3 + 2) * 5 + m % 3 - n % 3 + 2
                    w = d[m, 0] * v[n, 0] + d[m, 1] * v[n, 1] + d[m, 2] * v[n, 2]
                    out[at, i] -= (one + w) * ninth
                out[12, i] += one
    return out


def stencils(picture: F32, number: Places, count: int) -> F32:
    """The Laplacian's rows of a band's pixels: (25, count) float32, those of the 5 × 5 pixels around each.

    Args:
        picture: (h, w, 3) colours in 0 to 1.
        number: (h, w) int32, the band's pixels counted from 0, -1 elsewhere; :data:`MARGIN` pixels along the border are
            none of the band.
    """
    return np.asarray(_stencils(picture, number, count, np.float32(EPSILON)))


@nb.njit(error_model="numpy")
def _runs(places):
    """Where runs of places beside each other begin, in order, and where the last of them ends."""
    begin = [n for n in range(places.size) if n == 0 or places[n] != places[n - 1] + 1]
    begin.append(places.size)
    return np.array(begin)


@nb.njit(error_model="numpy", fastmath={"reassoc", "contract", "nsz"})
def _times(rows, weight, places, runs, wide, plane, out):
    """(L + weight) p for the band, of which ``plane`` holds p flat, ``places`` where each pixel lies in it. Along a run
    everything lies beside each other: it is done in vectors."""
    one, two, three, four = np.uintp(1), np.uintp(2), np.uintp(3), np.uintp(4)
    for run in range(runs.size - 1):
        begin, length = runs[run], runs[run + 1] - runs[run]
        first = np.int64(places[begin])
        for j in range(length):
            n = np.uintp(begin + j)  # without a sign: nothing is counted from the end
            some = weight[n] * plane[np.uintp(first + j)]
            for k in range(5):
                at = np.uintp(first + j + (k - 2) * wide - 2)
                some += rows[5 * k, n] * plane[at] + rows[5 * k + 1, n] * plane[at + one]
                some += (
                    rows[5 * k + 2, n] * plane[at + two] + rows[5 * k + 3, n] * plane[at + three]
                )
                some += rows[5 * k + 4, n] * plane[at + four]
            out[n] = some


@kernel()
def _solved(rows, weight, wanted, places, wide, plane, rounds, close):
    """Conjugate gradients, each pixel divided by its own number on the diagonal."""
    count, runs = places.size, _runs(places)
    r, z, q = np.empty(count, np.float32), np.empty(count, np.float32), np.empty(count, np.float32)
    p = np.zeros(plane.size, np.float32)
    _times(rows, weight, places, runs, wide, plane, q)
    before, first = 0.0, 0.0
    for n in range(count):
        r[n] = weight[n] * wanted[n] - q[n]
        z[n] = r[n] / (rows[12, n] + weight[n])
        p[places[n]] = z[n]
        before += r[n] * z[n]
    first = before
    for _ in range(rounds):
        if before <= first * close * close:
            break
        _times(rows, weight, places, runs, wide, p, q)
        along = 0.0
        for n in range(count):
            along += p[places[n]] * q[n]
        if along <= 0:
            break
        a = np.float32(before / along)
        after = 0.0
        for n in range(count):
            plane[places[n]] += a * p[places[n]]
            r[n] -= a * q[n]
            z[n] = r[n] / (rows[12, n] + weight[n])
            after += r[n] * z[n]
        b = np.float32(after / before)
        for n in range(count):
            p[places[n]] = z[n] + b * p[places[n]]
        before = after
    return plane


def solved(rows: F32, weight: F32, wanted: F32, places: Places, known: F32) -> F32:
    """The coverage that minimises αᵀLα + Σ weight (α − wanted)² over a band, what lies around it as it is known.

    Args:
        rows: from :func:`stencils`.
        weight, wanted: (count,) how firmly each pixel of the band is wanted to be what.
        places: (count,) where each lies in ``known``, as a flat place.
        known: (h, w) coverage; within the band where to begin.

    Returns:
        (h, w) float32, not held within 0 to 1.
    """
    plane = known.astype(np.float32).ravel()
    done = _solved(rows, weight, wanted, places, known.shape[1], plane, ROUNDS, CLOSE)
    return np.asarray(done.reshape(known.shape))
