"""From the planes of a video codec to R'G'B': the matrices of BT.601, BT.709 and BT.2020."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

WEIGHTS = {"601": (0.299, 0.114), "709": (0.2126, 0.0722), "2020": (0.2627, 0.0593)}
"""Kr and Kb of each matrix, as the recommendations print them."""


def coefficients(matrix: str, full_range: bool) -> NDArray[np.float32]:
    """Luma gain, luma offset, and the gains R←V, G←U, G←V, B←U, for 8-bit planes.

    From ``R' = Y' + 2(1 − Kr)·Cr``, ``B' = Y' + 2(1 − Kb)·Cb`` and ``Y' = Kr·R' + Kg·G' + Kb·B'``.

    >>> [f"{k:.3f}" for k in coefficients("709", False)]
    ['1.164', '16.000', '1.793', '-0.213', '-0.533', '2.112']
    """
    kr, kb = WEIGHTS[matrix]
    kg = 1 - kr - kb
    luma, chroma, offset = (1.0, 1.0, 0.0) if full_range else (255 / 219, 255 / 224, 16.0)
    rv, bu = 2 * (1 - kr) * chroma, 2 * (1 - kb) * chroma
    return np.array([luma, offset, rv, -kb / kg * bu, -kr / kg * rv, bu], np.float32)


@nb.njit(cache=True, nogil=True, error_model="numpy")
def yuv420_to_rgba(luma, blue, red, width, height, k):
    """8-bit 4:2:0 planes to (height, width) uint32 pixels, red lowest, opaque.

    Chroma samples lie on the left column of their pair and midway between their two rows (the
    siting of MPEG-2 and H.264); between samples they are interpolated linearly.

    Args:
        luma, blue, red: Y', Cb, Cr as (rows, bytes a row) uint8, rows padded as the decoder likes.
        k: from :func:`coefficients`.
    """
    out = np.empty((height, width), np.uint32)
    half_w, half_h = (width + 1) // 2, (height + 1) // 2
    near, far = np.float32(0.75), np.float32(0.25)
    mid, half, zero, top = np.float32(128), np.float32(0.5), np.float32(0), np.float32(255)
    gain, offset, rv, gu, gv, bu = k[0], k[1], k[2], k[3], k[4], k[5]
    u = np.empty(2 * half_w + 2, np.float32)
    v = np.empty(2 * half_w + 2, np.float32)
    for y in range(height):
        c0 = y // 2
        c1 = min(c0 + 1, half_h - 1) if y % 2 else max(c0 - 1, 0)
        b0, b1, r0, r1 = blue[c0], blue[c1], red[c0], red[c1]
        for x in range(half_w):
            u[2 * x] = np.float32(b0[x]) * near + np.float32(b1[x]) * far - mid
            v[2 * x] = np.float32(r0[x]) * near + np.float32(r1[x]) * far - mid
        u[2 * half_w], v[2 * half_w] = u[2 * half_w - 2], v[2 * half_w - 2]
        for x in range(half_w):
            u[2 * x + 1] = (u[2 * x] + u[2 * x + 2]) * half
            v[2 * x + 1] = (v[2 * x] + v[2 * x + 2]) * half
        row, to = luma[y], out[y]
        for x in range(width):
            l = (np.float32(row[x]) - offset) * gain + half
            r = min(max(l + rv * v[x], zero), top)
            g = min(max(l + gu * u[x] + gv * v[x], zero), top)
            b = min(max(l + bu * u[x], zero), top)
            to[x] = (
                np.uint32(np.int32(r))
                | np.uint32(np.int32(g)) << np.uint32(8)
                | np.uint32(np.int32(b)) << np.uint32(16)
                | np.uint32(0xFF000000)
            )
    return out
