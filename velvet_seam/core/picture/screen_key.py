"""The screen key: coverage and foreground of a picture before a screen.

With the pixel I, the screen S at that place, the foreground F nearby with its variance V, k the
screen's strongest channel and D(C) = C_k − max(other two):

1. Raw coverage ``a0 = (1 − D(I) / D(S)) / white`` (the colour-difference principle of P. Vlahos).
2. Where neighbourhoods are wholly screen or wholly foreground, that is all.
3. Else I = αF + βS is solved in Y'CbCr by least squares, weighted by the inverse of noise plus a0²V
   (in the manner of Y.-Y. Chuang et al., 2001, with one Gaussian), with two weak priors: α = a0,
   and β = 1 − α, that is, the screen there is as light as its surface says. What β says beyond
   that is a shadow: g = β / (1 − α).
4. α is at least what keeps F = (I − (1 − α)gS) / α inside the gamut.
5. Tolerance, softness and the clips stretch α.
6. Compression, 4:2:0 above all, has blurred the edge: α is made crisp again by adding what it has more
   than its surroundings, α + c(α − Gα), which leaves an even veil as it is.
7. The foreground is unmixed, ``αF = I − (1 − α)gS``.
8. Despill: D of the foreground is at most what the foreground nearby has of its own.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil
from typing import TypedDict, Unpack

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.coverage import Plane, weigh_in_place
from velvet_seam.core.picture.foreground import MARGIN, Foreground, local_foreground, ycc_of
from velvet_seam.core.picture.planes import Planes, pixel_row, tint_row, tints_held
from velvet_seam.core.picture.pointer import bytes_at
from velvet_seam.core.picture.screen import CELL, screen_surface
from velvet_seam.core.picture.spans import span
from velvet_seam.core.picture.study import STUDY, size_of, study
from velvet_seam.core.picture.unmix import (
    BLOCK,
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

CHUNK = 60
"""Rows at least that are keyed one after the other by one thread."""

CRISP = 0.5
"""How much of what coverage has more than its surroundings is added. On the clips of docs/quality.md
0.5 to 1 differ by 2 %; the least of them leaves a thread thinner than a pixel nearest to what it is."""

WIDE = 8
"""Rows of the screen's surface that are held at the width of the picture: those of a picture's row, and of
the row that is finished after it."""

GROUP = 4
"""Segments that are looked at together for any that is not clear."""

CLEAR = 0.08
"""Raw coverage up to which a whole segment counts as screen."""

_CLEAR_BITS = int(np.float32(CLEAR).view(np.int32))


@dataclass(frozen=True)
class Screen:
    """All that is known of a picture before its key: the screen's ``surface``, from :func:`screen_surface`,
    and what stands before it."""

    surface: NDArray[np.float32]
    foreground: Foreground

    @property
    def nbytes(self) -> int:
        return self.surface.nbytes + self.foreground.nbytes


@nb.njit(error_model="numpy")
def _widened(row, ends, parts, k, to):
    """A row of the screen's surface with a value for every column of the picture, in planes: its three
    channels, and its D, at least 0.02."""
    width, last = to.size // 4, row.shape[0] - 1
    for c in range(3):
        begin = 0
        for cell in range(row.shape[0]):  # the pixels between the middles of two cells
            s, at = row[cell, c], np.uint64(c * width + begin)
            slope = row[min(cell + 1, last), c] - s
            for n in range(ends[cell] - begin):
                x = np.uint64(n)
                to[at + x] = s + slope * parts[np.uint64(begin) + x]
            begin = ends[cell]
    one, other = np.uint64((k + 1) % 3 * width), np.uint64((k + 2) % 3 * width)
    key, at = np.uint64(k * width), np.uint64(3 * width)
    for n in range(width):
        x = np.uint64(n)
        to[at + x] = max(to[key + x] - max(to[one + x], to[other + x]), np.float32(0.02))


@nb.njit(error_model="numpy")
def _between(one, other, share, to):
    """A row between two others."""
    for f in range(to.size):
        to[f] = one[f] + (other[f] - one[f]) * share


@nb.njit(error_model="numpy")
def _highest(raw, first, last):
    """The highest of some raw coverages, as bits. None is negative, so they order as the integers that their
    bits stand for, whose maximum runs in vectors."""
    bits = raw.view(np.int32)
    high = np.int32(0)
    for n in range(last - first):
        high = max(high, bits[np.uint64(first) + np.uint64(n)])
    return np.int32(high)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _key(picture, folded, gains, height, width, surface, lines, shares, near, core, core_rows, core_columns, columns, parts, ends, first,
         last, rows, k, to_ycc, white, low, gain, shade, despill, to_grey, to_below, crisp, mask, loose):  # fmt: skip
    """Key packed pixels, or, where ``picture`` is empty, the planes of ``folded``: the addresses of Y', Cb
    and Cr, and how many bytes a row of Y' has, and one of Cb and Cr."""
    out, held = np.empty((height, width), np.uint32), np.zeros((height, 2), np.int32)
    if not loose:
        out[:first] = 0
        out[last:] = 0
    for chunk in nb.prange((last - first + rows - 1) // rows):
        begin = first + chunk * rows
        _key_rows(picture, folded, gains, surface, lines, shares, near, core, core_rows, core_columns, columns, parts, ends, begin,
                  min(begin + rows, last), k, to_ycc, white, low, gain, shade, despill, to_grey,
                  to_below, crisp, mask, out, held)  # fmt: skip
    return out, held


@nb.njit(error_model="numpy", forceinline=True)
def _key_rows(picture, folded, gains, surface, lines, shares, near, core, core_rows, core_columns, columns, parts, ends, first, last, k,
              to_ycc, white, low, gain, shade, despill, to_grey, to_below, crisp, mask, out, held):  # fmt: skip
    """Key some rows, and find where they are not clear. Coverage is found :data:`REACH` rows ahead of the
    row that is finished, in a ring of rows, since a row is made crisp by those around it. So are the
    pixels, where they are not there yet."""
    height, width = out.shape
    made = picture.size == 0
    pixels = np.empty((RING, width), np.uint32) if made else picture
    tints = np.empty(3 * tints_held(width), np.float32)
    wide_row, chroma_row = np.int64(folded[3]), np.int64(folded[4])
    chroma_rows = (height + 1) // 2
    luma = nb.carray(bytes_at(folded[0]), wide_row * height)
    blue = nb.carray(bytes_at(folded[1]), chroma_row * chroma_rows)
    red = nb.carray(bytes_at(folded[2]), chroma_row * chroma_rows)
    segments, end = (width + SEGMENT - 1) // SEGMENT, surface.shape[0] - 1
    # rows of the surface are widened as they are reached: what a row needs then lies in the nearest cache
    wide, reached = np.empty((WIDE, 4 * width), np.float32), lines[max(first - REACH, 0)] - 1
    # every row of the ring is as wide as the picture and what the filter reaches beyond it
    alpha = np.zeros(RING * (width + 2 * REACH), np.float32)
    lit, own = np.ones(RING * width, np.float32), np.zeros(RING * width, np.float32)
    solved, some = np.zeros((RING, segments), np.uint8), np.zeros(RING, np.bool_)
    opaque = np.ones(RING, np.bool_)
    raw, firm = np.empty(width, np.float32), np.empty(width, np.float32)
    tall = np.empty(width + 2 * REACH, np.float32)
    nearby, room = np.empty((near.shape[1], 6), np.float32), np.empty(13 * PLANE, np.float32)
    bottom = min(last + REACH, height)
    for y in range(max(first - REACH, 0), last + REACH):
        if y < bottom:
            above, below, slot = lines[y], min(lines[y] + 1, end), y % RING
            at = slot if made else y
            while reached < below:
                reached += 1
                _widened(surface[reached], ends, parts, k, wide[reached % WIDE])
            over, under = wide[above % WIDE], wide[below % WIDE]
            if made:
                tint_row(blue, red, chroma_row, y, width, height, gains, tints)
                begin = np.uint64(y * wide_row)
                pixel_row(
                    luma, begin, tints, gains, pixels.reshape(-1), np.uint64(slot * width), width
                )
            opaque[slot] = raw_row(pixels[at], over, under, shares[y], k, white, raw)
            some[slot] = _cover(
                pixels[at], y, first <= y < last, over, under, raw, near[above],
                near[below], core[core_rows[y]], core_columns, columns, parts, ends, shares[y], k, to_ycc,
                low, gain, shade, despill, to_grey, to_below, alpha, lit, own, solved[slot], nearby,
                room, out[y])  # fmt: skip
        n = y - REACH
        if n < first:
            continue
        if some[n % RING]:
            _finish(pixels[n % RING if made else n], n, height, wide[lines[n] % WIDE],
                    wide[min(lines[n] + 1, end) % WIDE], shares[n], k,
                    to_ycc, shade, despill, to_grey, to_below, crisp, alpha, lit, own,
                    solved[n % RING], tall, firm, room, out[n])  # fmt: skip
        if not opaque[n % RING]:
            own_coverage(pixels[n], out[n])
        left, right = span(out[n])
        if mask.size and left < right:
            weigh_in_place(out[n], mask[n], left, right)
            left, right = span(out[n])
        held[n, 0], held[n, 1] = left, right


@nb.njit(error_model="numpy", forceinline=True)
def _cover(pixels, y, wanted, above, below, raw, near_above, near_below, core, core_columns, columns,
           parts, ends, share, k, to_ycc, low, gain, shade, despill, to_grey, to_below, alpha, lit, own,
           solved, nearby, room, to):  # fmt: skip
    """The coverage of row ``y``, into the ring. Segments that need no solve are finished with it, where
    the row is ``wanted``. Answers whether any needs one."""
    width = pixels.size
    row, some = y % RING * (width + 2 * REACH) + REACH, False
    fill(alpha, row, width, np.float32(0))
    if wanted:
        to[:] = 0
    solved[:] = 0
    for group in range(0, solved.size, GROUP):
        # most of a picture is screen: several segments are looked at together before each by itself
        begin, stop = group * SEGMENT, min((group + GROUP) * SEGMENT, width)
        if shade == 0 and _highest(raw, begin, stop) <= _CLEAR_BITS:
            continue
        for segment in range(group, min(group + GROUP, solved.size)):
            begin, stop = segment * SEGMENT, min((segment + 1) * SEGMENT, width)
            if _highest(raw, begin, stop) <= _CLEAR_BITS:
                if shade > 0 and wanted:
                    shadow(pixels, above, below, share, begin, stop, shade, to)
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
        _between(near_above.ravel(), near_below.ravel(), share, nearby.ravel())
        beside, begin = y % RING * width, 0
        while begin < width:
            begin, stop = next_run(solved, begin, width)
            n = stop - begin
            gather(nearby, columns, parts, ends, above, below, share, raw, k, begin, n, room)
            solve(pixels, room, begin, n, k, to_ycc, low, gain)
            copy(room, 10 * PLANE, alpha, row + begin, n)
            copy(room, 11 * PLANE, lit, beside + begin, n)
            copy(room, 12 * PLANE, own, beside + begin, n)
            begin = stop
    fill(alpha, row - REACH, REACH, alpha[row])
    fill(alpha, row + width, REACH, alpha[row + width - 1])
    return some


@nb.njit(error_model="numpy", forceinline=True)
def _finish(pixels, y, height, above, below, share, k, to_ycc, shade, despill, to_grey, to_below, crisp,
            alpha, lit, own, solved, tall, firm, room, to):  # fmt: skip
    """The solved segments of row ``y``, made crisp run by run and unmixed."""
    width, beside, begin = pixels.size, y % RING * pixels.size, 0
    while begin < width:
        begin, stop = next_run(solved, begin, width)
        n = stop - begin
        crisped(alpha, width + 2 * REACH, y, height, begin, n, crisp, tall, firm)
        lights(above, below, share, k, begin, n, room, 0)
        copy(firm, begin, room, 3 * PLANE, n)
        copy(lit, beside + begin, room, 4 * PLANE, n)
        copy(own, beside + begin, room, 5 * PLANE, n)
        unmix(pixels, room, begin, n, k, to_ycc, shade, despill, to_grey, to_below, to)
        begin = stop


def _places(size: int, step: float, cells: int) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """For every pixel along an axis the cell of the surface before it, and how far it is past it."""
    at = np.clip((np.arange(size) + 0.5) * step - 0.5, 0, cells - 1)
    cell = at.astype(np.int64)
    return cell, (at - cell).astype(np.float32)


def _study_pixels(size: int, count: int) -> NDArray[np.int64]:
    """For every pixel along an axis the study pixel that it lies in."""
    return np.arange(size) * count // size


def _ends(cells: NDArray[np.int64], count: int) -> NDArray[np.int64]:
    """For every cell the first pixel past those that begin with it."""
    return np.searchsorted(cells, np.arange(count), side="right")


def _step(height: int, width: int) -> float:
    """Cells of the surface per pixel of the picture."""
    return min(1.0, STUDY / min(height, width)) / CELL


_NO_MASK = np.empty((0, 0), np.uint8)
_NO_PIXELS = np.empty((0, 0), np.uint32)
_NO_PLANES, _NO_GAINS = np.zeros(5, np.uint64), np.empty(0, np.float32)


def read_screen(picture: NDArray[np.uint8] | Planes, colour: tuple[int, int, int]) -> Screen:
    """What is to be known of a picture before its key.

    Args:
        picture: (h, w, 4) uint8 RGBA, display-referred, premultiplied; or as its codec holds it.
        colour: the screen's R, G, B in 0 to 255.
    """
    small = study(picture)
    surface = screen_surface(small, colour)
    # what is surely foreground lies farther from any edge than its coverage is made crisp by
    margin = max(MARGIN, ceil(REACH * _step(*size_of(picture)) * CELL))
    return Screen(surface, local_foreground(small, surface, int(np.argmax(colour)), margin))


@dataclass(frozen=True)
class Loose:
    """A keyed picture that has been written only where something is left of it: ``pixels`` (h, w, 4) uint8
    RGBA, premultiplied, and ``held`` (h, 2) int32, the :func:`spans` of its rows. What a row that holds
    nothing says is not to be read."""

    pixels: NDArray[np.uint8]
    held: NDArray[np.int32]

    @property
    def nbytes(self) -> int:
        return self.pixels.nbytes + self.held.nbytes


class KeySettings(TypedDict, total=False):
    """See :func:`screen_key`."""

    tolerance: float
    softness: float
    clip: tuple[float, float]
    keep_shadows: float
    despill: float
    spill_to: str
    rows: tuple[int, int] | None
    crisp: float
    mask: Plane | None


def screen_key(
    picture: NDArray[np.uint8] | Planes, screen: Screen, colour: tuple[int, int, int],
    **settings: Unpack[KeySettings],
) -> NDArray[np.uint8]:  # fmt: skip
    """Key a screen out of a picture.

    Args:
        picture: (h, w, 4) uint8 RGBA, display-referred, premultiplied; or as its codec holds it, of which
            only rows that are needed then become pixels.
        screen: from :func:`read_screen`.
        colour: the screen's R, G, B in 0 to 255; says which channel is the key channel.
        tolerance: part of the way from screen to subject that still is screen, 0 to 1; 0.03
            where it is not given.
        softness: part of the way over which coverage rises to full, 0 to 1; 0.9.
        clip: coverage that becomes 0 and coverage that becomes 1; 0 and 1.
        keep_shadows, despill: strengths, 0 to 1; 0 and 1.
        spill_to: what takes the place of spill: ``dark`` (nothing), ``grey`` (the same light without
            colour) or ``below`` (what lies below shines through).
        rows: first and last (excluded) row that is needed; the others stay clear.
        crisp: how much an edge is sharpened; 0 leaves it as it was solved; :data:`CRISP`.
        mask: (h, w) uint8, what the coverage is multiplied by in the end; rows where it is 0 throughout
            are not keyed at all.

    Returns:
        (h, w, 4) uint8 RGBA, premultiplied, the screen's colour unmixed from the edge.

    >>> card = np.full((40, 40, 4), (60, 160, 70, 255), np.uint8)
    >>> card[10:30, 10:30, :3] = (200, 120, 40)
    >>> keyed = screen_key(card, read_screen(card, (60, 160, 70)), (60, 160, 70))
    >>> keyed[20, 20].tolist(), keyed[2, 2].tolist()
    ([200, 120, 40, 255], [0, 0, 0, 0])
    """
    return _keyed(picture, screen, colour, loose=False, **settings).pixels


def loose_key(
    picture: NDArray[np.uint8] | Planes, screen: Screen, colour: tuple[int, int, int],
    **settings: Unpack[KeySettings],
) -> Loose:  # fmt: skip
    """The same as :func:`screen_key`, written only where something is left."""
    return _keyed(picture, screen, colour, loose=True, **settings)


def _keyed(
    picture: NDArray[np.uint8] | Planes, screen: Screen, colour: tuple[int, int, int], *, loose: bool,
    tolerance: float = 0.03, softness: float = 0.90, clip: tuple[float, float] = (0.0, 1.0),
    keep_shadows: float = 0.0, despill: float = 1.0, spill_to: str = "dark",
    rows: tuple[int, int] | None = None, crisp: float = CRISP, mask: Plane | None = None,
) -> Loose:  # fmt: skip
    height, width = size_of(picture)
    between = rows or (0, height)
    if mask is not None:
        held = np.flatnonzero(mask.max(axis=1))
        first, last = (held[0], held[-1] + 1) if held.size else (0, 0)
        between = (max(between[0], int(first)), max(min(between[1], int(last)), 0))
        between = (min(between), between[1])
    near, surface = screen.foreground.near, np.ascontiguousarray(screen.surface)
    step = _step(height, width)
    core = screen.foreground.core
    where = _study_pixels(height, core.shape[0]), _study_pixels(width, core.shape[1])
    lines = _places(height, step, near.shape[0])
    columns, parts = _places(width, step, near.shape[1])
    ends = _ends(columns, near.shape[1])
    parts = np.pad(parts, (0, BLOCK), mode="edge")
    pixels, folded, gains = _NO_PIXELS, _NO_PLANES, _NO_GAINS
    if isinstance(picture, Planes):
        folded, gains = picture.whereabouts(), picture.k
    else:
        pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    gain = 1 / (max(softness, 1e-3) * max(clip[1] - clip[0], 1e-3))
    low = tolerance + clip[0] * softness
    key, threads = int(np.argmax(colour)), nb.get_num_threads()
    # every piece begins with rows that the one before it knows, too: as few pieces as keep threads busy
    pieces = 1 if threads == 1 else 2 * threads
    chunk = max(CHUNK, ceil((between[1] - between[0]) / pieces))
    keyed, held = _key(
        pixels, folded, gains, height, width, surface, *lines, near, core, *where, columns, parts, ends, *between,
        chunk,
        key, ycc_of(key), np.float32(1 / screen.foreground.white), np.float32(low),
        np.float32(gain), np.float32(keep_shadows), np.float32(despill),
        np.float32(spill_to == "grey"), np.float32(spill_to == "below"), np.float32(crisp),
        _NO_MASK if mask is None else np.ascontiguousarray(mask), loose,
    )  # fmt: skip
    return Loose(keyed.view(np.uint8).reshape(height, width, 4), held)
