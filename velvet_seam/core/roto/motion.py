"""How a subject moves from one frame to another: looked at in nothing but the subject, as one piece first, then bent.

What lies beside a subject moves otherwise. So movement that is found in patches of the picture is wrong wherever a patch
holds more of the background than of the subject: along every edge, and in all of a stalk, a cable or a finger. Where the
picture's own movement fits the subject better it is taken all the same: what bends much is not one piece.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.roto.laid import Blurred, compared
from velvet_seam.core.roto.pieces import LEAST, Piece, off_by, picked, pieces
from velvet_seam.core.roto.places import Places, places
from velvet_seam.core.roto.seen import Seen, flow

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]

BLURS = (2.0, 0.7)
"""Pixels by which both frames are blurred while pieces are laid, most first: what bends is found over the last."""

FAR = 3
"""How often both are halved where the whole is looked for farther away: as far as some sixteen pixels."""

PIXELS = 8000
"""So many of the subject are compared where it bends."""

CELL = 4
"""Side of a cell in which what bends is added up, in pixels."""

REACH = 8.0
"""Pixels over which what bends is one movement."""

STIFF = 16.0
"""What holds a place against bending: a slope from pixel to pixel, squared."""

BENDS, FARTHEST = 3, 2.0
"""How often it is bent, and by how many pixels at once, at the most."""

UNLIKE = 9.0
"""What is more unlike than so many times the usual is unlike, and no more."""

BACK = 3
"""Steps in which a way is turned round."""


def motion(inside: F32, there: Seen, here: Seen) -> F32:
    """Where each pixel of a frame was in an earlier or later one, if it is the subject's.

    Args:
        inside: (h, w) how far inside its region each pixel of ``there`` is.
        there: the frame whose region is known.
        here: the frame that is asked about, of the same size.

    Returns:
        (h, w, 2) float32, how many columns and rows further each pixel of ``here`` was in ``there``.
    """
    rows, columns = places(inside > 0)
    if rows.size < LEAST or min(inside.shape) < 3:
        return flow(here, there)
    before, now, way = there.f, here.f, flow(there, here, smooth=False)
    blurred = [Blurred.of(before, now, one) for one in BLURS]
    whole, *others = pieces(inside, way, blurred, Blurred.far(before, now, FAR))
    x, y = cells(inside.shape)
    asides = [
        np.zeros((*y.shape, 2), np.float32),
        beside(whole, way, inside > 1.0),
        *((one.off(x, y) - whole.off(x, y)).astype(np.float32) for one in others),
    ]
    aside = bent(picked((rows, columns), PIXELS), whole, asides, blurred[-1])
    return back(whole.matrix, aside, inside.shape)


def cells(size: tuple[int, ...]) -> tuple[F64, F64]:
    """Columns and rows of the middles of all cells of a picture of some height and width, (h', w') each."""
    y, x = CELL * np.mgrid[: -(-size[0] // CELL), : -(-size[1] // CELL)] + (CELL - 1) / 2
    return x, y


def beside(whole: Piece, way: F32, own: NDArray[np.bool_]) -> F32:
    """What a subject's own pixels seem to move by beside the whole, carried beyond them: (h', w', 2) float32, a value a
    cell, means over as little as holds enough of it."""
    height, width = own.shape
    weight = own.astype(np.float32)
    size = (-(-width // CELL), -(-height // CELL))
    across, down = cv2.split(way)
    held = cv2.merge([across * weight, down * weight, weight])
    parts = cv2.resize(held, size, interpolation=cv2.INTER_AREA)
    off = parts[..., :2] - whole.off(*cells(own.shape)) * parts[..., 2:]
    parts = np.dstack([off, parts[..., 2]]).astype(np.float32)
    mean: F32 = np.zeros((*parts.shape[:2], 2), np.float32)
    for radius in (6, 2, 1):
        some = cv2.blur(parts, (2 * radius + 1,) * 2, borderType=cv2.BORDER_CONSTANT)
        least = np.float32(0.02)
        mean = np.asarray((some[..., :2] + least * mean) / (some[..., 2:] + least), np.float32)
    return mean


def bent(at: Places, whole: Piece, asides: list[F32], frames: Blurred) -> F32:
    """By how many columns and rows places move beside the whole, a value a cell: (h', w', 2) float32.

    Args:
        at: pixels of the subject.
        whole: how it moves as one piece.
        asides: what it may be, (h', w', 2) each: in every place the one by which it looks most as it did is bent further.
        frames: what is compared of both, at their own size.
    """
    rows, columns = at
    was, now, sigma = frames.was(at), frames.now, REACH / CELL

    def added(aside: F32) -> F32:
        sums = _added(rows, columns, was, now, whole.matrix, aside, whole.offset, whole.usual, CELL, UNLIKE)  # fmt: skip
        return np.asarray(cv2.GaussianBlur(sums, (0, 0), sigma))

    aside, sums = asides[0], added(asides[0])
    for one in asides[1:]:
        other = added(one)
        better = (other[..., 6] < sums[..., 6])[..., None]
        aside, sums = np.where(better, one, aside), np.where(better, other, sums)
    for turn in range(BENDS):
        if turn:
            sums = added(aside)
        weight = sums[..., 0] + np.float32(1e-4)
        a, b, c, e, f = (sums[..., n] / weight for n in range(1, 6))
        a, c = a + np.float32(STIFF), c + np.float32(STIFF)
        step = np.dstack([c * e - b * f, a * f - b * e]) / (a * c - b * b)[..., None]
        aside = aside - np.clip(step, -FARTHEST, FARTHEST)
    held = sums[..., :1]
    both = cv2.GaussianBlur(np.dstack([aside * held, held]), (0, 0), sigma / 2)
    return np.asarray(both[..., :2] / (both[..., 2:] + np.float32(1e-4)), np.float32)


@kernel()
def _added(rows, columns, before, now, matrix, aside, offset, usual, cell, unlike):
    """Of each cell: weights, the products of slopes, those of slopes with differences, and how unlike it is."""
    sums = np.zeros((*aside.shape[:2], 7), np.float32)
    e, ex, ey = np.empty(3, np.float32), np.empty(3, np.float32), np.empty(3, np.float32)
    for n in range(rows.size):
        v, u = rows[n] // cell, columns[n] // cell
        x = matrix[0, 0] * columns[n] + matrix[0, 1] * rows[n] + matrix[0, 2] + aside[v, u, 0]
        y = matrix[1, 0] * columns[n] + matrix[1, 1] * rows[n] + matrix[1, 2] + aside[v, u, 1]
        if not compared(now, y, x, before[n], offset, e, ex, ey):
            sums[v, u, 6] += np.float32(unlike * usual)
            continue
        squared = e[0] ** 2 + e[1] ** 2 + e[2] ** 2
        sums[v, u, 6] += np.float32(min(squared, unlike * usual))
        weight = np.float32(1 / (1 + squared / (4 * usual)))
        sums[v, u, 0] += weight
        for c in range(3):
            sums[v, u, 1] += weight * ex[c] * ex[c]
            sums[v, u, 2] += weight * ex[c] * ey[c]
            sums[v, u, 3] += weight * ey[c] * ey[c]
            sums[v, u, 4] += weight * ex[c] * e[c]
            sums[v, u, 5] += weight * ey[c] * e[c]
    return sums


def back(matrix: F64, aside: F32, size: tuple[int, ...]) -> F32:
    """From where each pixel came, by how many columns and rows, (h, w, 2) float32: a way turned round.

    Args:
        matrix: (2, 3) how the whole moves.
        aside: (h', w', 2) and each cell beside it.
        size: height and width.
    """
    to = np.linalg.inv(np.vstack([matrix, [0, 0, 1]]))[:2]
    x, y = cells(size)
    straight = off_by(to, x, y) + np.dstack([x, y])
    bend: NDArray[Any] = np.zeros(aside.shape)
    for _ in range(BACK):
        place = ((straight + bend - (CELL - 1) / 2) / CELL).astype(np.float32)
        across, down = cv2.split(place)
        off = cv2.remap(aside, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        bend = -off @ to[:, :2].T
    height, width = size
    wide = (CELL * aside.shape[1], CELL * aside.shape[0])
    every = cv2.resize(bend.astype(np.float32), wide, interpolation=cv2.INTER_LINEAR)
    u, v = np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32)[:, None]
    return np.asarray(off_by(to, u, v) + every[:height, :width], np.float32)
