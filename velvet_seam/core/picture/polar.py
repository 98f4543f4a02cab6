"""Blur round a point and blur away from it: both are a mean along lines that are straight in polar coordinates.

The picture is read along such lines, rings round the point for the one and rays for the other, in bands of distance
within which a step is at most a pixel; running sums along a line give the mean at every place of it, whatever its
length; then every pixel is looked up between the two lines beside it, which lie half a pixel apart.

Four channels travel in one number of 64 bits, a lane of 16 for each: one multiplication weighs all of them.
"""

from __future__ import annotations

from math import hypot, log, pi

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.polar_bands import CHUNK, Band, rays, rings

GROUP = 32
"""Lines that one thread makes one after the other."""

_BYTES = np.uint64(0x00FF00FF00FF00FF)
_PAIRS = np.uint64(0x0000FFFF0000FFFF)
_WORD = np.uint64(0xFFFFFFFF)
_HALVES = np.uint64(0x0080008000800080)
_U4, _U8, _U16, _U32 = (np.uint64(n) for n in (4, 8, 16, 32))
_256 = np.uint64(256)


@nb.njit(inline="always")
def _lanes(word):
    """The four bytes of a pixel, each in 16 bits of its own."""
    wide = np.uint64(word)
    wide = (wide | (wide << _U16)) & _PAIRS
    return (wide | (wide << _U8)) & _BYTES


@kernel(parallel=True)
def _widened(words):
    out = np.empty(words.shape, np.uint64)
    for y in nb.prange(words.shape[0]):
        row, to = words[y], out[y]
        for x in range(row.size):
            to[x] = _lanes(row[x])
    return out


@nb.njit(error_model="numpy")
def _wanted(re, im, along, within, size, middle, count, wanted):
    """Which chunks of places are asked for by means that lie in the picture."""
    wanted[:] = False
    reach = count // 2 + CHUNK
    for n in range(wanted.size):
        a, b = along[n].real, along[n].imag
        x0, y0 = re * a - im * b, re * b + im * a
        last = within[CHUNK - 1]
        x1, y1 = x0 * last.real - y0 * last.imag, x0 * last.imag + y0 * last.real
        slack = 2 + abs(x1 - x0) + abs(y1 - y0)
        seen = (
            -slack <= x0 + middle[0] <= size[0] + slack
            and -slack <= y0 + middle[1] <= size[1] + slack
        )
        if seen:
            for other in range(
                max(0, (n * CHUNK - reach) // CHUNK),
                min(wanted.size, (n * CHUNK + CHUNK + reach) // CHUNK + 1),
            ):
                wanted[other] = True


@nb.njit(error_model="numpy", fastmath=True)
def _spots(re, im, turn_re, turn_im, size, middle, xs, ys):
    """The places of a chunk in sixteenths of a pixel, none beyond the edge."""
    most_x, most_y = np.float32(size[0] * 16 - 16), np.float32(size[1] * 16 - 16)
    x, y = np.float32(re * 16), np.float32(im * 16)
    left, top = np.float32(middle[0] * 16 + 0.5), np.float32(middle[1] * 16 + 0.5)
    none = np.float32(0)
    for k in range(CHUNK):
        xs[k] = np.int32(min(max(left + x * turn_re[k] - y * turn_im[k], none), most_x))
        ys[k] = np.int32(min(max(top + y * turn_re[k] + x * turn_im[k], none), most_y))


@nb.njit(error_model="numpy")
def _read(lanes, stride, xs, ys, to):
    """What the picture shows there, bilinear, in lanes."""
    below = np.uint64(stride)
    one = np.uint64(1)
    for k in range(CHUNK):
        x, y = xs[k], ys[k]
        u, v = np.uint64(x & 15), np.uint64(y & 15)
        at = np.uint64((y >> 4) * stride + (x >> 4))
        both = u * v
        right, low = (u << _U4) - both, (v << _U4) - both
        value = (
            lanes[at] * (_256 - right - low - both) + lanes[at + one] * right
            + lanes[at + below] * low + lanes[at + below + one] * both
        )  # fmt: skip
        to[k] = ((value + _HALVES) >> _U8) & _BYTES


@nb.njit(error_model="numpy", inline="always")
def _mean(even, odd, part):
    half = np.float32(0.5)
    red = np.uint32(np.int32(np.float32(np.int32(even & _WORD)) * part + half))
    blue = np.uint32(np.int32(np.float32(np.int32(even >> _U32)) * part + half))
    green = np.uint32(np.int32(np.float32(np.int32(odd & _WORD)) * part + half))
    cover = np.uint32(np.int32(np.float32(np.int32(odd >> _U32)) * part + half))
    return red | green << np.uint32(8) | blue << np.uint32(16) | cover << np.uint32(24)


@nb.njit(error_model="numpy")
def _means(places, begin, end, count, stride, to):
    """Means over ``count`` places, every ``stride`` of them, by running sums: of those that lie in a run of places."""
    first, last = (begin + stride - 1) // stride, min((end - count) // stride, to.size - 1)
    if last < first:
        return
    even, odd = np.uint64(0), np.uint64(0)
    old_at, new_at = np.uint64(first * stride), np.uint64(first * stride + count)
    for k in range(count):
        value = places[old_at + np.uint64(k)]
        even += value & _PAIRS
        odd += (value >> _U16) & _PAIRS
    part = np.float32(1 / count)
    one = np.uint64(1)
    to[first] = _mean(even, odd, part)
    for j in range(first + 1, last + 1):
        for _ in range(stride):
            new, old = places[new_at], places[old_at]
            even += (new & _PAIRS) - (old & _PAIRS)
            odd += ((new >> _U16) & _PAIRS) - ((old >> _U16) & _PAIRS)
            new_at += one
            old_at += one
        to[j] = _mean(even, odd, part)


@nb.njit(error_model="numpy")
def _line(flat, row, size, middle, re, im, along, turn, within, count, stride, room, to):
    """The means on one line, as far as it lies in the picture."""
    wanted, places, spots = room
    _wanted(re, im, along, within, size, middle, count, wanted)
    begin = 0
    while begin < wanted.size:
        if not wanted[begin]:
            begin += 1
            continue
        end = begin
        while end < wanted.size and wanted[end]:
            a, b = along[end].real, along[end].imag
            _spots(
                re * a - im * b, re * b + im * a, turn[0], turn[1], size, middle, spots[0], spots[1]
            )
            _read(flat, row, spots[0], spots[1], places[end * CHUNK : end * CHUNK + CHUNK])
            end += 1
        _means(places, begin * CHUNK, end * CHUNK, count, stride, to)
        begin = end


@kernel(parallel=True)
def _lines(lanes, size, middle, across, along, within, count, stride, means):
    """The means on every line of a band."""
    out = np.empty((across.size, means), np.uint32)
    turn = np.empty((2, CHUNK), np.float32)
    turn[0], turn[1] = within.real.astype(np.float32), within.imag.astype(np.float32)
    flat, row = lanes.reshape(-1), lanes.shape[1]
    for group in nb.prange((across.size + GROUP - 1) // GROUP):
        wanted = np.empty(along.size, np.bool_)
        places = np.empty(along.size * CHUNK, np.uint64)
        spots = np.empty((2, CHUNK), np.int32)
        for n in range(group * GROUP, min(across.size, group * GROUP + GROUP)):
            _line(flat, row, size, middle, across[n].real, across[n].imag, along, turn, within, count, stride,
                  (wanted, places, spots), out[n])  # fmt: skip
    return out


@nb.njit(error_model="numpy", fastmath=True)
def _squares(first, dy, to):
    """Squared distances from the point, of pixels from ``first`` across on."""
    for k in range(to.size):
        dx = np.float32(np.int32(k)) + first
        to[k] = dx * dx + dy * dy


@nb.njit(error_model="numpy", fastmath=True)
def _angles(first, dy, to):
    """Directions from the point, 0 to 2π. The arc tangent is a minimax polynomial, to 0.00001 radians."""
    high = abs(dy)
    sign = np.float32(1) if dy >= 0 else np.float32(-1)
    for k in range(to.size):
        dx = np.float32(np.int32(k)) + first
        wide = abs(dx)
        most = wide if wide >= high else high
        z = (wide + high - most) / (most + np.float32(1e-12))
        s = z * z
        turn = np.float32(-0.01172120)
        turn = turn * s + np.float32(0.05265332)
        turn = turn * s + np.float32(-0.11643287)
        turn = turn * s + np.float32(0.19354346)
        turn = turn * s + np.float32(-0.33262347)
        turn = (turn * s + np.float32(0.99997726)) * z
        turn = turn if wide >= high else np.float32(pi / 2) - turn
        turn = turn if dx >= 0 else np.float32(pi) - turn
        to[k] = np.float32(pi) + sign * (turn - np.float32(pi))


@nb.njit(error_model="numpy", fastmath=True)
def _sixteenths(values, first, unit, to):
    """Numbers as places along something, in sixteenths of its steps."""
    for k in range(to.size):
        to[k] = np.int32((values[k] - first) * unit)


@nb.njit(error_model="numpy", fastmath=True)
def _roots(values):
    for k in range(values.size):
        values[k] = np.sqrt(values[k])


@nb.njit(error_model="numpy", fastmath=True)
def _logarithms(values):
    """Logarithms to base 2: the whole part is the exponent, and a polynomial through Chebyshev's nodes gives the rest
    to 0.000003."""
    for k in range(values.size):
        bits = np.float32(values[k] + np.float32(1e-6)).view(np.int32)
        whole = np.float32((bits >> np.int32(23)) - np.int32(127))
        t = np.int32((bits & np.int32(0x7FFFFF)) | np.int32(0x3F800000)).view(np.float32)
        t -= np.float32(1.5)
        log2 = np.float32(-0.02456853)
        log2 = log2 * t + np.float32(0.04390748)
        log2 = log2 * t + np.float32(-0.07079686)
        log2 = log2 * t + np.float32(0.14172474)
        log2 = log2 * t + np.float32(-0.32061304)
        log2 = log2 * t + np.float32(0.96182082)
        values[k] = whole + (log2 * t + np.float32(0.5849625))


@nb.njit(error_model="numpy")
def _looked_up(row, place, square, near, far, lines, to):
    """Pixels between the two means beside them on the two lines beside them."""
    wide = np.uint32(lines.shape[1])
    flat = lines.reshape(-1)
    for x in range(to.size):
        if not near <= square[x] < far:
            continue
        v, u = np.uint64(row[x] & 15), np.uint64(place[x] & 15)
        at = np.uint32(row[x] >> 4) * wide + np.uint32(place[x] >> 4)
        both = u * v
        next_, low = (u << _U4) - both, (v << _U4) - both
        value = (
            _lanes(flat[at]) * (_256 - next_ - low - both) + _lanes(flat[at + np.uint32(1)]) * next_
            + _lanes(flat[at + wide]) * low + _lanes(flat[at + wide + np.uint32(1)]) * both
        )  # fmt: skip
        value = ((value + _HALVES) >> _U8) & _BYTES
        value = (value | (value >> _U8)) & _PAIRS
        to[x] = np.uint32((value | (value >> _U16)) & _WORD)


@nb.njit(error_model="numpy")
def _segment(y, left, right, middle, band, spins, lines, room, to):
    """Some pixels of a row, as far as they lie in a band."""
    near, far, line, apart, first, step = band
    count = right - left
    (square, angle, other), (row, place) = room
    square, angle, other = square[:count], angle[:count], other[:count]
    row, place = row[:count], place[:count]
    x, dy = np.float32(left - middle[0]), np.float32(y - middle[1])
    _squares(x, dy, square)
    _angles(x, dy, angle)
    _squares(x, dy, other)
    lines_a, places_a = np.float32(16 / apart), np.float32(16 / step)
    if spins:  # the line is the distance, the place on it the direction
        _roots(other)
        _sixteenths(other, np.float32(line), lines_a, row)
        _sixteenths(angle, np.float32(first), places_a, place)
    else:  # the line is the direction, the place on it the distance by its logarithm
        _logarithms(other)
        half = log(2.0) / 2
        _sixteenths(angle, np.float32(line), lines_a, row)
        _sixteenths(other, np.float32(first / half), np.float32(16 * half / step), place)
    _looked_up(row, place, square, np.float32(near**2), np.float32(far**2), lines, to[left:right])


@kernel(parallel=True)
def _put_back(lines, size, middle, band, spins, out):
    """Every pixel of a band, from its lines; of a row only what lies in it."""
    near, far = band[0], band[1]
    for y in nb.prange(out.shape[0]):
        dy = abs(y - middle[1])
        if dy < far:
            floats, whole = np.empty((3, size[0]), np.float32), np.empty((2, size[0]), np.int32)
            room = (floats[0], floats[1], floats[2]), (whole[0], whole[1])
            half = np.sqrt(far * far - dy * dy) + 1
            hole = np.sqrt(near * near - dy * dy) - 1 if dy < near else 0.0
            left, right = max(0, int(middle[0] - half)), min(size[0], int(middle[0] + half) + 2)
            if hole > 1:
                inner, outer = int(middle[0] - hole) + 1, max(0, int(middle[0] + hole))
                if left < inner:
                    _segment(y, left, min(inner, size[0]), middle, band, spins, lines, room, out[y])
                if outer < right:
                    _segment(y, outer, right, middle, band, spins, lines, room, out[y])
            elif left < right:
                _segment(y, left, right, middle, band, spins, lines, room, out[y])


def _blurred(
    picture: NDArray[np.uint8], bands: list[Band], middle: tuple[float, float], spins: bool
) -> NDArray[np.uint8]:
    words: NDArray[np.uint32] = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    height, width = words.shape
    lanes = _widened(np.pad(words, ((0, 1), (0, 1)), mode="edge"))
    out = words.copy()
    size = (width, height)
    for band in bands:
        means = (band.places - band.count) // band.stride + 1
        lines = _lines(
            lanes, size, middle, band.across, band.along, band.within, band.count, band.stride, means
        )  # fmt: skip
        told = (band.near, band.far, band.line, band.apart, band.first, band.step)
        _put_back(lines, size, middle, told, spins, out)
    return out.view(np.uint8).reshape(height, width, 4)


def _farthest(middle: tuple[float, float], width: int, height: int) -> float:
    x, y = middle
    return hypot(max(x, width - 1 - x), max(y, height - 1 - y)) + 1.0


def spun(
    picture: NDArray[np.uint8], degrees: float, middle: tuple[float, float]
) -> NDArray[np.uint8]:
    """Every pixel the mean over an arc through it round a point; beyond its edge the picture goes on as it ends.

    Args:
        picture: (h, w, 4) uint8, premultiplied.
        degrees: of the whole arc, up to 360.
        middle: x and y of the point, pixels from the middle of the first one; it may lie outside.
    """
    height, width = picture.shape[:2]
    far = _farthest(middle, width, height)
    return _blurred(picture, rings(np.radians(min(degrees, 360.0)), far), middle, True)


def zoomed(
    picture: NDArray[np.uint8], percent: float, middle: tuple[float, float]
) -> NDArray[np.uint8]:
    """Every pixel the mean along the ray through it from a point, as if the picture grew while it was taken.

    Args:
        picture: (h, w, 4) uint8, premultiplied.
        percent: by how much it grows, above 0.
        middle: x and y of the point, pixels from the middle of the first one; it may lie outside.

    >>> flat = np.full((9, 7, 4), 80, np.uint8)
    >>> bool((zoomed(flat, 50, (3.0, 4.0)) == 80).all() and (spun(flat, 30, (3.0, 4.0)) == 80).all())
    True
    """
    height, width = picture.shape[:2]
    far = _farthest(middle, width, height)
    return _blurred(picture, rays(log(1 + percent / 100), far), middle, False)
