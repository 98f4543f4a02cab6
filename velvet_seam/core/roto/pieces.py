"""A subject laid on another frame as one piece, which may turn, grow and slant; and the pieces that move otherwise.

Nothing but pixels of the subject are compared (:mod:`~velvet_seam.core.roto.laid`).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.laid import Blurred
from velvet_seam.core.roto.places import Places, places

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]

FAR_STIFF = (1.0, 0.0)
"""What holds a piece, where it is looked for far away, against turning, growing and slanting, of what lets it shift: held it is
found where it is thin, or goes far; free where it turns much."""

FEW = 250
"""So many of a piece are compared where it is only asked which of several places is best."""

PIXELS = 1000
"""So many of a piece are compared, evenly picked: they say where it lies as well as all."""

LEAST, SHARE = 12, 0.08
"""Pixels of a piece at the least, and of the subject's that have gone elsewhere."""

OTHERS = 2
"""Pieces that move otherwise than the whole does, at the most: an arm, a head."""

OTHERWISE = 1.5
"""Pixels by which something has gone elsewhere than a piece."""

LARGER = 4.0
"""What has grown or shrunk in area by so much from one frame to another has not been found."""


@dataclass(frozen=True)
class Piece:
    """What moves as one.

    ``matrix`` (2, 3) says where a column and a row go; ``usual`` is the median of the squared differences that are left,
    ``offset`` (3,) the mean difference of each channel, as when the light changes.
    """

    matrix: F64
    usual: float
    offset: F32

    def off(self, columns: NDArray[Any], rows: NDArray[Any]) -> F64:
        """By how many columns and rows each of some places moves: (..., 2)."""
        return off_by(self.matrix, columns, rows)


def off_by(matrix: F64, columns: NDArray[Any], rows: NDArray[Any]) -> F64:
    """By how many columns and rows (..., 2) a matrix (2, 3) moves each of some places.

    >>> off_by(np.array([[1, 0, 3], [0, 2, 0]]), np.array([5]), np.array([7])).tolist()
    [[3.0, 7.0]]
    """
    turn = (matrix - np.eye(2, 3)).tolist()  # plain numbers: what is of 32 bits stays so
    return np.stack([a * columns + b * rows + c for a, b, c in turn], -1)


def pieces(inside: F32, way: F32, blurred: list[Blurred], far: list[Blurred]) -> list[Piece]:
    """The whole of a subject as one piece, and those that have gone elsewhere.

    Args:
        inside: (h, w) how far inside its region each pixel is.
        way: (h, w, 2) by how many columns and rows each pixel seems to move.
        blurred: both frames, most blurred first.
        far: the same, more blurred, by which the whole may be found farther away.
    """
    rows, columns = places(inside > min(1.0, 0.5 * float(inside.max())))
    off, least = way[rows, columns], max(SHARE * rows.size, LEAST)
    some = picked((rows, columns), PIXELS)
    found, _ = _stiff(*some, way[some])
    every = places(inside > 0)
    made = [as_one(picked(every, PIXELS), [found, np.eye(2, 3)], blurred, far)]
    while len(made) <= OTHERS:
        elsewhere = np.hypot(*(off - made[-1].off(columns, rows)).T) > OTHERWISE
        rows, columns, off = rows[elsewhere], columns[elsewhere], off[elsewhere]
        if rows.size < least:
            break
        found, part = _stiff(rows, columns, off)
        if part.sum() < least:
            break
        made.append(
            as_one(picked((rows[part], columns[part]), PIXELS // 2), [found], blurred[-1:], [])
        )
    return made


def picked(at: Places, most: int) -> Places:
    """Of some pixels evenly picked ones, or all."""
    rows, columns = at
    some = np.linspace(0, rows.size - 1, min(most, rows.size)).astype(np.int64)
    return rows[some], columns[some]


def _stiff(
    rows: NDArray[np.intp], columns: NDArray[np.intp], off: F32
) -> tuple[F64, NDArray[np.bool_]]:
    """A turn, a growth and a shift, (2, 3), on which most of some pixels agree; and which those are."""
    at = np.stack([columns, rows], 1).astype(np.float32)
    if rows.size >= LEAST:
        found, those = cv2.estimateAffinePartial2D(at, at + off, ransacReprojThreshold=1.0)
        if found is not None and _sound(np.asarray(found, np.float64)):
            return np.asarray(found, np.float64), np.asarray(those)[:, 0] > 0
    return np.column_stack([np.eye(2), off.mean(0)]), np.ones(rows.size, bool)


def as_one(at: Places, starts: list[F64], blurred: list[Blurred], far: list[Blurred]) -> Piece:
    """Pixels of a subject laid on another frame as one piece.

    Args:
        at: the pixels.
        starts: (2, 3) each, where they may be laid first: the one counts from which they come to look most as they did.
        blurred: both frames, most blurred first.
        far: the same, more blurred: where they lead to from the best of the starts are further ones. They lead astray where
            a thing is thin and its ground moves otherwise.
    """
    rows, columns = at
    middle, size = (columns.mean(), rows.mean()), max(float(columns.std()), float(rows.std()), 1.0)
    to_own = np.array([[size, 0, middle[0]], [0, size, middle[1]], [0, 0, 1.0]])
    of_own = np.linalg.inv(to_own)
    placed = [one @ to_own for one in starts]
    few = picked(at, FEW)
    led = [_led(far, of_own, few, placed, one) for one in FAR_STIFF] if far else []
    placed += [one for one in led if _sound(one @ of_own)]
    starts = [one @ of_own for one in placed]
    for level in blurred:
        if len(placed) > 1:
            best, _ = _best(level, of_own, few, placed)
            placed, starts = [placed[best]], [starts[best]]
        _, made = _best(level, of_own, at, placed)
        placed = [made[0]]
    laid, (_, usual, offset) = placed[0] @ of_own, made
    return Piece(laid if _sound(laid) else starts[0], usual, offset)


def _led(far: list[Blurred], of_own: F64, at: Places, placed: list[F64], stiff: float) -> F64:
    """Where much blurred frames lead to from the best of some places."""
    for level in far:
        placed = [_best(level, of_own, at, placed, stiff)[1][0]]
    return placed[0]


def _best(
    level: Blurred, of_own: F64, at: Places, placed: list[F64], stiff: float = 0.0
) -> tuple[int, tuple[F64, float, F32]]:
    """Which of some places turns out best, and what becomes of it."""
    rows, columns = at
    own = np.stack([columns, rows, np.ones(rows.size)], 1) @ of_own.T
    tried = [level.laid(own, at, one, stiff) for one in placed]
    best = min(range(len(tried)), key=lambda n: tried[n][1])
    return best, tried[best]


def _sound(matrix: F64) -> bool:
    """Whether something is still seen of what is laid so."""
    return bool(np.isfinite(matrix).all()) and bool(
        1 / LARGER < np.linalg.det(matrix[:, :2]) < LARGER
    )
