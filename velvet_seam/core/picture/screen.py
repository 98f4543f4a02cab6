"""Finding the screen: its colour, and how its light changes over the picture."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.colour import LUMA_709
from velvet_seam.core.picture.study import study
from velvet_seam.core.problem import Problem

CELL = 3
"""Side of a cell of the screen surface, in study pixels."""

BORDER = 0.06
"""Width of the border in which the screen is looked for, as a part of the short side."""


BAND = 10 * CELL
"""Rows that share the room they are worked out in."""

_GREY = np.float32(0.30)
"""Chroma over light of a screen that has little colour."""

_HALF_A_CELL = np.float32(CELL * CELL / 4)

UNEVEN, SPREAD, ROUGH, BARE = 2.6, 0.028, 0.03, 0.9
"""How uneven in stops, how many-coloured, how structured, and how much of the border without its colour a
screen may be: each alone; together their squares, over these, add up to 1. Chosen between 63 screens (two
stops of light, folds, hot spots, half of the border covered: at most 0.90) and 65 pictures without one, photos
and clips (at least 1.14). Of 100 other screens looked at afterwards all were found; of 276 other pictures one,
the even red of an eye's ground, was taken for a screen."""

SECOND_SHARE = 0.2
"""Part of the border that another screen fills."""


@dataclass(frozen=True)
class ScreenReading:
    """What was found: ``colour`` as R, G, B in 0 to 255, ``share`` of the pixels looked at that
    have it (0 to 1), and ``uneven``, the spread of its light in stops.

    ``found`` is False where it is only the most common colour of a border that shows no screen; ``second``
    is the colour of another screen, where there are two.
    """

    colour: tuple[float, float, float]
    share: float
    uneven: float
    found: bool = True
    second: tuple[float, float, float] | None = None
    common: tuple[float, float, float] | None = None
    """The colour of what is most commonly as bright, along the border, whatever its colour is."""


def measure_border(pictures: list[NDArray[np.uint8]]) -> ScreenReading:
    """The screen's colour as the most common strong colour along the border of some frames, and whether
    it is a screen at all.

    The mode of the chroma histogram is robust to a subject, a stand or a card's end that reaches
    into the border; a median around it removes the histogram's coarseness. A screen has one colour, is
    smooth, and its light changes by two stops at most; walls, skies and wood lack one of these.
    """
    border = _Border.of(pictures)
    first = border.mode(border.strong)
    if first is None:
        colour = np.median(border.pixels, axis=0) * 255
        return ScreenReading(_triple(colour), 0.0, 0.0, found=False, common=border.common())
    reading = _reading(border.pixels[first], float(first.mean()))
    found = border.doubt(first, reading) < 1
    second = None
    if found:
        other = border.mode(border.strong & ~first)
        if other is not None and other.mean() >= SECOND_SHARE:
            its = _reading(border.pixels[other], float(other.mean()))
            if border.doubt(other, replace(its, share=1.0)) < 0.7:
                second = its.colour
    return replace(reading, found=found, second=second, common=border.common())


@dataclass(frozen=True)
class _Border:
    """Pixels along the border of some pictures: R'G'B' (n, 3) in 0 to 1, their chroma (n, 2), how far each
    stands out from what lies around it, and which have a strong colour."""

    pixels: NDArray[np.float32]
    chroma: NDArray[np.float32]
    rough: NDArray[np.float32]
    strong: NDArray[np.bool_]

    def common(self) -> tuple[float, float, float]:
        """The median colour of the pixels that are nearly of the most common brightness."""
        luma = self.pixels.mean(1)
        counts, edges = np.histogram(luma, 40, (0, 1))
        most = int(np.argmax(np.convolve(counts, np.ones(3), "same")))
        near = np.abs(luma - (edges[most] + edges[most + 1]) / 2) < 0.04
        return _triple(np.median(self.pixels[near] if near.any() else self.pixels, axis=0) * 255)

    @classmethod
    def of(cls, pictures: list[NDArray[np.uint8]]) -> _Border:
        rims, rough = [], []
        for picture in pictures:
            small = study(picture)
            ring = np.zeros(small.shape[:2], bool)
            wide = max(2, round(BORDER * min(small.shape[:2])))
            ring[:wide] = ring[-wide:] = True
            ring[:, :wide] = ring[:, -wide:] = True
            rims.append(small[ring])
            light = np.asarray(small @ np.array(LUMA_709, np.float32))
            near = np.asarray(cv2.GaussianBlur(light, (0, 0), 2.0))  # noise is no structure
            wider = np.asarray(cv2.GaussianBlur(light, (0, 0), 6.0))
            rough.append((np.abs(near - wider) / (wider + np.float32(0.02)))[ring])
        pixels = np.concatenate(rims)
        y = pixels @ np.array(LUMA_709, np.float32)
        ends = np.sort(pixels, axis=1)
        strong = (ends[:, 2] - ends[:, 0] > 0.12) & (y > 0.04)
        return cls(pixels, _chroma(pixels, y), np.concatenate(rough), strong)

    def mode(self, among: NDArray[np.bool_]) -> NDArray[np.bool_] | None:
        """Which of some pixels have the most common colour of them; None where there are hardly any."""
        if among.mean() < 0.01:
            return None
        bins = np.clip(((self.chroma + 1.0) * 32).astype(int), 0, 63)
        counts = np.bincount((bins[:, 0] * 64 + bins[:, 1])[among], minlength=4096)
        smooth = cv2.GaussianBlur(counts.reshape(64, 64).astype(np.float32), (3, 3), 0)
        centre = (np.array(np.unravel_index(int(smooth.argmax()), (64, 64))) + 0.5) / 32 - 1.0
        near = among
        for _ in range(3):
            here = (np.abs(self.chroma - centre).max(axis=1) < 0.12) & among
            if not here.any():
                break
            near, centre = here, np.median(self.chroma[here], axis=0)
        return near

    def doubt(self, near: NDArray[np.bool_], reading: ScreenReading) -> float:
        """How little some pixels are like a screen: 1 is the limit."""
        chroma = self.chroma[near]
        spread = float(np.abs(chroma - np.median(chroma, axis=0)).mean())
        rough = float(np.median(self.rough[near]))
        parts = (
            reading.uneven / UNEVEN,
            spread / SPREAD,
            rough / ROUGH,
            (1 - reading.share) / BARE,
        )
        return sum(part**2 for part in parts)


def _triple(colour: NDArray[np.float32]) -> tuple[float, float, float]:
    return float(colour[0]), float(colour[1]), float(colour[2])


def measure_area(picture: NDArray[np.uint8], corners: NDArray[np.float64]) -> ScreenReading:
    """The colour over a dragged area: the median, robustly.

    Args:
        picture: (h, w, 4) uint8 RGBA.
        corners: (n, 2), x and y of a convex area in pixels of the picture, in order.

    Raises:
        Problem: the area lies outside the picture.

    >>> half = np.repeat(np.array([[[9, 9, 9, 255]], [[200, 40, 60, 255]]], np.uint8), 4, 1)
    >>> measure_area(half, np.array([[0, 1], [4, 1], [4, 2], [0, 2]], float)).colour
    (200.0, 40.0, 60.0)
    """
    height, width = picture.shape[:2]
    (x0, y0), (x1, y1) = np.floor(corners.min(0)), np.ceil(corners.max(0))
    left, top = int(min(max(x0, 0), width)), int(min(max(y0, 0), height))
    right, bottom = int(min(max(x1, left + 1), width)), int(min(max(y1, top + 1), height))
    if right <= left or bottom <= top or x1 < 0 or y1 < 0:
        raise Problem("That area lies outside the layer. Drag over the screen itself.")
    piece = picture[top:bottom, left:right, :3]
    y, x = np.mgrid[top:bottom, left:right] + 0.5
    inside, sign = np.ones(piece.shape[:2], bool), _winding(corners)
    for (ax, ay), (bx, by) in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        inside &= sign * ((bx - ax) * (y - ay) - (by - ay) * (x - ax)) >= 0
    if not inside.any():  # thinner than a pixel
        inside[:] = True
    return _reading(piece[inside].astype(np.float32) / np.float32(255), 1.0)


def _winding(corners: NDArray[np.float64]) -> float:
    """Whether corners run clockwise on the screen, 1, or back, -1."""
    x, y = corners.T
    return 1.0 if float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y)) >= 0 else -1.0


def _chroma(pixels: NDArray[np.float32], y: NDArray[np.float32]) -> NDArray[np.float32]:
    """Colour without its light: (R' − Y', B' − Y') / Y', squeezed into −1 to 1."""
    ratio = (pixels[:, [0, 2]] - y[:, None]) / (y[:, None] + np.float32(0.02))
    return np.asarray(np.tanh(ratio * np.float32(0.5)), np.float32)


def _reading(pixels: NDArray[np.float32], share: float) -> ScreenReading:
    colour = np.median(pixels, axis=0)
    y = np.maximum(pixels @ np.array(LUMA_709, np.float32), 1e-3)
    low, high = np.percentile(y, [2, 98])
    # display-referred values lie close to the 2.2nd root of light
    uneven = float(2.2 * np.log2(high / low))
    return ScreenReading(_triple(colour * 255), share, uneven)


@nb.njit(error_model="numpy")
def _guessed(guess, width, refined, room):
    """What a guess says of each pixel of the rows of a cell, in planes: what is picked by its cell is picked
    first, so that :func:`_hits` runs in vectors."""
    wr, wg, wb = np.float32(LUMA_709[0]), np.float32(LUMA_709[1]), np.float32(LUMA_709[2])
    floor, one = np.float32(1e-3), np.float32(1)
    bound = np.float32(0.12 if refined else 0.25)
    noise = np.float32(0.018 if refined else 0.030)
    for gx in range(guess.shape[0]):
        sr, sg, sb = guess[gx, 0], guess[gx, 1], guess[gx, 2]
        sy = wr * sr + wg * sg + wb * sb
        su, sv, inverse = sr - sy, sb - sy, one / max(sy, floor)
        # of a screen of little colour noise alone goes as far
        chroma, least = (
            su * su + sv * sv,
            noise * min(max(sy / np.float32(0.4), np.float32(0.4)), one),
        )
        square = max(bound * bound * chroma, least * least)
        grey = chroma < (_GREY * sy) ** 2
        if refined:
            dark, light = np.float32(0.86 if grey else 0.60), np.float32(1.10 if grey else 1.14)
        else:
            dark, light = np.float32(0.60 if grey else 0.35), np.float32(1.50 if grey else 2.20)
        for x in range(gx * CELL, min(gx * CELL + CELL, width)):
            room[0, x], room[1, x], room[2, x], room[3, x] = su, sv, inverse, square
            room[4, x], room[5, x] = dark, light


@nb.njit(error_model="numpy")
def _hits(row, room, hit):
    """Mark the screen pixels of a row: those with the screen's chroma scaled by their own light."""
    wr, wg, wb = np.float32(LUMA_709[0]), np.float32(LUMA_709[1]), np.float32(LUMA_709[2])
    half, width = np.float32(0.5), row.shape[0]
    flat = row.reshape(-1)
    three = np.uint64(3)
    for n in range(width):
        i = np.uint64(n)
        r, g, b = flat[three * i], flat[three * i + np.uint64(1)], flat[three * i + np.uint64(2)]
        py = wr * r + wg * g + wb * b
        k = py * room[2, i]
        u, v = r - py - k * room[0, i], b - py - k * room[1, i]
        near = max(k, half)
        hit[i] = (k > room[4, i]) & (k < room[5, i]) & (u * u + v * v < near * near * room[3, i])


@nb.njit(error_model="numpy")
def _sum_cells(small, hit, gy, sums):
    """Sum and count the screen pixels of a row of cells that have screen on all four sides."""
    h, w = hit.shape
    for y in range(max(gy * CELL, 1), min(gy * CELL + CELL, h - 1)):
        for x in range(1, w - 1):
            if hit[y, x] & hit[y - 1, x] & hit[y + 1, x] & hit[y, x - 1] & hit[y, x + 1]:
                cell = x // CELL
                sums[cell, 0] += small[y, x, 0]
                sums[cell, 1] += small[y, x, 1]
                sums[cell, 2] += small[y, x, 2]
                sums[cell, 3] += 1


@kernel()
def _cells(small, guess, refined):
    """Sum of R'G'B' and count of screen pixels in every cell.

    At first pixels count within broad bounds of light, then from 60 to 114 % of a first guess of the
    surface, so that it follows soft shadows on the screen; 86 to 110 % where it has little colour to tell a
    shadow by. ``guess`` has a colour for every cell.
    """
    gh, gw = guess.shape[0], guess.shape[1]
    hit = np.zeros(small.shape[:2], np.uint8)
    for band in range((small.shape[0] + BAND - 1) // BAND):
        room = np.empty((6, small.shape[1]), np.float32)
        for y in range(band * BAND, min(band * BAND + BAND, small.shape[0])):
            if y % CELL == 0:  # a band begins with a row of cells
                _guessed(guess[y // CELL], small.shape[1], refined, room)
            _hits(small[y], room, hit[y])
    sums = np.zeros((gh, gw, 4), np.float32)
    for gy in range(gh):
        _sum_cells(small, hit, gy, sums[gy])
    return sums


@nb.njit(error_model="numpy")
def _widened(line, before, share, to):
    """A row of a surface at another width."""
    last, channels = line.shape[0] - 1, line.shape[1]
    for x in range(to.shape[0]):
        x0, dx = before[x], share[x]
        x1 = min(x0 + 1, last)
        for c in range(channels):
            to[x, c] = line[x0, c] + (line[x1, c] - line[x0, c]) * dx


@nb.njit(error_model="numpy")
def between(one, other, share, to):
    """A row between two others."""
    for f in range(to.size):
        n = np.uint64(f)
        to[n] = one[n] + (other[n] - one[n]) * share


@kernel()
def enlarged(coarse, height, width):
    """A surface at another size, linearly between the middles of its cells."""
    h, w, channels = coarse.shape
    out, wide = (
        np.empty((height, width, channels), np.float32),
        np.empty((h, width, channels), np.float32),
    )
    half, zero = np.float32(0.5), np.float32(0)
    across, down = np.float32(w / width), np.float32(h / height)
    before, share = np.empty(width, np.int64), np.empty(width, np.float32)
    for x in range(width):
        u = min(max((np.float32(x) + half) * across - half, zero), np.float32(w - 1))
        before[x] = min(np.int64(u), max(w - 2, 0))
        share[x] = u - np.float32(before[x])
    for y in range(h):
        _widened(coarse[y], before, share, wide[y])
    for y in range(height):
        v = min(max((np.float32(y) + half) * down - half, zero), np.float32(h - 1))
        y0 = np.int64(v)
        y1, dy = min(y0 + 1, h - 1), v - np.float32(y0)
        between(wide[y0].reshape(-1), wide[y1].reshape(-1), dy, out[y].reshape(-1))
    return out


@kernel()
def spread(sums, unknown, weight):
    """Normalised convolution over growing sizes: every cell gets the nearest that is known.

    Args:
        sums: (rows, columns, n + 1) float32, sums of n values over each cell and, last, their count.
        unknown: (1, 1, n), what is taken where nothing is known anywhere.
        weight: how many pixels a cell must hold before its own mean outweighs the coarser one.
    """
    n = sums.shape[2] - 1
    levels = [sums]
    while max(levels[-1].shape[0], levels[-1].shape[1]) > 1:
        fine = levels[-1]
        h, w = fine.shape[0], fine.shape[1]
        coarse = np.zeros(((h + 1) // 2, (w + 1) // 2, n + 1), np.float32)
        for y in range(h):
            for x in range(w):
                for c in range(n + 1):
                    coarse[y // 2, x // 2, c] += fine[y, x, c]
        levels.append(coarse)
    surface = unknown
    for i in range(len(levels) - 1, -1, -1):
        level = levels[i]
        surface = enlarged(surface, level.shape[0], level.shape[1])
        for y in range(level.shape[0]):
            for x in range(level.shape[1]):
                for c in range(n):
                    known = level[y, x, c] + weight * surface[y, x, c]
                    surface[y, x, c] = known / (level[y, x, n] + weight)
    return surface


def screen_surface(small: NDArray[np.float32], colour: tuple[int, int, int]) -> NDArray[np.float32]:
    """The screen's colour over the picture, as if nothing stood in front of it.

    Args:
        small: the picture as :func:`study` gives it.
        colour: the screen's R, G, B in 0 to 255.

    Returns:
        (rows, columns, 3) float32 R'G'B' in 0 to 1, one value for each cell of :data:`CELL` study
        pixels. Where no screen is seen nearby it eases towards the given colour.
    """
    flat = np.asarray(colour, np.float32).reshape(1, 1, 3) / np.float32(255)
    # a first guess of the light needs no detail: a quarter of the pixels will do
    half = (max(round(small.shape[1] / 2), 1), max(round(small.shape[0] / 2), 1))
    rough: NDArray[np.float32] = np.asarray(
        cv2.resize(small, half, interpolation=cv2.INTER_AREA), np.float32
    ).reshape(half[1], half[0], 3)
    first = spread(_cells(rough, _grid(rough, flat), False), flat, _HALF_A_CELL)
    first = np.asarray(cv2.GaussianBlur(first, (0, 0), 1.5), np.float32).reshape(first.shape)
    surface = spread(_cells(small, _grid(small, first), True), flat, _HALF_A_CELL)
    return np.asarray(cv2.GaussianBlur(surface, (3, 3), 0), np.float32).reshape(surface.shape)


def _grid(small: NDArray[np.float32], surface: NDArray[np.float32]) -> NDArray[np.float32]:
    """A surface with one value for each cell of a study picture."""
    rows, columns = -(-small.shape[0] // CELL), -(-small.shape[1] // CELL)
    surface = surface.reshape(*surface.shape[:2], 3)
    grid = cv2.resize(surface, (columns, rows), interpolation=cv2.INTER_LINEAR)
    return np.asarray(grid, np.float32).reshape(rows, columns, 3)
