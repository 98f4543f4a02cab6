"""A picture as its codec holds it: planes of Y', Cb and Cr in 8-bit 4:2:0, the most usual kind by far.

Chroma samples lie on the left column of their pair and midway between their two rows (the siting of
MPEG-2 and H.264); between samples they are interpolated linearly. A row is made in two steps: what chroma
adds to R', G' and B', once for every pair of columns, and then the pixels. Since R', G' and B' are linear
in chroma, what lies between two samples is the mean of what they add.

What only lies in a stack as it is can be joined from the planes, row by row, without becoming a picture of
its own first.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.yuv import coefficients


@nb.njit(error_model="numpy")
def tints_held(width):
    """Room for each of the three planes of :func:`tint_row`; in vectors, they lie 16 values apart."""
    return (width // 2 + 17) // 16 * 16


@nb.njit(error_model="numpy", fastmath={"contract"})
def tint_row(blue, red, stride, y, width, height, k, to):
    """Half of what chroma adds to R', G' and B' at every second pixel of row ``y``: three planes of
    :func:`tints_held` values, with the last sample once more.

    Args:
        blue, red: flat planes of Cb and Cr with ``stride`` bytes a row.
        width, height: of the picture.
        k: from :func:`~velvet_seam.core.picture.yuv.coefficients`.
    """
    columns, lines, n, c = (width + 1) // 2, (height + 1) // 2, tints_held(width), y // 2
    other = min(c + 1, lines - 1) if y % 2 else max(c - 1, 0)
    near, far = np.uint64(c * stride), np.uint64(other * stride)
    # three quarters from the nearer row, one from the other; and half of that
    three, eighth, mid = np.float32(3), np.float32(0.125), np.float32(4 * 128)
    rv, gu, gv, bu = k[2] * eighth, k[3] * eighth, k[4] * eighth, k[5] * eighth
    g_at, b_at = np.uint64(n), np.uint64(2 * n)
    for x in range(columns):
        i = np.uint64(x)
        u = np.float32(np.int32(blue[near + i])) * three + np.float32(np.int32(blue[far + i])) - mid
        v = np.float32(np.int32(red[near + i])) * three + np.float32(np.int32(red[far + i])) - mid
        to[i] = rv * v
        to[g_at + i] = gu * u + gv * v
        to[b_at + i] = bu * u
    for plane in range(3):
        end = np.uint64(plane * n + columns)
        to[end] = to[end - np.uint64(1)]


@nb.njit(error_model="numpy", inline="always")
def _byte(value):
    return np.int32(min(max(value, np.float32(0)), np.float32(255)))


@nb.njit(error_model="numpy", inline="always")
def _packed(level, r, g, b):
    pixel = np.uint32(_byte(level + r)) | np.uint32(_byte(level + g)) << np.uint32(8)
    return pixel | np.uint32(_byte(level + b)) << np.uint32(16) | np.uint32(0xFF000000)


@nb.njit(error_model="numpy", fastmath={"contract"})
def pixel_row(luma, at, tints, k, to, to_at, width):
    """A row of ``width`` packed pixels, from ``to[to_at]`` on, of its luma, from ``luma[at]`` on, and its
    :func:`tint_row`."""
    gain, offset, n = k[0], np.float32(0.5) - k[1] * k[0], tints_held(width)
    one, two, g_at, b_at = np.uint64(1), np.uint64(2), np.uint64(n), np.uint64(2 * n)
    for x in range(width // 2):
        i = np.uint64(x)
        left, right = at + two * i, at + two * i + one
        r, g, b = tints[i], tints[g_at + i], tints[b_at + i]
        level = np.float32(np.int32(luma[left])) * gain + offset
        to[to_at + two * i] = _packed(level, r + r, g + g, b + b)
        level = np.float32(np.int32(luma[right])) * gain + offset
        r, g, b = r + tints[i + one], g + tints[g_at + i + one], b + tints[b_at + i + one]
        to[to_at + two * i + one] = _packed(level, r, g, b)
    if width % 2:
        last, i = np.uint64(width - 1), np.uint64(width // 2)
        r, g, b = tints[i], tints[g_at + i], tints[b_at + i]
        level = np.float32(np.int32(luma[at + last])) * gain + offset
        to[to_at + last] = _packed(level, r + r, g + g, b + b)


@nb.njit(error_model="numpy", fastmath={"contract"})
def plane_row(luma, at, tints, width, first, count, k, to, to_at, p):
    """The same pixels as :func:`pixel_row` gives, ``count`` of them from the even one ``first`` on, as planes
    R, G, B of ``p`` values each, 0 to 1, from ``to[to_at]`` on."""
    gain, offset, n = k[0], np.float32(0.5) - k[1] * k[0], tints_held(width)
    one, two = np.uint64(1), np.uint64(2)
    unit, tint, begin = np.float32(1 / 255), np.uint64(first // 2), at + np.uint64(first)
    # one plane after the other: loops that write three of them at once do not run in vectors, since there
    # is too much that could overlap
    for plane in range(3):
        own, to_own = tint + np.uint64(plane * n), to_at + np.uint64(plane * p)
        for x in range(count // 2):
            i, j, m = own + np.uint64(x), begin + two * np.uint64(x), to_own + two * np.uint64(x)
            here = np.float32(np.int32(luma[j])) * gain + offset
            after = np.float32(np.int32(luma[j + one])) * gain + offset
            added, then = tints[i] + tints[i], tints[i] + tints[i + one]
            to[m] = np.float32(_byte(here + added)) * unit
            to[m + one] = np.float32(_byte(after + then)) * unit
        if count % 2:
            last, i = np.uint64(count - 1), own + np.uint64(count // 2)
            here = np.float32(np.int32(luma[begin + last])) * gain + offset
            to[to_own + last] = np.float32(_byte(here + (tints[i] + tints[i]))) * unit


@kernel()
def yuv420_to_rgba(luma, blue, red, width, height, k):
    """8-bit 4:2:0 planes to (height, width) uint32 pixels, red lowest, opaque.

    Args:
        luma, blue, red: Y', Cb, Cr as (rows, bytes a row) uint8, rows padded as the decoder likes; Cb and
            Cr with as many bytes a row.
        k: from :func:`~velvet_seam.core.picture.yuv.coefficients`.
    """
    out, tints = np.empty((height, width), np.uint32), np.empty(3 * tints_held(width), np.float32)
    y_flat, u_flat, v_flat, to = (
        luma.reshape(-1),
        blue.reshape(-1),
        red.reshape(-1),
        out.reshape(-1),
    )
    for y in range(height):
        tint_row(u_flat, v_flat, blue.shape[1], y, width, height, k, tints)
        at, to_at = np.uint64(y * luma.shape[1]), np.uint64(y * width)
        pixel_row(y_flat, at, tints, k, to, to_at, width)
    return out


@dataclass(frozen=True, eq=False)
class Planes:
    """An opaque picture of 8-bit 4:2:0.

    Args:
        luma, blue, red: Y', Cb, Cr as (rows, bytes a row) uint8; Cb and Cr with as many bytes a row.
        k: from :func:`~velvet_seam.core.picture.yuv.coefficients`.
    """

    luma: NDArray[np.uint8]
    blue: NDArray[np.uint8]
    red: NDArray[np.uint8]
    width: int
    height: int
    k: NDArray[np.float32]

    @property
    def nbytes(self) -> int:
        return self.luma.nbytes + self.blue.nbytes + self.red.nbytes

    def whereabouts(self) -> NDArray[np.uint64]:
        """The addresses of Y', Cb and Cr, the bytes of a row of Y', and of one of Cb and Cr: for kernels that
        :mod:`~velvet_seam.core.picture.pointer` speaks of.

        Raises:
            ValueError: a plane is smaller than the picture, so that a kernel would read beyond it.
        """
        chroma = (self.height + 1) // 2, (self.width + 1) // 2
        sizes = ((self.height, self.width), chroma, chroma)
        for plane, (rows, row) in zip((self.luma, self.blue, self.red), sizes, strict=True):
            if plane.shape[0] < rows or plane.shape[1] < row:
                raise ValueError("A plane of a picture is smaller than the picture.")
        places = [plane.ctypes.data for plane in (self.luma, self.blue, self.red)]
        return np.array([*places, self.luma.shape[1], self.blue.shape[1]], np.uint64)

    def rgba(self) -> NDArray[np.uint8]:
        """The picture: (height, width, 4) uint8 RGBA, opaque.

        >>> light, mid = np.full((2, 4), 235, np.uint8), np.full((1, 2), 128, np.uint8)
        >>> Planes(light, mid, mid, 3, 2, coefficients("709", False)).rgba()[1].tolist()
        [[255, 255, 255, 255], [255, 255, 255, 255], [255, 255, 255, 255]]
        """
        pixels = yuv420_to_rgba(self.luma, self.blue, self.red, self.width, self.height, self.k)
        return np.asarray(pixels.view(np.uint8).reshape(self.height, self.width, 4))


def frame_to_rgba(planes: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The picture of a frame of BT.709, limited range, that is one array of (height · 3/2, width)."""
    height, width = planes.shape[0] // 3 * 2, planes.shape[1]
    luma, blue, red = np.split(planes.reshape(-1), [height * width, height * width // 4 * 5])
    blue, red = (one.reshape(height // 2, width // 2) for one in (blue, red))
    k = coefficients("709", False)
    return Planes(luma.reshape(height, width), blue, red, width, height, k).rgba()
