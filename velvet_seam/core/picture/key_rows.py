"""The screen key's kernels: a picture row by row, its coverage some rows ahead of its foreground.

:mod:`velvet_seam.core.picture.screen_key` says what is computed, :mod:`velvet_seam.core.picture.unmix` has
the formulas for some pixels of a row; here they are put together.
"""

from __future__ import annotations

from math import ceil
from typing import NamedTuple

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.coverage import weigh_in_place
from velvet_seam.core.picture.edge_colour import ROOM, edge_colour
from velvet_seam.core.picture.estimates import STRETCH, WEIGHTS
from velvet_seam.core.picture.planes import pixel_row, tint_row, tints_held
from velvet_seam.core.picture.pointer import bytes_at
from velvet_seam.core.picture.screen import between
from velvet_seam.core.picture.spans import span
from velvet_seam.core.picture.unmix import (
    PLANE,
    REACH,
    RING,
    SEGMENT,
    copy,
    crisped,
    fill,
    gather,
    lights,
    next_run,
    own_coverage,
    raw_row,
    shadow,
    solid,
    solve,
    unmix,
)
from velvet_seam.core.picture.weighing import believed, clipped, weights_of
from velvet_seam.core.side_by_side import side_by_side

CHUNK = 60
"""At least so many rows are keyed by one thread after the other."""

WIDE = 8
"""Rows of the screen's surface that are held at the width of the picture: those of a picture's row, and of
the row that is finished after it."""

GROUP = 4
"""Segments that are looked at together for any that is not clear."""

CLEAR = 0.08
"""Raw coverage up to which a whole segment counts as screen."""


class Source(NamedTuple):
    """Packed pixels, or, where there are none, what a codec holds: the addresses of Y', Cb and Cr, how many
    bytes a row of Y' has, and one of Cb and Cr; with the numbers of its conversion."""

    pixels: NDArray[np.uint32]
    folded: NDArray[np.uint64]
    gains: NDArray[np.float32]


class Known(NamedTuple):
    """What is known of the picture beforehand: the screen's surface, the foreground near each of its cells, and
    which study pixels are surely foreground; and of each row and column where it lies among those."""

    surface: NDArray[np.float32]
    to_ycc: NDArray[np.float32]
    """To Y'CbCr, with the key channel first."""
    near: NDArray[np.float32]
    core: NDArray[np.uint8]
    lines: NDArray[np.int64]
    """Of a row, the row of the surface before it."""
    shares: NDArray[np.float32]
    """Of a row, how far it is past that."""
    core_rows: NDArray[np.int64]
    core_columns: NDArray[np.int64]
    columns: NDArray[np.int64]
    parts: NDArray[np.float32]
    ends: NDArray[np.int64]
    """Of a cell of the surface, the first column past those that begin with it."""


class Judged(NamedTuple):
    """How the estimates of coverage are weighed: of each study pixel, and of each row and column where it lies among
    those; see :mod:`velvet_seam.core.picture.estimates`."""

    weights: NDArray[np.float32]
    held: NDArray[np.uint8]
    any_held: NDArray[np.bool_]
    """Of a row of study pixels, whether anything is held in it."""
    lines: NDArray[np.int64]
    shares: NDArray[np.float32]
    parts: NDArray[np.float32]
    ends: NDArray[np.int64]


class Wish(NamedTuple):
    """What is asked of the key: the number of the key channel, whether the screen has little colour, the raw coverage
    that is whole, where coverage begins and how fast it rises; how much of a shadow is kept and of spill taken off,
    what takes its place, how crisp an edge is made; how much the weighed estimates count, and the clips. Numbers
    only: arrays in a group that is passed on for every row would be counted each time."""

    k: int
    grey: bool
    white: np.float32
    low: np.float32
    gain: np.float32
    shade: np.float32
    despill: np.float32
    to_grey: np.float32
    to_below: np.float32
    crisp: np.float32
    hold: np.float32
    black: np.float32
    rise: np.float32


_HELD = 2
"""Of a segment that is to be finished although it is clear."""

_CLEAR_BITS = int(np.float32(CLEAR).view(np.int32))


@nb.njit(error_model="numpy")
def _widened(row, ends, parts, to):
    """A row of values with one for every column of the picture, in planes of its channels."""
    channels = row.shape[1]
    width, last = to.size // channels, row.shape[0] - 1
    for c in range(channels):
        begin = 0
        for cell in range(row.shape[0]):  # the pixels between the middles of two cells
            s, at = row[cell, c], np.uint64(c * width + begin)
            slope = row[min(cell + 1, last), c] - s
            for n in range(ends[cell] - begin):
                x = np.uint64(n)
                to[at + x] = s + slope * parts[np.uint64(begin) + x]
            begin = ends[cell]


@nb.njit(error_model="numpy")
def _highest(raw, first, last):
    """The highest of some raw coverages, as bits. None is negative, so they order as the integers that their
    bits stand for, whose maximum runs in vectors."""
    bits = raw.view(np.int32)
    high = np.int32(0)
    for n in range(last - first):
        high = max(high, bits[np.uint64(first) + np.uint64(n)])
    return np.int32(high)


def key_picture(
    source: Source, height: int, width: int, known: Known, judged: Judged, wish: Wish, first: int, last: int,
    mask: NDArray[np.uint8], loose: bool,
) -> tuple[NDArray[np.uint32], NDArray[np.int32]]:  # fmt: skip
    """Key the rows from ``first`` to ``last``; those around are clear, or where ``loose`` not written at all.

    Answers the packed pixels and, of every row, between which columns it is not clear.
    """
    out, held = np.empty((height, width), np.uint32), np.zeros((height, 2), np.int32)
    if not loose:
        out[:first] = 0
        out[last:] = 0
    threads = nb.get_num_threads()
    # every piece begins with rows that the one before it knows, too: as few pieces as keep threads busy
    rows = max(CHUNK, ceil((last - first) / (1 if threads == 1 else 2 * threads)))

    def make(n: int) -> None:
        begin = first + n * rows
        _key_rows(source, known, judged, wish, begin, min(begin + rows, last), mask, out, held)

    side_by_side(make, ceil((last - first) / rows))
    return out, held


@kernel()
def _key_rows(source, known, judged, wish, first, last, mask, out, held):
    """Key some rows, and find where they are not clear. Coverage is found :data:`REACH` rows ahead of the
    row that is unmixed, in a ring of rows, since a row is made crisp by those around it; that one is a row ahead of
    the one that is finished, whose colours hear those beside them. So are the pixels, where they are not there yet."""
    height, width = out.shape
    folded, lines = source.folded, known.lines
    made = source.pixels.size == 0
    pixels = np.empty((RING, width), np.uint32) if made else source.pixels
    tints = np.empty(3 * tints_held(width), np.float32)
    wide_row, chroma_row = np.int64(folded[3]), np.int64(folded[4])
    chroma_rows = (height + 1) // 2
    luma = nb.carray(bytes_at(folded[0]), wide_row * height)
    blue = nb.carray(bytes_at(folded[1]), chroma_row * chroma_rows)
    red = nb.carray(bytes_at(folded[2]), chroma_row * chroma_rows)
    segments, end = (width + SEGMENT - 1) // SEGMENT, known.surface.shape[0] - 1
    # rows of the surface are widened as they are reached: what a row needs then lies in the nearest cache
    wide, reached = np.empty((WIDE, 3 * width), np.float32), lines[max(first - 1 - REACH, 0)] - 1
    # every row of the ring is as wide as the picture and what the filter reaches beyond it
    alpha = np.zeros(RING * (width + 2 * REACH), np.float32)
    lit, own = np.ones(RING * width, np.float32), np.zeros(RING * width, np.float32)
    solved, some = np.zeros((RING, segments), np.uint8), np.zeros(RING, np.bool_)
    opaque = np.ones(RING, np.bool_)
    raw, firm, sums = (
        np.empty(width, np.float32),
        np.empty(width, np.float32),
        np.empty(ROOM, np.float32),
    )
    keyed = np.empty((RING, width), np.uint32)
    begin, stop = max(first - 1, 0), min(last + 1, height)  # rows that are unmixed
    tall = np.empty(width + 2 * REACH, np.float32)
    nearby, room = np.empty((known.near.shape[1], 6), np.float32), np.empty(13 * PLANE, np.float32)
    near, core, core_rows, core_columns = (
        known.near,
        known.core,
        known.core_rows,
        known.core_columns,
    )
    columns, parts, ends, to_ycc = known.columns, known.parts, known.ends, known.to_ycc
    surface, shares = known.surface, known.shares
    weights, weight_lines, weight_shares = judged.weights, judged.lines, judged.shares
    weight_parts, weight_ends, held_at, any_held = (
        judged.parts,
        judged.ends,
        judged.held,
        judged.any_held,
    )
    weighing, last_line = wish.hold > 0, weights.shape[0] - 1
    weight_rows = np.empty((2, WEIGHTS * width), np.float32)
    weighed = weight_lines[begin] - 1
    for y in range(max(begin - REACH, 0), last + 1 + REACH):
        if y < min(stop + REACH, height):
            above, below, slot = lines[y], min(lines[y] + 1, end), y % RING
            at = slot if made else y
            while reached < below:
                reached += 1
                _widened(surface[reached], ends, parts, wide[reached % WIDE])
            over, under = wide[above % WIDE], wide[below % WIDE]
            if made:
                tint_row(blue, red, chroma_row, y, width, height, source.gains, tints)
                pixel_row(
                    luma, np.uint64(y * wide_row), tints, source.gains, pixels.reshape(-1), np.uint64(slot * width),
                    width,
                )  # fmt: skip
            opaque[slot] = raw_row(
                pixels[at], over, under, shares[y], wish.k, to_ycc, wish.grey, wish.white, raw
            )
            study_row = core_rows[y]
            known_held = held_at.shape[1] if weighing and any_held[study_row] else 0
            some[slot] = _cover(
                pixels[at], y, begin <= y < stop, over, under, raw, near[above], near[below], core[study_row],
                held_at[study_row, :known_held], core_columns, columns, parts, ends, shares[y], wish, to_ycc, alpha,
                lit, own, solved[slot], nearby, room, keyed[slot],
            )  # fmt: skip
        n = y - REACH
        if begin <= n < stop and some[n % RING]:
            over, under = wide[lines[n] % WIDE], wide[min(lines[n] + 1, end) % WIDE]
            above = weight_lines[n]
            below = min(above + 1, last_line)
            weighed = max(weighed, above - 1)
            while weighing and weighed < below:
                weighed += 1
                _widened(weights[weighed], weight_ends, weight_parts, weight_rows[weighed % 2])
            _unmixed(
                pixels[n % RING if made else n], n, height, over, under, shares[n], wish, alpha,
                lit, own, solved[n % RING], tall, firm, room, keyed[n % RING], weight_rows[above % 2],
                weight_rows[below % 2], weight_shares[n],
            )  # fmt: skip
        n -= 1
        if n < first:
            continue
        here = n % RING
        out[n] = keyed[here]
        if some[here]:
            _coloured(
                keyed[max(n - 1, 0) % RING], keyed[here], keyed[min(n + 1, height - 1) % RING], solved[here], sums, out[n]
            )  # fmt: skip
        if wish.shade > 0:
            over, under = wide[lines[n] % WIDE], wide[min(lines[n] + 1, end) % WIDE]
            shadow(pixels[here if made else n], over, under, shares[n], wish.shade, out[n])
        if not opaque[here]:
            own_coverage(pixels[n], out[n])
        left, right = span(out[n])
        if mask.size and left < right:
            weigh_in_place(out[n], mask[n], left, right)
            left, right = span(out[n])
        held[n, 0], held[n, 1] = left, right


@nb.njit(error_model="numpy", forceinline=True)
def _cover(
    pixels, y, wanted, above, below, raw, near_above, near_below, core, held, core_columns, columns, parts, ends,
    share, wish, to_ycc, alpha, lit, own, solved, nearby, room, to,
):  # fmt: skip
    """The coverage of row ``y``, into the ring. Segments that need no solve are keyed with it, where
    the row is ``wanted``. Answers whether any needs one. ``held`` is empty where nothing of the row is."""
    width = pixels.size
    k, despill, to_grey, to_below = wish.k, wish.despill, wish.to_grey, wish.to_below
    row, some = y % RING * (width + 2 * REACH) + REACH, False
    fill(alpha, row, width, np.float32(0))
    if wanted:
        to[:] = 0
    solved[:] = 0
    for group in range(0, solved.size, GROUP):
        # most of a picture is screen: several segments are looked at together before each by itself
        begin, stop = group * SEGMENT, min((group + GROUP) * SEGMENT, width)
        if held.size == 0 and _highest(raw, begin, stop) <= _CLEAR_BITS:
            continue
        for segment in range(group, min(group + GROUP, solved.size)):
            begin, stop = segment * SEGMENT, min((segment + 1) * SEGMENT, width)
            if _highest(raw, begin, stop) <= _CLEAR_BITS:
                if held.size > 0:  # nothing is seen of it, but it may be part of what lies around
                    for c in range(core_columns[begin], core_columns[stop - 1] + 1):
                        if held[c]:
                            solved[segment], some = _HELD, True
                continue
            whole = True
            for c in range(core_columns[begin], core_columns[stop - 1] + 1):
                whole &= core[c] != 0
            if whole:
                fill(alpha, row + begin, stop - begin, np.float32(1))
                if wanted:
                    solid(
                        pixels,
                        begin,
                        stop,
                        k,
                        near_above[columns[begin]],
                        despill,
                        to_grey,
                        to_below,
                        to,
                    )
            else:
                solved[segment], some = 1, True
    if some:
        between(near_above.ravel(), near_below.ravel(), share, nearby.ravel())
        beside, begin = y % RING * width, 0
        while begin < width:
            begin, stop = next_run(solved, begin, width)
            n = stop - begin
            gather(nearby, columns, parts, ends, above, below, share, raw, k, begin, n, room)
            solve(pixels, room, begin, n, k, to_ycc, wish.low, wish.gain)
            copy(room, 10 * PLANE, alpha, row + begin, n)
            copy(room, 11 * PLANE, lit, beside + begin, n)
            copy(room, 12 * PLANE, own, beside + begin, n)
            for segment in range(begin // SEGMENT, (stop + SEGMENT - 1) // SEGMENT):
                if solved[segment] == _HELD:
                    at = segment * SEGMENT
                    fill(alpha, row + at, min(SEGMENT, width - at), np.float32(0))
            begin = stop
    fill(alpha, row - REACH, REACH, alpha[row])
    fill(alpha, row + width, REACH, alpha[row + width - 1])
    return some


@nb.njit(error_model="numpy", forceinline=True)
def _unmixed(
    pixels, y, height, above, below, share, wish, alpha, lit, own, solved, tall, firm, room, to, weights_above,
    weights_below, weights_share,
):  # fmt: skip
    """The solved segments of row ``y``, made crisp run by run, weighed and unmixed."""
    width, beside, begin = pixels.size, y % RING * pixels.size, 0
    k = wish.k
    while begin < width:
        begin, stop = next_run(solved, begin, width)
        n = stop - begin
        crisped(alpha, width + 2 * REACH, y, height, begin, n, wish.crisp, tall, firm)
        if wish.hold > 0:
            weights_of(weights_above, weights_below, weights_share, begin, n, WEIGHTS, room)
            copy(alpha, y % RING * (width + 2 * REACH) + REACH + begin, room, 6 * PLANE, n)
            copy(firm, begin, room, 7 * PLANE, n)
            believed(room, n, wish.hold, np.float32(STRETCH), wish.black, wish.rise)
            copy(room, 8 * PLANE, room, 3 * PLANE, n)
        else:
            clipped(firm, begin, n, wish.black, wish.rise)
            copy(firm, begin, room, 3 * PLANE, n)
        lights(above, below, share, k, begin, n, room, 0)
        copy(lit, beside + begin, room, 4 * PLANE, n)
        copy(own, beside + begin, room, 5 * PLANE, n)
        unmix(pixels, room, begin, n, k, wish.despill, wish.to_grey, wish.to_below, to)
        begin = stop


@nb.njit(error_model="numpy")
def _coloured(above, here, below, solved, sums, to):
    """The solved segments of a row with the colours of :mod:`velvet_seam.core.picture.edge_colour`."""
    begin = 0
    while begin < here.size:
        begin, stop = next_run(solved, begin, here.size)
        if begin < stop:
            edge_colour(above, here, below, begin, stop, sums, to)
        begin = stop
