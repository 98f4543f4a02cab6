"""Rows of a picture under construction to those of a video frame, 8-bit 4:2:0, limited range.

To the bit what :func:`~velvet_seam.core.picture.yuv.rgba_to_yuv420` makes of the finished picture: each
value is rounded to 8 bits first, but no pixel is packed and taken apart again.
"""

from __future__ import annotations

import numba as nb
import numpy as np

from velvet_seam.core.picture.yuv import differences, thinned


@nb.njit(error_model="numpy")
def sums_held(width):
    """Room for each of the two rows of :func:`colour_sums`."""
    return width + 2


@nb.njit(error_model="numpy", inline="always")
def _byte(value):
    return np.int32(value * np.float32(255) + np.float32(0.5))


@nb.njit(error_model="numpy", fastmath={"contract"})
def luma_row(planes, p, k, to, at, n):
    """Y' of ``n`` pixels, R, G and B in 0 to 1 as planes of ``p`` values each, from ``to[at]`` on. ``k`` is
    from :func:`~velvet_seam.core.picture.yuv.to_ycc`."""
    half, base = np.float32(0.5), np.float32(16)
    wr, wg, wb = k[0], k[1], k[2]
    g_at, b_at = np.uint64(p), np.uint64(2 * p)
    for x in range(n):
        i = np.uint64(x)
        r = np.float32(_byte(planes[i]))
        g = np.float32(_byte(planes[g_at + i]))
        b = np.float32(_byte(planes[b_at + i]))
        to[at + i] = np.uint8(np.int32(wr * r + wg * g + wb * b + base + half))


@nb.njit(error_model="numpy")
def colour_sums(planes, p, red_blue, green, at, n, second):
    """The colour of the same pixels, from pixel ``at`` of the row on; that of the ``second`` row of two is
    added to that of the first. Red lies in the lower half of a number, blue in the upper, and before the
    first pixel is room for another."""
    up, g_at, b_at, first = np.uint32(16), np.uint64(p), np.uint64(2 * p), np.uint64(at + 1)
    if second:
        for x in range(n):
            i = np.uint64(x)
            r, b = np.uint32(_byte(planes[i])), np.uint32(_byte(planes[b_at + i]))
            red_blue[first + i] += r | b << up
            green[first + i] += np.uint32(_byte(planes[g_at + i]))
    else:
        for x in range(n):
            i = np.uint64(x)
            r, b = np.uint32(_byte(planes[i])), np.uint32(_byte(planes[b_at + i]))
            red_blue[first + i] = r | b << up
            green[first + i] = np.uint32(_byte(planes[g_at + i]))


@nb.njit(error_model="numpy")
def chroma_row(red_blue, green, k, blue, red, colours):
    """Cb and Cr of two rows whose colour has been summed. ``colours`` is room of three rows of a value for
    every pair of columns, float32."""
    last = red_blue.size - 1
    for row in (red_blue, green):  # beyond the ends colour goes on as it is there
        row[0], row[last] = row[1], row[last - 1]
    thinned(red_blue.view(np.uint64), green.view(np.uint64), colours[0], colours[1], colours[2])
    differences(colours[0], colours[1], colours[2], k, blue, red)
