"""The kernels of the composite: the rows of a picture in pieces, each through all layers.

What is passed on is whole arrays, flat, with the place to begin at: cutting a piece out of an array makes an
object, and that takes longer than a short loop.
"""

from __future__ import annotations

from math import ceil
from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.adjust import ADJUST, adjust_piece
from velvet_seam.core.picture.blend import NORMAL_NUMBER
from velvet_seam.core.picture.frame_rows import chroma_row, colour_sums, luma_row, sums_held
from velvet_seam.core.picture.grade import PIECE as PIECE_OF_TABLE
from velvet_seam.core.picture.join import join_piece, shown
from velvet_seam.core.picture.one_pass import ONE_PASS, joined_at_once
from velvet_seam.core.picture.planes import pixel_row, plane_row, tint_row, tints_held
from velvet_seam.core.picture.pointer import bytes_at, pixels_at
from velvet_seam.core.side_by_side import side_by_side

PIECE = 1088
"""At most so many pixels of a row are joined together."""

BAND = 16
"""At least so many rows share the room they are worked out in; an even number, since two share their chroma."""


class Layers(NamedTuple):
    """Layers from the lowest to the topmost, a row of each array for each."""

    addresses: NDArray[np.uint64]
    """Of packed pixels, 0 where there are none."""
    spots: NDArray[np.int64]
    """Left, top, width, height, pixels to the next row, the number among those that are folded, or −1, and
    whether all is of one colour."""
    modes: NDArray[np.int64]
    opacities: NDArray[np.float64]
    folded: NDArray[np.uint64]
    """Of each that its codec holds: the addresses of Y', Cb and Cr."""
    shapes: NDArray[np.int64]
    """Rows of Y' that are there, bytes of one, bytes of a row of Cb and of Cr."""
    gains: NDArray[np.float32]
    tables: NDArray[np.uint64]
    """Of each that adjusts what lies below: the address of its table, and the nodes along a side of it, or 0."""


class Written(NamedTuple):
    """What is written, of which all but one have no rows: planes of floats, packed pixels, a video frame."""

    planes: NDArray[np.float32]
    packed: NDArray[np.uint32]
    frame: NDArray[np.uint8]


class Tables(NamedTuple):
    """Both transfers of linear light, or nothing; and the weights of a video frame."""

    light: NDArray[np.float32]
    display: NDArray[np.float32]
    weights: NDArray[np.float32]


@nb.njit(error_model="numpy")
def _copy(row, at, to, to_at, n):
    for k in range(n):
        i = np.uint64(k)
        to[to_at + i] = row[at + i]


@nb.njit(error_model="numpy")
def _pack(planes, under, to, to_at, n):
    """Planes as packed pixels, each value rounded once."""
    half, full = np.float32(0.5), np.float32(255)
    p = np.uint64(under.size)
    shift, two = np.uint32(8), np.uint64(2)
    for k in range(n):
        i = np.uint64(k)
        b = np.uint32(np.int32(planes[two * p + i] * full + half))
        g = np.uint32(np.int32(planes[p + i] * full + half))
        r = np.uint32(np.int32(planes[i] * full + half))
        a = np.uint32(np.int32(under[i] * full + half))
        to[to_at + i] = ((a << shift | b) << shift | g) << shift | r


@nb.njit(error_model="numpy")
def _luma(folded, shapes, f):
    """Y' of a layer that its codec holds, flat."""
    return nb.carray(bytes_at(folded[f, 0]), shapes[f, 0] * shapes[f, 1])


@nb.njit(error_model="numpy")
def _plain(mode, opacity, left):
    """Whether what is opaque just takes the place of what lies below it, as it is; and begins where a pair
    of columns does."""
    return mode == NORMAL_NUMBER and opacity == 1.0 and left % 2 == 0


@nb.njit(error_model="numpy")
def _hiding(y, width, layers):
    """The number of the topmost layer that hides all of row ``y`` below it, or −1: a clip that its codec holds,
    laid on plain from end to end."""
    spots = layers.spots
    for k in range(len(spots) - 1, -1, -1):
        left, top, w, h = spots[k, 0], spots[k, 1], spots[k, 2], spots[k, 3]
        whole = left <= 0 and left + w >= width and top <= y and y < top + h
        if whole and spots[k, 5] >= 0 and _plain(layers.modes[k], layers.opacities[k], left):
            return k
    return -1


@nb.njit(error_model="numpy")
def _unfold(y, lowest, simple, layers, tints, rows):
    """Row ``y`` of the canvas of every layer that its codec holds, from the ``lowest`` on: what chroma adds, and
    the packed pixels unless it is laid on plain."""
    to, room = rows.reshape(-1), rows.shape[1]
    spots, folded, shapes, gains = layers.spots, layers.folded, layers.shapes, layers.gains
    for k in range(lowest, len(spots)):
        f, left, top, width, height = (
            spots[k, 5],
            spots[k, 0],
            spots[k, 1],
            spots[k, 2],
            spots[k, 3],
        )
        if f < 0 or y < top or y >= top + height:
            continue
        stride, lines = shapes[f, 2], (height + 1) // 2
        blue = nb.carray(bytes_at(folded[f, 1]), stride * lines)
        red = nb.carray(bytes_at(folded[f, 2]), stride * lines)
        tint = tints[f]
        tint_row(blue, red, stride, y - top, width, height, gains[f], tint)
        if not (simple and _plain(layers.modes[k], layers.opacities[k], left)):
            at, to_at = np.uint64((y - top) * shapes[f, 1]), np.uint64(f * room)
            pixel_row(_luma(folded, shapes, f), at, tint, gains[f], to, to_at, width)


@kernel()
def _join_band(first, last, base, colour, p, layers, written, tables):
    """Some rows, in pieces of ``p`` pixels, each through all layers, so that everything a piece
    takes lies in the nearest cache.

    All arrays are flat and are passed on whole, with the place to begin at: cutting a piece out of
    an array makes an object, and that takes longer than a short loop.
    """
    addresses, spots, modes, opacities = (
        layers.addresses,
        layers.spots,
        layers.modes,
        layers.opacities,
    )
    folded, shapes, gains = layers.folded, layers.shapes, layers.gains
    tables_of = layers.tables
    room = PIECE_OF_TABLE if np.any(modes == ADJUST) else 0
    where, weighing = np.empty(4 * room, np.uint32), np.empty(4 * room, np.uint32)
    nodes, sums = np.empty(4 * room, np.uint64), np.empty(room, np.uint64)
    part, whole = np.empty(room, np.float32), np.ones(room, np.float32)
    kept = np.empty(3 * room, np.float32)
    planes, packed, frame = written.planes, written.packed, written.frame
    light, display, weights = tables.light, tables.display, tables.weights
    to, s = np.zeros(3 * p, np.float32), np.zeros(3 * p, np.float32)
    b, blended = np.zeros(3 * p, np.float32), np.zeros(3 * p, np.float32)
    under, a, inverse = np.ones(p, np.float32), np.zeros(p, np.float32), np.zeros(p, np.float32)
    held, width = planes.shape[1], planes.shape[2]
    height, half = frame.shape[0] // 3 * 2, width // 2 if frame.size else 0
    red_blue, green = (
        np.empty(sums_held(2 * half), np.uint32),
        np.empty(sums_held(2 * half), np.uint32),
    )
    colours, to_frame = np.empty((3, half), np.float32), frame.reshape(-1)
    firm = held == 3
    simple = firm and not light.size
    rows = np.empty((len(shapes), width), np.uint32)
    tints = np.empty((len(shapes), 3 * tints_held(width)), np.float32)
    unfolded = rows.reshape(-1)
    below, to_planes, to_packed = base.reshape(-1), planes.reshape(-1), packed.reshape(-1)
    for y in range(first, last):
        hiding = _hiding(y, width, layers) if simple else -1
        lowest = max(hiding, 0)
        if len(shapes):
            _unfold(y, lowest, simple, layers, tints, rows)
        for begin in range(0, width, p):
            end = min(begin + p, width)
            n = end - begin
            for c in range(held if hiding < 0 else 0):
                at = np.uint64((y * held + c) * width + begin)
                if c == 3:
                    _copy(below, at, under, np.uint64(0), n)
                elif below.size:
                    _copy(below, at, to, np.uint64(c * p), n)
                else:
                    to[c * p : c * p + p] = colour[c]
            for k in range(lowest, len(addresses)):
                left, top, w, h = spots[k, 0], spots[k, 1], spots[k, 2], spots[k, 3]
                to_next = spots[k, 4]
                x0, x1, j = max(begin, left), min(end, left + w), y - top
                if j < 0 or j >= h or x0 >= x1:
                    continue
                f = spots[k, 5]
                if modes[k] == ADJUST:
                    adjust_piece(to, x0 - begin, p, x1 - x0, tables_of[k, 0], np.int64(tables_of[k, 1]), addresses[k],
                                 np.uint64(j * to_next + x0 - left), opacities[k], light.size > 0,
                                 where, weighing, nodes, sums, part, whole, kept)  # fmt: skip
                    continue
                if f >= 0 and simple and _plain(modes[k], opacities[k], left):
                    plane_row(_luma(folded, shapes, f), np.uint64(j * shapes[f, 1]), tints[f], w, x0 - left,
                              x1 - x0, gains[f], to, np.uint64(x0 - begin), p)  # fmt: skip
                    continue
                layer, at = unfolded, np.uint64(f * width + x0 - left)
                if f < 0:
                    layer = nb.carray(pixels_at(addresses[k]), w * h)
                    at = np.uint64(j * to_next + x0 - left)
                if simple and modes[k] in ONE_PASS:
                    joined_at_once(modes[k], layer, at, to, x0 - begin, p, x1 - x0, opacities[k],
                                   spots[k, 6] != 0)  # fmt: skip
                else:  # so many arrays are passed on only where they are needed: each is counted
                    join_piece(layer, at, x0 - begin, x1 - x0, x1 - x0 == n, modes[k], opacities[k],
                               firm, to, under, s, a, inverse, b, blended, colour, light)  # fmt: skip
            if to_packed.size or frame.size:
                if light.size:
                    shown(to, display)
                if frame.size:
                    luma_row(to, p, weights, to_frame, np.uint64(y * width + begin), n)
                    colour_sums(to, p, red_blue, green, begin, n, y % 2 == 1)
                else:
                    _pack(to, under, to_packed, np.uint64(y * width + begin), n)
                continue
            for c in range(held):
                at = np.uint64((y * held + c) * width + begin)
                if c == 3:
                    _copy(under, np.uint64(0), to_planes, at, n)
                else:
                    _copy(to, np.uint64(c * p), to_planes, at, n)
        if frame.size and y % 2:
            blue = height * width + y // 2 * half
            red = blue + height // 2 * half
            chroma_row(red_blue, green, weights, to_frame[blue : blue + half],
                       to_frame[red : red + half], colours)  # fmt: skip


def join_rows(
    base: NDArray[np.float32], colour: NDArray[np.float32], width: int, height: int, layers: Layers, form: int,
    tables: Tables,
) -> tuple[NDArray[np.float32], NDArray[np.uint32], NDArray[np.uint8]]:  # fmt: skip
    """The joined layers, over ``base`` where it is not empty, else over ``colour``.

    Answers (height, planes, width) float32, (height, width) uint32 and the planes of a video frame, of
    which all but that of the number ``form`` have no rows.
    """
    planes = np.empty((height if form == 0 else 0, max(base.shape[1], 3), width), np.float32)
    packed = np.empty((height if form == 1 else 0, width), np.uint32)
    frame = np.empty((height // 2 * 3 if form == 2 else 0, width), np.uint8)
    written = Written(planes, packed, frame)
    pieces = (width + PIECE - 1) // PIECE
    p = ((width + pieces - 1) // pieces + 7) // 8 * 8
    threads = nb.get_num_threads()
    # a band has an even number of rows, since two share their chroma
    band = height if threads == 1 else max(BAND, ceil(height / (2 * threads) / 2) * 2)

    def make(n: int) -> None:
        last = min((n + 1) * band, height)
        _join_band(n * band, last, base, colour, p, layers, written, tables)

    side_by_side(make, ceil(height / band) if height else 0)
    return planes, packed, frame
