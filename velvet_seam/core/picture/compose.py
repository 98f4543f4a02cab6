"""Composing: all layers joined in one pass, what lies below them held in floats.

The formulas are those of :mod:`velvet_seam.core.picture.blend`. Nothing is rounded between two
layers, so it does not matter where a stack is cut to keep what lies below a layer.

In linear light the planes hold light rather than display values: layers are taken there and the
finished picture back by the transfer function of sRGB (IEC 61966-2-1), and the same formulas act.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.blend import EVERYWHERE, MODES
from velvet_seam.core.picture.colour import to_linear
from velvet_seam.core.picture.frame_rows import chroma_row, colour_sums, luma_row, sums_held
from velvet_seam.core.picture.join import TO_DISPLAY, TO_LIGHT, join_piece, shown
from velvet_seam.core.picture.one_pass import NORMAL, ONE_PASS, joined_at_once
from velvet_seam.core.picture.placement import Patch, PlanesPatch, repeated
from velvet_seam.core.picture.planes import pixel_row, plane_row, tint_row, tints_held
from velvet_seam.core.picture.pointer import bytes_at, pixels_at
from velvet_seam.core.picture.yuv import to_ycc

Below = NDArray[np.float32]
"""A picture under construction: (height, 3, width), for every row its R, G and B in 0 to 1; with a
fourth plane, its coverage, where it is not wholly covered. Premultiplied."""


PIECE = 1088
"""At most so many pixels of a row are joined together."""

BAND = 16
"""Rows that share the room they are worked out in."""

_NONE = np.empty(0, np.float32)


@dataclass(frozen=True)
class Join:
    """How a patch joins what lies below it: a blend of :data:`MODES`, opacity 0 to 1."""

    patch: Patch | PlanesPatch
    blend: str
    opacity: float


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
    return mode == NORMAL and opacity == 1.0 and left % 2 == 0


@nb.njit(error_model="numpy")
def _hiding(y, width, spots, modes, opacities):
    """The number of the topmost layer that hides all of row ``y`` below it, or −1: a clip that its codec holds,
    laid on plain from end to end."""
    for k in range(len(spots) - 1, -1, -1):
        left, top, w, h = spots[k, 0], spots[k, 1], spots[k, 2], spots[k, 3]
        whole = left <= 0 and left + w >= width and top <= y and y < top + h
        if whole and spots[k, 5] >= 0 and _plain(modes[k], opacities[k], left):
            return k
    return -1


@nb.njit(error_model="numpy")
def _unfold(y, lowest, simple, spots, modes, opacities, folded, shapes, gains, tints, rows):
    """Row ``y`` of the canvas of every layer that its codec holds, from the ``lowest`` on: what chroma adds, and
    the packed pixels unless it is laid on plain."""
    to, room = rows.reshape(-1), rows.shape[1]
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
        if not (simple and _plain(modes[k], opacities[k], left)):
            at, to_at = np.uint64((y - top) * shapes[f, 1]), np.uint64(f * room)
            pixel_row(_luma(folded, shapes, f), at, tint, gains[f], to, to_at, width)


@nb.njit(error_model="numpy")
def _join_band(first, last, base, colour, p, addresses, spots, modes, opacities, folded, shapes, gains,
               planes, packed, frame, light, display, weights):  # fmt: skip
    """Some rows, in pieces of ``p`` pixels, each through all layers, so that everything a piece
    takes lies in the nearest cache.

    All arrays are flat and are passed on whole, with the place to begin at: cutting a piece out of
    an array makes an object, and that takes longer than a short loop.
    """
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
        hiding = _hiding(y, width, spots, modes, opacities) if simple else -1
        lowest = max(hiding, 0)
        if len(shapes):
            _unfold(y, lowest, simple, spots, modes, opacities, folded, shapes, gains, tints, rows)
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


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _compose(
    base, colour, width, height, addresses, spots, modes, opacities, folded, shapes, gains, form, light,
    display, weights,
):  # fmt: skip
    """The joined layers, over ``base`` where it is not empty, else over ``colour``.

    Answers (height, planes, width) float32, (height, width) uint32 and the planes of a video frame, of
    which all but that of the number ``form`` have no rows.
    """
    planes = np.empty((height if form == 0 else 0, max(base.shape[1], 3), width), np.float32)
    packed = np.empty((height if form == 1 else 0, width), np.uint32)
    frame = np.empty((height // 2 * 3 if form == 2 else 0, width), np.uint8)
    pieces = (width + PIECE - 1) // PIECE
    p = ((width + pieces - 1) // pieces + 7) // 8 * 8
    for band in nb.prange((height + BAND - 1) // BAND):
        first = band * BAND
        last = min(first + BAND, height)
        _join_band(first, last, base, colour, p, addresses, spots, modes, opacities, folded, shapes, gains,
                   planes, packed, frame, light, display, weights)  # fmt: skip
    return planes, packed, frame


def _everywhere(join: Join, width: int, height: int) -> Join:
    """A layer that cuts also where it is not lies on the whole picture."""
    patch = join.patch
    if isinstance(patch, PlanesPatch):
        if join.blend not in EVERYWHERE or (patch.planes.height, patch.planes.width) == (
            height,
            width,
        ):
            return join
        patch = Patch(patch.left, patch.top, patch.planes.rgba())
    if join.blend not in EVERYWHERE or patch.pixels.shape[:2] == (height, width):
        return join
    pixels = np.zeros((height, width, 4), np.uint8)
    h, w = patch.pixels.shape[:2]
    left, top = patch.left, patch.top
    pixels[top : top + h, left : left + w] = patch.pixels
    return Join(Patch(0, 0, pixels), join.blend, join.opacity)


@dataclass(frozen=True)
class _Laid:
    """Layers as the kernel reads them; ``held`` keeps the memory that it is given the addresses of."""

    held: list[NDArray[np.uint8]]
    addresses: NDArray[np.uint64]
    """Of packed pixels, 0 where there are none."""
    spots: NDArray[np.int64]
    """Left, top, width, height, pixels to the next row, the number among those that are folded, or −1, and
    whether all is of one colour."""
    folded: NDArray[np.uint64]
    """Addresses of Y', Cb and Cr of what its codec holds."""
    shapes: NDArray[np.int64]
    """Rows of Y' that are there, bytes of one, bytes of a row of Cb and of Cr."""
    gains: NDArray[np.float32]


def _laid(patches: Sequence[Patch | PlanesPatch]) -> _Laid:
    held, addresses, folded, gains = [], [], [], []
    shapes: list[tuple[int, int, int]] = []
    spots = np.zeros((len(patches), 7), np.int64)
    for k, patch in enumerate(patches):
        if isinstance(patch, PlanesPatch):
            one = patch.planes
            spots[k] = patch.left, patch.top, one.width, one.height, 0, len(shapes), 0
            shapes.append((*one.luma.shape, one.blue.shape[1]))
            folded.append(one.whereabouts()[:3])
            gains.append(one.k)
            addresses.append(0)
            continue
        rows = np.ascontiguousarray(repeated(patch.pixels))
        h, w = patch.pixels.shape[:2]
        flat = len(rows) == 1 and bool((rows == rows[0, 0]).all())
        spots[k] = patch.left, patch.top, w, h, w if len(rows) == h else 0, -1, flat
        held.append(rows)
        addresses.append(rows.ctypes.data)
    return _Laid(
        held, np.array(addresses, np.uint64), spots, np.array(folded, np.uint64).reshape(-1, 3),
        np.array(shapes, np.int64).reshape(-1, 3), np.array(gains, np.float32).reshape(-1, 6),
    )  # fmt: skip


_NO_BASE = np.empty((0, 0, 0), np.float32)
_FLOATS, _BYTES, _FRAME = range(3)
_WEIGHTS = to_ycc("709")


def _run(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None, form: int, linear: bool,
) -> tuple[NDArray[np.float32], NDArray[np.uint32], NDArray[np.uint8]]:  # fmt: skip
    joins = [_everywhere(join, width, height) for join in joins]
    laid = _laid([join.patch for join in joins])
    modes = np.array([MODES.index(join.blend) for join in joins], np.int64)
    opacities = np.array([join.opacity for join in joins], np.float64)
    ground = np.array([c / 255 for c in colour], np.float32)
    if linear:
        ground = to_linear(ground).astype(np.float32)
    tables = (TO_LIGHT, TO_DISPLAY) if linear else (_NONE, _NONE)
    under = _NO_BASE if base is None else base
    planes, packed, frame = _compose(
        under, ground, width, height, laid.addresses, laid.spots, modes, opacities, laid.folded,
        laid.shapes, laid.gains, form, *tables, _WEIGHTS,
    )  # fmt: skip
    return planes, packed, frame


def compose(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None = None, linear: bool = False,
) -> Below:  # fmt: skip
    """Join layers from bottom to top.

    Args:
        colour: the empty canvas below everything, R, G, B in 0 to 255.
        joins: layers from bottom to top; their patches lie wholly inside the picture.
        base: what has been joined already; takes the place of the empty canvas.
        linear: layers are joined in linear light; then ``base`` and the answer are light, too.
    """
    return _run(width, height, colour, joins, base, _FLOATS, linear)[0]


def compose_rgba8(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None = None, linear: bool = False,
) -> NDArray[np.uint8]:  # fmt: skip
    """The same, finished: (height, width, 4) uint8, premultiplied, each value rounded once.

    >>> grey = Patch(0, 0, np.array([[[0, 128, 255, 255]]], np.uint8))
    >>> compose_rgba8(1, 1, (255, 255, 255), [Join(grey, "multiply", 1.0)]).tolist()
    [[[0, 128, 255, 255]]]
    """
    packed = _run(width, height, colour, joins, base, _BYTES, linear)[1]
    return packed.view(np.uint8).reshape(height, width, 4)


def compose_yuv420(
    width: int, height: int, colour: tuple[int, int, int], joins: Sequence[Join],
    base: Below | None = None, linear: bool = False,
) -> NDArray[np.uint8]:  # fmt: skip
    """The same as the planes of a video frame, without a detour: what
    :func:`~velvet_seam.core.picture.yuv.rgba_to_yuv420` makes of the finished picture, to the bit.

    Returns:
        (height · 3/2, width) uint8: Y', then Cb, then Cr, each without gaps. Width and height are even.

    >>> compose_yuv420(2, 4, (255, 255, 255), [])[:, 0].tolist()
    [235, 235, 235, 235, 128, 128]
    """
    return np.asarray(_run(width, height, colour, joins, base, _FRAME, linear)[2])
