"""Starts: warps that may be about right, from which a descent begins."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.levels import Grey, Level
from velvet_seam.core.register.warps import Matrix

PEAKS = 3
"""Shifts that are tried of phase correlation."""

STANDS_OUT = 5.0
"""A peak stands out by so many spreads of what is around it."""

TILE, STEP = 24, 16
LIKE = 0.55
"""A tile is found where it correlates so well."""

ENOUGH = 5
"""So many tiles, or features, must say the same."""

SEED = 7


def shifted(x: float, y: float) -> Matrix:
    return np.array([[1.0, 0.0, x], [0.0, 1.0, y], [0.0, 0.0, 1.0]])


def by_phase(level: Level, other: Level) -> list[Matrix]:
    """Shifts where the phases of both pictures agree (C. Kuglin and D. Hines, 1975)."""
    height = max(level.plane.shape[0], other.plane.shape[0])
    width = max(level.plane.shape[1], other.plane.shape[1])
    size = cv2.getOptimalDFTSize(height * 3 // 2), cv2.getOptimalDFTSize(width * 3 // 2)
    spectra = [np.fft.rfft2(_faded(one), size) for one in (level, other)]
    cross = np.conj(spectra[0]) * spectra[1]
    peaks = np.fft.irfft2(cross / (np.abs(cross) + 1e-3 * np.abs(cross).max() + 1e-9), size)
    spread = float(peaks.std())
    found: list[Matrix] = []
    for _ in range(PEAKS):
        y, x = np.unravel_index(int(peaks.argmax()), peaks.shape)
        if peaks[y, x] < STANDS_OUT * spread:
            break
        dx = float(x - size[1] if x > size[1] // 2 else x)
        dy = float(y - size[0] if y > size[0] // 2 else y)
        found.append(shifted(dx, dy))
        rows = (np.arange(-2, 3) + y) % size[0]
        columns = (np.arange(-2, 3) + x) % size[1]
        peaks[np.ix_(rows, columns)] = 0
    return found


def _faded(level: Level) -> NDArray[np.float32]:
    """Faded out at its frame, which would agree with itself."""
    height, width = level.plane.shape
    window = np.outer(np.hanning(height), np.hanning(width)) ** 0.5
    return np.asarray(level.plane * window * (level.valid > 0), np.float32)


def by_tiles(level: Level, other: Level) -> list[Matrix]:
    """Small tiles of one picture found in the other, and what most of them say together."""
    plane, there = level.plane, np.where(other.valid > 0, other.plane, 0).astype(np.float32)
    height, width = plane.shape
    if min(there.shape) < TILE or min(height, width) < TILE:
        return []
    here, found = [], []
    for y in range(0, height - TILE + 1, STEP):
        for x in range(0, width - TILE + 1, STEP):
            tile = plane[y : y + TILE, x : x + TILE]
            if level.valid[y + TILE // 2, x + TILE // 2] == 0 or tile.std() < 0.35:
                continue
            like = np.asarray(cv2.matchTemplate(there, tile, cv2.TM_CCOEFF_NORMED), np.float32)
            _, best, _, (u, v) = cv2.minMaxLoc(like)
            if best > LIKE:
                here.append((x, y))
                found.append((u + _between(like, v, u, 1), v + _between(like, v, u, 0)))
    middle = TILE / 2
    return _together(np.array(here, float) + middle, np.array(found, float) + middle, 2.5)


def _between(like: NDArray[np.float32], row: int, column: int, axis: int) -> float:
    """Where a peak lies between pixels, by the parabola through its neighbours."""
    at = (row, column)[1 if axis == 1 else 0]
    if not 0 < at < like.shape[axis] - 1:
        return 0.0
    if axis == 1:
        a, b, c = like[row, column - 1 : column + 2]
    else:
        a, b, c = like[row - 1 : row + 2, column]
    bend = a - 2 * b + c
    return float(0.5 * (a - c) / bend) if bend < -1e-6 else 0.0


def by_features(
    grey: Grey, other: Grey, scale: float, other_scale: float, plane: bool = False
) -> list[Matrix]:
    """Features that are alike whatever their size and turn (D. Lowe, 2004): for takes that lie far apart. Between
    pixels of levels ``scale`` and ``other_scale`` times as large as the pictures. With ``plane`` also what most of
    them say in perspective."""
    finder = cv2.SIFT.create(1500)
    (ka, da), (kb, db) = (finder.detectAndCompute(one, None) for one in (grey, other))
    if da is None or db is None or len(ka) < ENOUGH or len(kb) < 2:
        return []
    pairs = [
        (ka[one.queryIdx].pt, kb[one.trainIdx].pt)
        for one, *rest in cv2.BFMatcher().knnMatch(da, db, k=2)
        if rest and one.distance < 0.8 * rest[0].distance
    ]
    if len(pairs) < ENOUGH:
        return []
    here, found = (np.array([pair[n] for pair in pairs], float) + 0.5 for n in (0, 1))
    here, found = here * scale, found * other_scale
    planes = _in_perspective(here, found, 2.5) if plane else []
    return planes + _together(here, found, 2.5)


def _in_perspective(
    here: NDArray[np.float64], found: NDArray[np.float64], near: float
) -> list[Matrix]:
    """The plane that most pairs of places agree on; none where few do."""
    cv2.setRNGSeed(SEED)
    warp, agree = cv2.findHomography(here, found, cv2.RANSAC, near, maxIters=2000)
    if warp is None or int(agree.sum()) < 2 * ENOUGH or not np.isfinite(warp).all():
        return []
    return [np.asarray(warp / warp[2, 2], np.float64)]


def _together(here: NDArray[np.float64], found: NDArray[np.float64], near: float) -> list[Matrix]:
    """The similarities that most pairs of places agree on, the second without those of the first (M. Fischler and
    R. Bolles, 1981)."""
    made: list[Matrix] = []
    cv2.setRNGSeed(SEED)
    while len(here) >= ENOUGH and len(made) < 2:
        warp, agree = cv2.estimateAffinePartial2D(
            here, found, method=cv2.RANSAC, ransacReprojThreshold=near, maxIters=500
        )
        if warp is None or int(agree.sum()) < ENOUGH:
            break
        made.append(np.vstack([warp, [0.0, 0.0, 1.0]]))
        here, found = here[agree[:, 0] == 0], found[agree[:, 0] == 0]
    return made
