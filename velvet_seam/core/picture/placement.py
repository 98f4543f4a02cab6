"""Placing a layer on the canvas: one affine matrix, one resampling.

Shrinking averages by area to the final size first; the rest, a move below one pixel, a rotation or
an enlargement, is one bicubic interpolation (Catmull–Rom, a = −½, R. Keys 1981). The layer's own
border is anti-aliased by how much of each canvas pixel it covers, so a layer that fits the canvas
exactly has no soft rim, and no colour from outside is ever mixed in.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, cos, floor, hypot, radians, sin

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.resize import resize

Matrix = NDArray[np.float64]

BLOCK_BITS = 3
BLOCK = 1 << BLOCK_BITS
"""Side of a block of pixels that is skipped as a whole where it is empty."""


@dataclass(frozen=True)
class Patch:
    """A piece of picture lying on the canvas: (h, w, 4) uint8 RGBA, premultiplied."""

    left: int
    top: int
    pixels: NDArray[np.uint8]


def affine(
    x: float, y: float, scale: float, rotation: float, flip_x: bool, flip_y: bool,
    width: float, height: float,
) -> Matrix:  # fmt: skip
    """The 3 × 3 matrix from source pixels to canvas pixels.

    Args:
        x, y: where the source's centre lies on the canvas, pixels.
        scale: canvas pixels per source pixel.
        rotation: degrees clockwise.
        width, height: size of the source, pixels.

    >>> affine(50, 40, 2.0, 90, False, False, 10, 10) @ [10, 5, 1]
    array([50., 50.,  1.])
    """
    turn = radians(rotation)
    c, s = cos(turn) * scale, sin(turn) * scale
    if rotation % 90 == 0:  # exact quarter turns stay exact
        c, s = round(cos(turn)) * scale, round(sin(turn)) * scale
    fx, fy = (-1 if flip_x else 1), (-1 if flip_y else 1)
    a, b, d, e = c * fx, -s * fy, s * fx, c * fy
    u, v = width / 2, height / 2
    return np.array([[a, b, x - a * u - b * v], [d, e, y - d * u - e * v], [0, 0, 1]])


@nb.njit(cache=True, nogil=True, error_model="numpy")
def occupied(picture: NDArray[np.uint8]) -> tuple[int, int, int, int]:
    """The box of pixels with any coverage: left, top, right, bottom (the last two excluded)."""
    height, width = picture.shape[0], picture.shape[1]
    left, top, right, bottom = width, height, 0, 0
    for y in range(height):
        x = 0
        while x < width and picture[y, x, 3] == 0:
            x += 1
        if x == width:
            continue
        top = min(top, y)
        bottom = y + 1
        left = min(left, x)
        x = width - 1
        while picture[y, x, 3] == 0:
            x -= 1
        right = max(right, x + 1)
    if right == 0:
        return 0, 0, 0, 0
    return left, top, right, bottom


@nb.njit(inline="always", error_model="numpy")
def _cubic(t):
    """The four Catmull–Rom weights for a point ``t`` of the way from tap 1 to tap 2."""
    half, one, two = np.float32(0.5), np.float32(1), np.float32(2)
    three, four, five = np.float32(3), np.float32(4), np.float32(5)
    return (
        half * t * (t * (two - t) - one),
        half * (t * t * (three * t - five) + two),
        half * t * (t * (four - three * t) + one),
        half * t * t * (t - one),
    )


@nb.njit(inline="always", error_model="numpy")
def _rim(distance):
    return min(max(distance + np.float32(0.5), np.float32(0)), np.float32(1))


@nb.njit(error_model="numpy", fastmath={"contract"})
def _line(source, begin, ea, eb, ec, ed, w0, w1, w2, w3):
    """Four neighbouring pixels of one line, weighted: R, G, B, α."""
    c1, c2, c3 = np.uint64(1), np.uint64(2), np.uint64(3)
    i, j, k, l = begin + ea, begin + eb, begin + ec, begin + ed
    return (
        w0 * source[i] + w1 * source[j] + w2 * source[k] + w3 * source[l],
        w0 * source[i + c1] + w1 * source[j + c1] + w2 * source[k + c1] + w3 * source[l + c1],
        w0 * source[i + c2] + w1 * source[j + c2] + w2 * source[k + c2] + w3 * source[l + c2],
        w0 * source[i + c3] + w1 * source[j + c3] + w2 * source[k + c3] + w3 * source[l + c3],
    )


@nb.njit(inline="always", error_model="numpy")
def _inside(i, size):
    return min(max(i, np.int32(0)), size - np.int32(1))


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _floats(source):
    """The channels of whole pixels as a flat row of floats for each row."""
    h, w = source.shape
    out = np.empty((h, 4 * w), np.float32)
    bytes_ = source.view(np.uint8)
    for y in nb.prange(h):
        for f in range(4 * w):
            out[y, f] = np.float32(bytes_[y, f])
    return out


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _occupancy(source):
    """For each block of pixels, 1 where it or a block around it has any coverage."""
    h, w = source.shape
    bh, bw = (h + BLOCK - 1) // BLOCK, (w + BLOCK - 1) // BLOCK
    own = np.zeros((bh + 2, bw + 2), np.uint8)
    for by in nb.prange(bh):
        line = np.zeros(w, np.uint32)
        for y in range(by * BLOCK, min(by * BLOCK + BLOCK, h)):
            row = source[y]
            for x in range(w):
                line[x] |= row[x]
        for x in range(w):
            if line[x] != 0:
                own[by + 1, x // BLOCK + 1] = 1
    out = np.empty((bh, bw), np.uint8)
    for y in range(bh):
        for x in range(bw):
            out[y, x] = (
                own[y, x] | own[y, x + 1] | own[y, x + 2]
                | own[y + 1, x] | own[y + 1, x + 1] | own[y + 1, x + 2]
                | own[y + 2, x] | own[y + 2, x + 1] | own[y + 2, x + 2]
            )  # fmt: skip
    return out


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _resample(source, rows, blocks, inverse, left, top, width, height, reach_x, reach_y):
    """Sample a window of the canvas; ``reach`` is canvas pixels per source pixel along its axes.

    ``source`` is flat float32 in 0 to 255, four channels a pixel: as floats already, so that the
    channels of a tap are one vector.
    ``blocks`` says where a pixel and its neighbours may have any coverage, see :func:`_occupancy`.
    """
    sh, sw = np.int32(rows), np.int32(source.size // (4 * rows))
    out = np.zeros((height, 4 * width), np.uint8)
    zero, full = np.float32(0), np.float32(255)
    half, tiny = np.float32(0.5), np.float32(1e-3)
    # unsigned indices: signed ones are tested for being negative at every load
    c4 = np.uint64(4)
    stride = np.uint64(4 * sw)
    one, two = np.int32(1), np.int32(2)
    ax, ay = inverse[0, 0], inverse[1, 0]
    margin_x, margin_y = 0.5 / reach_x, 0.5 / reach_y
    for j in nb.prange(height):
        cy = top + j + 0.5
        start_x = inverse[0, 1] * cy + inverse[0, 2] + ax * (left + 0.5)
        start_y = inverse[1, 1] * cy + inverse[1, 2] + ay * (left + 0.5)
        for i in range(width):
            sx, sy = start_x + ax * i, start_y + ay * i
            if sx < -margin_x or sy < -margin_y or sx > sw + margin_x or sy > sh + margin_y:
                continue
            nx, ny = _inside(np.int32(sx), sw), _inside(np.int32(sy), sh)
            if blocks[ny >> BLOCK_BITS, nx >> BLOCK_BITS] == 0:
                continue
            rim = (
                _rim(np.float32(sx * reach_x))
                * _rim(np.float32((sw - sx) * reach_x))
                * _rim(np.float32(sy * reach_y))
                * _rim(np.float32((sh - sy) * reach_y))
            )
            if rim <= zero:
                continue
            fx, fy = np.floor(sx - 0.5), np.floor(sy - 0.5)
            x, y = np.int32(fx), np.int32(fy)
            xa, xb = _inside(x - one, sw), _inside(x, sw)
            xc, xd = _inside(x + one, sw), _inside(x + two, sw)
            ya, yb = _inside(y - one, sh), _inside(y, sh)
            yc, yd = _inside(y + one, sh), _inside(y + two, sh)
            u0, u1, u2, u3 = _cubic(np.float32(sx - 0.5 - fx))
            v0, v1, v2, v3 = _cubic(np.float32(sy - 0.5 - fy))
            ea, eb = np.uint64(xa) * c4, np.uint64(xb) * c4
            ec, ed = np.uint64(xc) * c4, np.uint64(xd) * c4
            la, lb = np.uint64(ya) * stride, np.uint64(yb) * stride
            lc, ld = np.uint64(yc) * stride, np.uint64(yd) * stride
            r, g, b, a = _line(source, la, ea, eb, ec, ed, v0 * u0, v0 * u1, v0 * u2, v0 * u3)
            r1, g1, b1, a1 = _line(source, lb, ea, eb, ec, ed, v1 * u0, v1 * u1, v1 * u2, v1 * u3)
            r2, g2, b2, a2 = _line(source, lc, ea, eb, ec, ed, v2 * u0, v2 * u1, v2 * u2, v2 * u3)
            r3, g3, b3, a3 = _line(source, ld, ea, eb, ec, ed, v3 * u0, v3 * u1, v3 * u2, v3 * u3)
            r, g = (r + r1) + (r2 + r3), (g + g1) + (g2 + g3)
            b, a = (b + b1) + (b2 + b3), (a + a1) + (a2 + a3)
            a = min(max(a, zero), full) * rim
            if full - a < tiny:
                a = full
            to = 4 * i
            out[j, to] = np.uint8(np.int32(min(max(r * rim, zero), a) + half))
            out[j, to + 1] = np.uint8(np.int32(min(max(g * rim, zero), a) + half))
            out[j, to + 2] = np.uint8(np.int32(min(max(b * rim, zero), a) + half))
            out[j, to + 3] = np.uint8(np.int32(a + half))
    return out


def place(
    picture: NDArray[np.uint8], matrix: Matrix, canvas_width: int, canvas_height: int
) -> Patch | None:
    """Place a picture on the canvas.

    Args:
        picture: (h, w, 4) uint8 RGBA, premultiplied.
        matrix: 3 × 3, from pixels of ``picture`` to canvas pixels.

    Returns:
        The part that lies on the canvas, or None where nothing does.
    """
    reach_x = hypot(matrix[0, 0], matrix[1, 0])
    reach_y = hypot(matrix[0, 1], matrix[1, 1])
    if reach_x <= 0 or reach_y <= 0:
        return None
    box = occupied(picture)
    if box[2] == 0:
        return None
    height, width = picture.shape[:2]
    shift = _whole_shift(matrix, width, height)
    if shift is not None:
        return _cut(picture, box, shift, canvas_width, canvas_height)
    window = _window(matrix, box, max(reach_x, reach_y, 1.0), canvas_width, canvas_height)
    if window is None:
        return None
    x0, y0, w, h = window
    if matrix[0, 1] == 0 and matrix[1, 0] == 0:
        rows = (height - box[3], height - box[1]) if matrix[1, 1] < 0 else (box[1], box[3])
        upright, matrix = _upright(picture, matrix)
        scale, shift_to = (matrix[0, 0], matrix[1, 1]), (matrix[0, 2], matrix[1, 2])
        return Patch(x0, y0, resize(upright, scale, shift_to, window, rows))
    if min(reach_x, reach_y) < 1:
        picture, matrix = _reduced(picture, matrix, reach_x, reach_y, (box[1], box[3]))
        reach_x = hypot(matrix[0, 0], matrix[1, 0])
        reach_y = hypot(matrix[0, 1], matrix[1, 1])
    whole = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    pixels = _resample(
        _floats(whole).reshape(-1),
        whole.shape[0],
        _occupancy(whole),
        np.linalg.inv(matrix),
        x0,
        y0,
        w,
        h,
        reach_x,
        reach_y,
    )
    return Patch(x0, y0, pixels.reshape(h, w, 4))


def _window(
    matrix: Matrix, box: tuple[int, int, int, int], reach: float, canvas_width: int,
    canvas_height: int,
) -> tuple[int, int, int, int] | None:  # fmt: skip
    """Left, top, width, height of the canvas area that a box of the source can touch."""
    left, top, right, bottom = box
    corners = matrix @ np.array(
        [[left, right, left, right], [top, top, bottom, bottom], [1, 1, 1, 1]], float
    )
    x0 = max(0, floor(corners[0].min() - 2 * reach))
    y0 = max(0, floor(corners[1].min() - 2 * reach))
    x1 = min(canvas_width, ceil(corners[0].max() + 2 * reach))
    y1 = min(canvas_height, ceil(corners[1].max() + 2 * reach))
    return (x0, y0, x1 - x0, y1 - y0) if x1 > x0 and y1 > y0 else None


def _upright(picture: NDArray[np.uint8], matrix: Matrix) -> tuple[NDArray[np.uint8], Matrix]:
    """The same placement without mirroring: the picture itself is mirrored instead."""
    height, width = picture.shape[:2]
    if matrix[0, 0] < 0:
        picture = picture[:, ::-1]
        matrix = matrix @ np.array([[-1, 0, width], [0, 1, 0], [0, 0, 1]], float)
    if matrix[1, 1] < 0:
        picture = picture[::-1]
        matrix = matrix @ np.array([[1, 0, 0], [0, -1, height], [0, 0, 1]], float)
    return np.ascontiguousarray(picture), matrix


def _reduced(
    picture: NDArray[np.uint8],
    matrix: Matrix,
    reach_x: float,
    reach_y: float,
    rows: tuple[int, int],
) -> tuple[NDArray[np.uint8], Matrix]:
    """The picture averaged to about the size it will have, and the matrix that is left to do."""
    height, width = picture.shape[:2]
    w = max(1, round(width * min(1.0, reach_x)))
    h = max(1, round(height * min(1.0, reach_y)))
    small = resize(picture, (w / width, h / height), (0.0, 0.0), (0, 0, w, h), rows)
    return small, matrix @ np.diag([width / w, height / h, 1.0])


def _whole_shift(matrix: Matrix, width: int, height: int) -> tuple[int, int] | None:
    """The move in whole pixels that a matrix is, to a hundredth of a pixel; else None."""
    ends = matrix @ np.array([[0, width, 0], [0, 0, height], [1, 1, 1]], float)
    x, y = round(ends[0, 0]), round(ends[1, 0])
    exact = np.array([[x, x + width, x], [y, y, y + height]])
    return (x, y) if np.abs(ends[:2] - exact).max() < 0.01 else None


def _cut(
    picture: NDArray[np.uint8],
    box: tuple[int, int, int, int],
    shift: tuple[int, int],
    canvas_width: int,
    canvas_height: int,
) -> Patch | None:
    x0, y0 = max(0, box[0] + shift[0]), max(0, box[1] + shift[1])
    x1 = min(canvas_width, box[2] + shift[0])
    y1 = min(canvas_height, box[3] + shift[1])
    if x1 <= x0 or y1 <= y0:
        return None
    piece = picture[y0 - shift[1] : y1 - shift[1], x0 - shift[0] : x1 - shift[0]]
    return Patch(x0, y0, np.ascontiguousarray(piece))
