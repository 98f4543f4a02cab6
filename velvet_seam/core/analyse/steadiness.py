"""How a camera moves: the motion of what does not move by itself, frame by frame."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Grey = NDArray[np.uint8]

FIELDS = 8
"""The picture is divided into so many fields each way."""

LEAST = 12
"""So many points must be followed for a motion to be told."""

LEVELS_NEAR, LEVELS_FAR = 1, 3
"""How often a picture is halved to find a point some pixels away, and many."""

NEAR = 0.6
"""Pixels that a point may be off what its field is said to do."""

MOVED = ((0.6, 0.5),)
"""The camera has moved where that part of the fields along the border and that part of all fields say so."""

STOOD = ((0.6, 0.3), (0.5, 0.5))
"""It has stood still where either pair does: a large subject may cover all but the border, or water, a crowd
or clouds reach from edge to edge of the lower or upper half."""

EVEN_SPREAD, MOST_GAIN = 48.0, 6.0
"""Levels: the spread of a picture in which points are followed; noise is not made larger than so many times."""

NOISE = 0.3
"""Pixels: up to so much of what jumps from frame to frame is taken for noise of the picture."""


@dataclass(frozen=True)
class Motion:
    """``path`` is where the middle of the picture has gone since the first frame, (frames, 2) x and y in
    pixels, NaN where nothing could be followed. ``drift`` is how far the middle, or by zoom and turn a corner,
    gets from where it began, slowly; ``shake`` how far the middle jumps about that slow path, root mean
    square; both in pixels. ``restless`` is the part of the frames in which much was followed, and nothing
    agreed."""

    path: NDArray[np.float64]
    drift: float
    shake: float
    restless: float = 0.0

    @property
    def known(self) -> float:
        """Part of the frames in which the motion could be told, 0 to 1."""
        return float(np.isfinite(self.path[:, 0]).mean()) if len(self.path) else 0.0


class Steadiness:
    """Follows corners from a frame that is kept to each new one (pyramidal Lucas–Kanade; J.-Y.
    Bouguet 2000), and takes a motion that the border and most of the picture agree on: what moves by itself,
    however large, does not reach all of the border. Measured against one kept frame, errors do not add up. A
    new one is kept only when too little of the old is left to be seen."""

    def __init__(self) -> None:
        self._kept: tuple[Grey, Grey] | None = None
        self._points: NDArray[np.float32] = np.empty((0, 1, 2), np.float32)
        self._fields: NDArray[np.int64] = np.empty(0, np.int64)
        self._origin = np.zeros(2)
        self._guess = np.zeros(2)
        self._path: list[tuple[float, float]] = []
        self._form, self._form_origin = np.zeros(2), np.zeros(2)
        self._forms: list[NDArray[np.float64]] = []
        self._restless = 0
        self._corner = 1.0

    def add(self, grey: Grey, anew: bool = False) -> None:
        """The next frame, (h, w) uint8; ``anew`` where it shows something else than the one before."""
        pair = (_even(grey), grey)
        if self._kept is None:
            self._keep(pair)
            self._path.append((0.0, 0.0))
            self._forms.append(np.zeros(2))
            self._corner = float(np.hypot(*grey.shape)) / 2
            return
        # mostly a point lies near where it is looked for, which costs half; the light may change, and a pan may change
        # what is even: one of both pictures sees through it
        near = [(0, LEVELS_NEAR)] if np.isfinite(self._path[-1][0]) else []
        tries = [*near, (0, LEVELS_FAR), (1, LEVELS_FAR)]
        moved = None
        for n, levels in () if anew else tries:
            moved = self._moved(n, pair[n], levels) if moved is None else moved
        if moved is None:
            self._origin = self._origin + self._guess
            self._form_origin = self._form_origin + self._form
            self._keep(pair)
            self._path.append((np.nan, np.nan))
            self._forms.append(self._form_origin)
            return
        self._guess = moved
        at, form = self._origin + moved, self._form_origin + self._form
        self._path.append((float(at[0]), float(at[1])))
        self._forms.append(form)
        if np.abs(moved).max() > min(grey.shape) / 4 or np.abs(self._form).max() > 0.06:
            self._origin, self._form_origin = at, form
            self._keep(pair)

    @property
    def at(self) -> NDArray[np.float64]:
        """Where the picture has gone by the last frame, as far as is known: x and y in pixels."""
        return self._origin + self._guess

    @property
    def form(self) -> NDArray[np.float64]:
        """How much larger it has become, as a logarithm, and how far it has turned, in radians."""
        return self._form_origin + self._form

    def _keep(self, pair: tuple[Grey, Grey]) -> None:
        grey = pair[0]
        self._kept, self._guess, self._form = pair, np.zeros(2), np.zeros(2)
        self._points = _corners(grey)
        h, w = grey.shape
        x, y = self._points[:, 0, 0], self._points[:, 0, 1]
        self._fields = (y * FIELDS // h).astype(int) * FIELDS + (x * FIELDS // w).astype(int)

    def _moved(self, which: int, grey: Grey, levels: int) -> NDArray[np.float64] | None:
        if self._kept is None or len(self._points) < LEAST:
            return None
        first = self._points + self._guess.astype(np.float32)
        there, ok, _ = cv2.calcOpticalFlowPyrLK(
            self._kept[which], grey, self._points, first, winSize=(21, 21), maxLevel=levels,
            flags=cv2.OPTFLOW_USE_INITIAL_FLOW,
        )  # fmt: skip
        seen = ok.ravel() == 1
        if seen.sum() < LEAST:
            return None
        here, there, fields = self._points[seen, 0], there[seen, 0], self._fields[seen]
        row, column = fields // FIELDS, fields % FIELDS
        outer = np.isin(row, (0, FIELDS - 1)) | np.isin(column, (0, FIELDS - 1))
        stood = _agreeing(there - here, fields, outer, STOOD)
        if stood is not None and np.abs(self._guess).max() < 1:
            return self._shift(grey, _fitted(here, there, stood))
        for among in (outer, np.ones(len(fields), bool)):
            matrix = _fitted(here, there, among)
            if matrix is None:
                continue
            off = here @ matrix[:, :2].T + matrix[:, 2] - there
            if _agreeing(off, fields, outer, MOVED) is not None:
                return self._shift(grey, matrix)
        self._restless += which
        return None

    def _shift(self, grey: Grey, matrix: NDArray[np.float64] | None) -> NDArray[np.float64]:
        """Where a motion takes the middle of the picture."""
        if matrix is None:
            return np.zeros(2)
        # how much larger, as a logarithm, and how far turned, in radians
        size = np.hypot(matrix[0, 0], matrix[1, 0])
        self._form = np.array([np.log(size), np.arctan2(matrix[1, 0], matrix[0, 0])])
        centre = np.array([grey.shape[1] / 2, grey.shape[0] / 2])
        return np.asarray(matrix[:, :2] @ centre + matrix[:, 2] - centre, np.float64)

    def motion(self, scale: float = 1.0, cuts: Sequence[int] = ()) -> Motion:
        """What was found; ``scale`` is source pixels per pixel of the frames that were added. Every piece
        between ``cuts`` is measured by itself; the piece that moves most speaks for the clip."""
        path = np.array(self._path, float).reshape(-1, 2) * scale
        drift = shake = 0.0
        for first, end in itertools.pairwise([0, *cuts, len(path)]):
            known = np.isfinite(path[first:end, 0])
            good = path[first:end][known]
            if len(good) < 2:
                continue
            slow = _smooth(good, 25)
            apart = good - slow
            jumps = float((apart**2).sum(1).mean())
            forms = _smooth(np.array(self._forms[first:end])[known], 25)
            reach = np.hypot(*(forms - forms[0]).T) * self._corner * scale
            drift = max(drift, float(np.hypot(np.hypot(*(slow - slow[0]).T), reach).max()))
            shake = max(shake, float(np.sqrt(max(jumps - _noise(apart, scale), 0.0))))
        return Motion(path, drift, shake, self._restless / max(1, len(path)))


def _agreeing(
    off: NDArray[np.float32], fields: NDArray[np.int64], outer: NDArray[np.bool_],
    enough: tuple[tuple[float, float], ...],
) -> NDArray[np.bool_] | None:  # fmt: skip
    """The points of the fields that do what a motion says, if enough of the border and of the picture do: a
    field says what most of its points do."""
    near = np.hypot(off[:, 0], off[:, 1]) <= NEAR
    count = np.bincount(fields, minlength=FIELDS * FIELDS)
    says = np.bincount(fields, near, minlength=FIELDS * FIELDS) > 0.5 * count
    known, rim = count > 0, np.zeros(FIELDS * FIELDS, bool)
    rim[fields[outer]] = True
    if rim.sum() < 3:
        return None
    border, whole = says[rim].mean(), says[known].mean()
    if not any(border >= least and whole >= most for least, most in enough):
        return None
    return np.asarray(says[fields])


def _fitted(
    here: NDArray[np.float32], there: NDArray[np.float32], among: NDArray[np.bool_]
) -> NDArray[np.float64] | None:
    """The shift, turn and scale that most of some points agree on (RANSAC)."""
    if among.sum() < LEAST // 2:
        return None
    matrix, _ = cv2.estimateAffinePartial2D(
        here[among], there[among], ransacReprojThreshold=NEAR, maxIters=400
    )
    return None if matrix is None else np.asarray(matrix, np.float64)


def _noise(apart: NDArray[np.float64], scale: float) -> float:
    """The part of a path's variance that has nothing to do with the frames beside it: six times it is that
    of the second differences, if nothing else moves as fast. A hand goes on as it goes."""
    if len(apart) < 8:
        return 0.0
    second = apart[2:] - 2 * apart[1:-1] + apart[:-2]
    return min(float((second**2).sum(1).mean()) / 6, (NOISE * scale) ** 2)


def _even(grey: Grey) -> Grey:
    """A picture of always the same brightness and contrast: points are followed by how bright they are."""
    middle, spread = float(grey.mean()), float(grey.std())
    gain = min(EVEN_SPREAD / max(spread, 1e-3), MOST_GAIN)
    return np.asarray(cv2.convertScaleAbs(grey, alpha=gain, beta=128 - middle * gain), np.uint8)


def _corners(grey: Grey) -> NDArray[np.float32]:
    """Corners from all over a picture, a few from each field: else a lively subject has them all."""
    h, w = grey.shape
    found: list[NDArray[np.float32]] = [np.empty((0, 1, 2), np.float32)]
    for row in range(FIELDS):
        for column in range(FIELDS):
            y0, y1 = h * row // FIELDS, h * (row + 1) // FIELDS
            x0, x1 = w * column // FIELDS, w * (column + 1) // FIELDS
            field = grey[y0:y1, x0:x1]
            if field.std() < 0.8:
                continue
            points = cv2.goodFeaturesToTrack(field, 5, 0.05, 5)
            if points is not None:
                found.append(np.asarray(points, np.float32) + np.array([x0, y0], np.float32))
    return np.concatenate(found)


def _smooth(path: NDArray[np.float64], width: int) -> NDArray[np.float64]:
    """The mean of a window, smaller towards the ends so that it stays in the middle."""
    total = np.vstack([np.zeros((1, 2)), np.cumsum(path, axis=0)])
    index = np.arange(len(path))
    half = np.minimum(np.minimum(index, len(path) - 1 - index), width // 2)
    return (total[index + half + 1] - total[index - half]) / (2 * half + 1)[:, None]
