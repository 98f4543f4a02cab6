"""From the planes of a video codec to R'G'B': the matrices of BT.601, BT.709 and BT.2020."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

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


@nb.njit(error_model="numpy")
def _between(one, other, near, far, unit, to):
    """A row of chroma between two lines, around 0; its last sample once more behind it."""
    middle, last = np.float32(128), to.size - 1
    for x in range(last):
        to[x] = (np.float32(one[x]) * near + np.float32(other[x]) * far) * unit - middle
    to[last] = to[last - 1]


@nb.njit(error_model="numpy")
def _spread(row, to):
    """A row of chroma for every pixel, midway between two samples at every second."""
    half, one, two = np.float32(0.5), np.uint64(1), np.uint64(2)
    for n in range(to.size // 2):
        x = np.uint64(n)
        to[two * x] = row[x]
        to[two * x + one] = (row[x] + row[x + one]) * half
    if to.size % 2:
        to[to.size - 1] = row[to.size // 2]


@nb.njit(error_model="numpy", inline="always")
def _deep(value):
    level = value * np.float32(257) + np.float32(0.5)
    return np.uint16(np.int32(min(max(level, np.float32(0)), np.float32(65535))))


@nb.njit(error_model="numpy")
def _row16(luma, cb, cr, k, unit, to):
    """R'G'B' of a row, one value after the other."""
    gain, base, rv, gu, gv, bu = k[0], k[1], k[2], k[3], k[4], k[5]
    one, three = np.uint64(1), np.uint64(3)
    for n in range(cb.size):
        x = np.uint64(n)
        at = three * x
        level = (np.float32(luma[x]) * unit - base) * gain
        to[at] = _deep(level + rv * cr[x])
        to[at + one] = _deep(level + gu * cb[x] + gv * cr[x])
        to[at + one + one] = _deep(level + bu * cb[x])


@kernel()
def planes_to_rgb16(luma, blue, red, width, height, k, halved_across, halved_down, unit):
    """Planes of any depth and subsampling to (height, width, 3) uint16 R'G'B', 0 to 65535.

    Chroma lies where MPEG-2 and H.264 put it, as for :class:`~velvet_seam.core.picture.planes.Planes`: on the left sample of
    two across, midway between two down.

    Args:
        luma, blue, red: Y', Cb, Cr as (rows, samples a row), uint8 or uint16.
        k: from :func:`coefficients`.
        halved_across, halved_down: whether chroma has half the samples along a line, half the lines.
        unit: what a step of a sample is in steps of 8 bits.
    """
    out = np.empty((height, width * 3), np.uint16)
    columns = (width + 1) // 2 if halved_across else width
    lines = (height + 1) // 2 if halved_down else height
    u, v = np.empty(columns + 1, np.float32), np.empty(columns + 1, np.float32)
    cb, cr, one = np.empty(width, np.float32), np.empty(width, np.float32), np.float32(1)
    for y in range(height):
        c, other, near = y, y, one
        if halved_down:
            c = y // 2
            other = min(c + 1, lines - 1) if y % 2 else max(c - 1, 0)
            near = np.float32(0.75)
        _between(blue[c], blue[other], near, one - near, unit, u)
        _between(red[c], red[other], near, one - near, unit, v)
        if halved_across:
            _spread(u, cb)
            _spread(v, cr)
        else:
            cb[:], cr[:] = u[:width], v[:width]
        _row16(luma[y], cb, cr, k, unit, out[y])
    return out.reshape(height, width, 3)


@nb.njit(error_model="numpy")
def _packed16(row, part, to):
    """A row of R'G'B' packed, each value times its pixel's coverage."""
    half, down, full = np.float32(0.5), np.float32(1 / 257), np.float32(255)
    one, three, eight = np.uint64(1), np.uint64(3), np.uint32(8)
    for n in range(to.size):
        x = np.uint64(n)
        at, p = three * x, part[x]
        r = np.uint32(np.int32(np.float32(row[at]) * down * p + half))
        g = np.uint32(np.int32(np.float32(row[at + one]) * down * p + half))
        b = np.uint32(np.int32(np.float32(row[at + one + one]) * down * p + half))
        a = np.uint32(np.int32(p * full + half))
        to[x] = r | (g << eight) | (b << (eight + eight)) | (a << (eight + eight + eight))


@kernel()
def rgb16_to_rgba(rgb, alpha, most):
    """(height, width, 3) uint16 to packed uint8 RGBA, red lowest, premultiplied by a plane of coverage
    up to ``most``, which may be empty: (height, width) uint32."""
    height, width = rgb.shape[0], rgb.shape[1]
    out = np.empty((height, width), np.uint32)
    flat, part, whole = rgb.reshape(height, 3 * width), np.ones(width, np.float32), np.float32(most)
    for y in range(height):
        if alpha.size:
            for x in range(width):
                part[x] = np.float32(alpha[y, x]) / whole
        _packed16(flat[y], part, out[y])
    return out


@nb.njit(error_model="numpy", fastmath={"contract"})
def _luma(row, k, to):
    """Y' of a row of packed pixels, 16 to 235."""
    byte, half, base = np.uint32(255), np.float32(0.5), np.float32(16)
    g_at, b_at = np.uint32(8), np.uint32(16)
    wr, wg, wb = k[0], k[1], k[2]
    for x in range(row.size):
        v = row[x]
        r = np.float32(np.int32(v & byte))
        g = np.float32(np.int32((v >> g_at) & byte))
        b = np.float32(np.int32((v >> b_at) & byte))
        to[x] = np.uint8(np.int32(wr * r + wg * g + wb * b + base + half))


@nb.njit(error_model="numpy")
def _two_rows(one, other, red_blue, green):
    """Sums of two rows of packed pixels, from the second value on: red in the lower half of a number,
    blue in the upper, and green. Before the first and after the last they go on as they are there."""
    ends, byte, eight = np.uint32(0xFF00FF), np.uint32(255), np.uint32(8)
    width, first = one.size, np.uint64(1)
    for k in range(width):
        x = np.uint64(k)
        v, w = one[x], other[x]
        red_blue[x + first] = (v & ends) + (w & ends)
        green[x + first] = ((v >> eight) & byte) + ((w >> eight) & byte)
    for row in (red_blue, green):
        row[0] = row[1]
        row[width + 1 :] = row[width]


@nb.njit(error_model="numpy")
def thinned(red_blue, green, to_r, to_g, to_b):
    """Every second pixel, with a quarter of its neighbours (the siting of H.264), times eight. The sums are
    taken two at a time, since picking every second value does not run in vectors."""
    half, blue, high, low = np.uint64(0xFFFF), np.uint64(16), np.uint64(32), np.uint64(0xFFFFFFFF)
    one = np.uint64(1)
    for k in range(to_r.size):
        x = np.uint64(k)
        two, after = red_blue[x], red_blue[x + one]
        both = (two & low) + ((two >> high) << one) + (after & low)
        to_r[x] = np.float32(np.int32(both & half))
        to_b[x] = np.float32(np.int32(both >> blue))
        two, after = green[x], green[x + one]
        to_g[x] = np.float32(np.int32((two & low) + ((two >> high) << one) + (after & low)))


@nb.njit(error_model="numpy", fastmath={"contract"})
def differences(r, g, b, k, blue, red):
    """Cb and Cr of a row, from eight times its colour."""
    middle, eighth = np.float32(128.5), np.float32(0.125)
    b0, b1, b2 = k[3] * eighth, k[4] * eighth, k[5] * eighth
    r0, r1, r2 = k[6] * eighth, k[7] * eighth, k[8] * eighth
    for x in range(r.size):
        blue[x] = np.uint8(np.int32(b0 * r[x] + b1 * g[x] + b2 * b[x] + middle))
        red[x] = np.uint8(np.int32(r0 * r[x] + r1 * g[x] + r2 * b[x] + middle))


@nb.njit(error_model="numpy")
def pair_to_planes(one, other, k, luma, luma_below, blue, red, sums, colours):
    """Two rows of packed pixels to their rows of Y' and their row of Cb and Cr; the second row of Y' may
    be empty.

    ``sums`` is room of two rows of a pixel for every pair of columns, and two more, uint32; ``colours``
    of three rows of one for every pair, float32."""
    _luma(one, k, luma)
    if luma_below.size:
        _luma(other, k, luma_below)
    _two_rows(one, other, sums[0], sums[1])
    thinned(sums[0].view(np.uint64), sums[1].view(np.uint64), colours[0], colours[1], colours[2])
    differences(colours[0], colours[1], colours[2], k, blue, red)


@kernel()
def _to_planes(pixels, luma, blue, red, k):
    height, width = pixels.shape
    columns = (width + 1) // 2
    sums = np.zeros((2, 2 * columns + 2), np.uint32)
    colours = np.empty((3, columns), np.float32)
    for y in range((height + 1) // 2):
        below = width if 2 * y + 1 < height else 0
        last = min(2 * y + 1, height - 1)
        pair_to_planes(pixels[2 * y], pixels[last], k, luma[2 * y, :width], luma[last, :below],
                       blue[y, :columns], red[y, :columns], sums, colours)  # fmt: skip


def rgba_to_yuv420(
    picture: NDArray[np.uint8], luma: NDArray[np.uint8], blue: NDArray[np.uint8],
    red: NDArray[np.uint8], matrix: str = "709",
) -> None:  # fmt: skip
    """Fill the planes of a video frame, 8-bit 4:2:0, limited range; the reverse of
    :func:`~velvet_seam.core.picture.planes.yuv420_to_rgba`, with chroma where it looks for it.

    Args:
        picture: (height, width, 4) uint8 opaque RGBA.
        luma, blue, red: Y', Cb, Cr as (rows, bytes a row), rows padded as the encoder likes.

    >>> grey = np.full((2, 2, 4), 255, np.uint8)
    >>> y, cb, cr = np.zeros((2, 2), np.uint8), np.zeros((1, 1), np.uint8), np.zeros((1, 1), np.uint8)
    >>> rgba_to_yuv420(grey, y, cb, cr)
    >>> y.tolist(), cb.tolist(), cr.tolist()
    ([[235, 235], [235, 235]], [[128]], [[128]])
    """
    pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    _to_planes(pixels, luma, blue, red, to_ycc(matrix))


def to_ycc(matrix: str) -> NDArray[np.float32]:
    """Weights of R', G', B' in Y', Cb and Cr of 8 bits, limited range: 9 values."""
    kr, kb = WEIGHTS[matrix]
    kg = 1 - kr - kb
    down, chroma = 219 / 255, 224 / 255
    bu, rv = chroma / (2 * (1 - kb)), chroma / (2 * (1 - kr))
    k = [kr * down, kg * down, kb * down]
    k += [-kr * bu, -kg * bu, (1 - kb) * bu]
    k += [(1 - kr) * rv, -kg * rv, -kb * rv]
    return np.array(k, np.float32)


@kernel()
def _to_deep(pixels, luma, blue, red, k):
    height, width = pixels.shape
    b, r = np.empty(width, np.float32), np.empty(width, np.float32)
    byte, half, quarter = np.uint32(255), np.float32(0.5), np.float32(0.25)
    four, base, mid = np.float32(4), np.float32(16), np.float32(128)
    last = width - 1
    for y in range(height):
        for x in range(width):
            v = pixels[y, x]
            cr = np.float32(np.int32(v & byte))
            cg = np.float32(np.int32((v >> np.uint32(8)) & byte))
            cb = np.float32(np.int32((v >> np.uint32(16)) & byte))
            luma[y, x] = np.uint16((k[0] * cr + k[1] * cg + k[2] * cb + base) * four + half)
            b[x] = k[3] * cr + k[4] * cg + k[5] * cb + mid
            r[x] = k[6] * cr + k[7] * cg + k[8] * cb + mid
        for n in range((width + 1) // 2):
            i, before, after = 2 * n, max(2 * n - 1, 0), min(2 * n + 1, last)
            blue[y, n] = np.uint16((b[i] * half + (b[before] + b[after]) * quarter) * four + half)
            red[y, n] = np.uint16((r[i] * half + (r[before] + r[after]) * quarter) * four + half)


def rgba_to_yuv422p10(
    picture: NDArray[np.uint8], luma: NDArray[np.uint16], blue: NDArray[np.uint16],
    red: NDArray[np.uint16], matrix: str = "709",
) -> None:  # fmt: skip
    """The same for 10-bit 4:2:2, limited range: planes as (rows, samples a row) uint16."""
    pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    _to_deep(pixels, luma, blue, red, to_ycc(matrix))
