"""A subject laid on another frame as one piece, which may turn, grow and slant; and the pieces that move otherwise.

Nothing but pixels of the subject are compared, by Gauss-Newton steps (B. D. Lucas and T. Kanade, 1981; S. Baker and I.
Matthews, *Lucas-Kanade 20 Years On*, 2004), each counted the less the more unlike it is.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.roto.places import shown_at

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
Places = tuple[NDArray[np.intp], NDArray[np.intp]]
"""Rows and columns of some pixels."""

STEPS, STILL = 8, 0.05
"""So often a piece is laid better at each blur, until hardly any of it moves by so many pixels."""

FAR_STILL, FAR_STIFF = 0.1, (1.0, 0.0)
"""The same where both frames are smaller, in their pixels; and what holds a piece against turning, growing and slanting there,
of what lets it shift: held it is found where it is thin, or goes far; free where it turns much."""

FEW = 250
"""So many of a piece are compared where it is only asked which of several places is best."""

SMALLEST = 16
"""Pixels along its shorter side of what is made smaller still."""

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


@dataclass(frozen=True)
class Blurred:
    """What is compared of two frames, blurred, ``before`` and ``now``: (h, w, 3) each, at a ``part`` of their size."""

    before: F32
    now: F32
    part: float = 1.0

    @classmethod
    def of(cls, before: F32, now: F32, blur: float) -> Blurred:
        """Two frames blurred by so many of their pixels."""
        return cls(_softened(before, blur), _softened(now, blur))

    @classmethod
    def far(cls, before: F32, now: F32, halvings: int) -> list[Blurred]:
        """The same two frames at a half of their size, at a quarter and so on, blurred by two of the pixels there; the smallest
        first."""
        made: list[Blurred] = []
        for n in range(1, halvings + 1):
            if min(before.shape[:2]) < SMALLEST:
                break
            before, now = (np.asarray(cv2.pyrDown(one), np.float32) for one in (before, now))
            made.append(cls(_softened(before, 2), _softened(now, 2), 0.5**n))
        return made[::-1]

    def was(self, at: Places) -> F32:
        """What pixels of the first frame look like: (n, 3)."""
        rows, columns = at
        if self.part == 1.0:
            return self.before[rows, columns]
        x, y = ((one * self.part).astype(np.float32) for one in (columns, rows))
        return shown_at(self.before, x, y)

    def laid(self, own: F64, at: Places, placed: F64, stiff: float) -> tuple[F64, float, F32]:
        """Pixels of the first laid better on the second: where, with the median squared difference and the mean one of
        each channel.

        Args:
            own: (n, 3) the pixels by their piece's own measure.
            at: the same by rows and columns.
            placed: (2, 3) where they are laid first, by that measure.
            stiff: what holds them against turning, growing and slanting, of what lets them shift.
        """
        part, still = self.part, STILL if self.part == 1.0 else FAR_STILL
        made, usual, offset = _laid(own, self.was(at), self.now, placed * part, STEPS, still, stiff)
        return made / part, usual, offset


def _softened(f: F32, blur: float) -> F32:
    """What is compared of a frame, (h, w, 3), blurred by so many pixels, as far as three times that."""
    side = 2 * round(3 * blur) + 1
    return np.asarray(cv2.GaussianBlur(f, (side, side), blur), np.float32)


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


def places(where: NDArray[np.bool_]) -> Places:
    """Rows and columns of some pixels, as ``np.nonzero`` gives them, in a fifth of the time."""
    rows, columns = np.divmod(np.flatnonzero(where), where.shape[1])
    return rows, columns


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


@nb.njit(error_model="numpy")
def compared(now, y, x, before, offset, e, ex, ey):
    """How unlike what it was a place between pixels is, and how that grows to the right and downward; False outside."""
    height, width = now.shape[:2]
    if not (0 <= y <= height - 1 and 0 <= x <= width - 1):
        return False
    top, left = min(int(y), height - 2), min(int(x), width - 2)
    b, r = np.float32(y - top), np.float32(x - left)
    a, q = np.float32(1) - b, np.float32(1) - r
    for c in range(3):
        nw, ne = now[top, left, c], now[top, left + 1, c]
        sw, se = now[top + 1, left, c], now[top + 1, left + 1, c]
        ex[c] = (ne - nw) * a + (se - sw) * b
        ey[c] = (sw - nw) * q + (se - ne) * r
        e[c] = (nw * q + ne * r) * a + (sw * q + se * r) * b - before[c] - offset[c]
    return True


@nb.njit(error_model="numpy")
def _solved(h, g):
    """What ``h`` (n, n), symmetric and positive, makes ``g`` (n,) of: by Cholesky's factors, in place of LAPACK, which Numba
    takes from a library that is not here."""
    n = g.size
    x = g.copy()
    for k in range(n):
        for m in range(k):
            h[k, k] -= h[k, m] * h[k, m]
            x[k] -= h[k, m] * x[m]
        h[k, k] = np.sqrt(h[k, k])
        x[k] /= h[k, k]
        for row in range(k + 1, n):
            for m in range(k):
                h[row, k] -= h[row, m] * h[k, m]
            h[row, k] /= h[k, k]
    for k in range(n - 1, -1, -1):
        for row in range(k + 1, n):
            x[k] -= h[row, k] * x[row]
        x[k] /= h[k, k]
    return x


@kernel()
def _laid(own, before, now, placed, steps, still, stiff):
    """Gauss-Newton steps of an affine placement; with the median squared difference and the mean one of each channel."""
    count = own.shape[0]
    e = np.empty((count, 3), np.float32)
    ex, ey = np.empty_like(e), np.empty_like(e)
    squared = np.empty(count, np.float64)
    offset = np.zeros(3, np.float32)
    usual = 1e9  # of what lies outside of the frame nothing is alike
    placed = placed.copy()
    for _ in range(steps):
        seen = 0
        for n in range(count):
            x = placed[0, 0] * own[n, 0] + placed[0, 1] * own[n, 1] + placed[0, 2]
            y = placed[1, 0] * own[n, 0] + placed[1, 1] * own[n, 1] + placed[1, 2]
            squared[n] = -1.0
            if compared(now, y, x, before[n], offset, e[n], ex[n], ey[n]):
                squared[n] = e[n, 0] ** 2 + e[n, 1] ** 2 + e[n, 2] ** 2
                seen += 1
        if seen < 12:
            break
        usual = max(float(np.median(squared[squared >= 0])), 1.0)
        h, g = np.zeros((6, 6)), np.zeros(6)
        off, weights = np.zeros(3), 0.0
        for n in range(count):
            if squared[n] < 0:
                continue
            weight = 1 / (1 + squared[n] / (4 * usual))
            weights += weight
            xx = xy = yy = xe = ye = 0.0
            for c in range(3):
                off[c] += weight * e[n, c]
                xx += ex[n, c] * ex[n, c]
                xy += ex[n, c] * ey[n, c]
                yy += ey[n, c] * ey[n, c]
                xe += ex[n, c] * e[n, c]
                ye += ey[n, c] * e[n, c]
            for k in range(3):
                g[k] += weight * xe * own[n, k]
                g[3 + k] += weight * ye * own[n, k]
                for m in range(3):
                    both = weight * own[n, k] * own[n, m]
                    h[k, m] += xx * both
                    h[k, 3 + m] += xy * both
                    h[3 + k, 3 + m] += yy * both
        for k in range(3):
            for m in range(3):
                h[3 + m, k] = h[k, 3 + m]
        whole = h[2, 2] + h[5, 5]
        for k in range(6):
            h[k, k] += 1e-3 * count
            if k != 2 and k != 5:
                h[k, k] += stiff * whole
        step = _solved(h, g)
        for c in range(3):
            offset[c] += np.float32(off[c] / weights)
        for k in range(3):
            placed[0, k] -= step[k]
            placed[1, k] -= step[3 + k]
        if np.abs(step).max() < still:
            break
    return placed, usual, offset
