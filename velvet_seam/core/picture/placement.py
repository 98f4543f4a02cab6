"""Placing a layer on the canvas: one affine matrix, one resampling.

Shrinking averages by area to the final size first; the rest, a move below one pixel, a rotation or
an enlargement, is one bicubic interpolation (Catmull–Rom, a = −½, R. Keys 1981). The layer's own
border is anti-aliased by how much of each canvas pixel it covers, so a layer that fits the canvas
exactly has no soft rim, and no colour from outside is ever mixed in.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, cos, floor, radians, sin, sqrt

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]


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


@nb.njit(inline="always", error_model="numpy")
def _byte(v, top):
    return np.uint32(np.int32(min(max(v, np.float32(0)), top) + np.float32(0.5)))


@nb.njit(inline="always", error_model="numpy")
def _channel(v, shift):
    return np.float32(np.int32((v >> np.uint32(shift)) & np.uint32(255)))


@nb.njit(inline="always", error_model="numpy")
def _four(w0, w1, w2, w3, p0, p1, p2, p3, shift):
    """One channel of four neighbouring pixels, weighted."""
    return (
        w0 * _channel(p0, shift)
        + w1 * _channel(p1, shift)
        + w2 * _channel(p2, shift)
        + w3 * _channel(p3, shift)
    )


@nb.njit(inline="always", error_model="numpy")
def _inside(i, size):
    return min(max(i, np.int32(0)), size - np.int32(1))


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _resample(source, inverse, left, top, width, height, reach_x, reach_y):
    """Sample a window of the canvas; ``reach`` is canvas pixels per source pixel along its axes.

    ``source`` holds a whole pixel in each uint32 (red lowest): one load for four channels.
    """
    sh, sw = np.int32(source.shape[0]), np.int32(source.shape[1])
    out = np.zeros((height, width), np.uint32)
    zero, full = np.float32(0), np.float32(255)
    solid = np.uint32(0xFF000000)
    one, two = np.int32(1), np.int32(2)
    for j in nb.prange(height):
        for i in range(width):
            cx, cy = left + i + 0.5, top + j + 0.5
            sx = inverse[0, 0] * cx + inverse[0, 1] * cy + inverse[0, 2]
            sy = inverse[1, 0] * cx + inverse[1, 1] * cy + inverse[1, 2]
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
            p0, p1, p2, p3 = source[ya, xa], source[ya, xb], source[ya, xc], source[ya, xd]
            q0, q1, q2, q3 = source[yb, xa], source[yb, xb], source[yb, xc], source[yb, xd]
            r0, r1, r2, r3 = source[yc, xa], source[yc, xb], source[yc, xc], source[yc, xd]
            s0, s1, s2, s3 = source[yd, xa], source[yd, xb], source[yd, xc], source[yd, xd]
            some = p0 | p1 | p2 | p3 | q0 | q1 | q2 | q3
            some |= r0 | r1 | r2 | r3 | s0 | s1 | s2 | s3
            if some == 0:
                continue
            every = p0 & p1 & p2 & p3 & q0 & q1 & q2 & q3
            every &= r0 & r1 & r2 & r3 & s0 & s1 & s2 & s3
            u0, u1, u2, u3 = _cubic(np.float32(sx - 0.5 - fx))
            v0, v1, v2, v3 = _cubic(np.float32(sy - 0.5 - fy))
            a = full
            if every & solid != solid:
                a = v0 * _four(u0, u1, u2, u3, p0, p1, p2, p3, 24)
                a += v1 * _four(u0, u1, u2, u3, q0, q1, q2, q3, 24)
                a += v2 * _four(u0, u1, u2, u3, r0, r1, r2, r3, 24)
                a += v3 * _four(u0, u1, u2, u3, s0, s1, s2, s3, 24)
                a = min(max(a, zero), full)
            a *= rim
            pixel = np.uint32(np.int32(a + np.float32(0.5))) << np.uint32(24)
            for shift in (0, 8, 16):
                c = v0 * _four(u0, u1, u2, u3, p0, p1, p2, p3, shift)
                c += v1 * _four(u0, u1, u2, u3, q0, q1, q2, q3, shift)
                c += v2 * _four(u0, u1, u2, u3, r0, r1, r2, r3, shift)
                c += v3 * _four(u0, u1, u2, u3, s0, s1, s2, s3, shift)
                pixel |= _byte(c * rim, a) << np.uint32(shift)
            out[j, i] = pixel
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
    height, width = picture.shape[:2]
    reach_x = sqrt(matrix[0, 0] ** 2 + matrix[1, 0] ** 2)
    reach_y = sqrt(matrix[0, 1] ** 2 + matrix[1, 1] ** 2)
    if reach_x <= 0 or reach_y <= 0:
        return None
    small_w = max(1, round(width * min(1.0, reach_x)))
    small_h = max(1, round(height * min(1.0, reach_y)))
    if (small_w, small_h) != (width, height):
        picture = np.asarray(
            cv2.resize(picture, (small_w, small_h), interpolation=cv2.INTER_AREA), np.uint8
        )
        matrix = matrix @ np.diag([width / small_w, height / small_h, 1.0])
        reach_x, reach_y = reach_x * width / small_w, reach_y * height / small_h
    box = occupied(picture)
    if box[2] == 0:
        return None
    shift = _whole_shift(matrix, small_w, small_h)
    if shift is not None:
        return _cut(picture, box, shift, canvas_width, canvas_height)
    left, top, right, bottom = box
    corners = matrix @ np.array(
        [[left, right, left, right], [top, top, bottom, bottom], [1, 1, 1, 1]], float
    )
    margin = 2 * max(reach_x, reach_y, 1.0)
    x0 = max(0, floor(corners[0].min() - margin))
    y0 = max(0, floor(corners[1].min() - margin))
    x1 = min(canvas_width, ceil(corners[0].max() + margin))
    y1 = min(canvas_height, ceil(corners[1].max() + margin))
    if x1 <= x0 or y1 <= y0:
        return None
    whole = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    pixels = _resample(whole, np.linalg.inv(matrix), x0, y0, x1 - x0, y1 - y0, reach_x, reach_y)
    return Patch(x0, y0, pixels.view(np.uint8).reshape(*pixels.shape, 4))


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
