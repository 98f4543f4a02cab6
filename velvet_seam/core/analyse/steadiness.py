"""How a camera moves: the motion of what does not move by itself, frame by frame."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Grey = NDArray[np.uint8]

FIELDS = 8
"""The picture is divided into so many fields each way."""

LEAST = 12
"""So many points must agree on a motion for it to be believed."""


@dataclass(frozen=True)
class Motion:
    """``path`` is where the picture has gone since the first frame, (frames, 2) x and y in pixels,
    NaN where nothing could be followed. ``drift`` is how far it gets from where it began, slowly;
    ``shake`` how far it jumps about that slow path, root mean square; both in pixels."""

    path: NDArray[np.float64]
    drift: float
    shake: float

    @property
    def known(self) -> float:
        """Part of the frames in which the motion could be told, 0 to 1."""
        return float(np.isfinite(self.path[:, 0]).mean()) if len(self.path) else 0.0


class Steadiness:
    """Follows corners from a frame that is kept to each new one (pyramidal Lucas–Kanade; J.-Y.
    Bouguet 2000), and takes the motion most of them agree on (RANSAC): what moves by itself is
    outvoted. Measured against one kept frame, errors do not add up. A new one is kept only when
    too little of the old is left to be seen."""

    def __init__(self) -> None:
        self._kept: Grey | None = None
        self._points: NDArray[np.float32] = np.empty((0, 1, 2), np.float32)
        self._origin = np.zeros(2)
        self._guess = np.zeros(2)
        self._path: list[tuple[float, float]] = []

    def add(self, grey: Grey) -> None:
        """The next frame, (h, w) uint8."""
        if self._kept is None:
            self._keep(grey)
            self._path.append((0.0, 0.0))
            return
        moved = self._moved(grey)
        if moved is None:
            self._origin = self._origin + self._guess
            self._keep(grey)
            self._path.append((np.nan, np.nan))
            return
        self._guess = moved
        at = self._origin + moved
        self._path.append((float(at[0]), float(at[1])))
        if np.abs(moved).max() > min(grey.shape) / 4:
            self._origin = at
            self._keep(grey)

    def _keep(self, grey: Grey) -> None:
        self._kept, self._guess = grey, np.zeros(2)
        self._points = _corners(grey)

    def _moved(self, grey: Grey) -> NDArray[np.float64] | None:
        if self._kept is None or len(self._points) < LEAST:
            return None
        first = self._points + self._guess.astype(np.float32)
        there, ok, _ = cv2.calcOpticalFlowPyrLK(
            self._kept, grey, self._points, first, winSize=(21, 21), maxLevel=3,
            flags=cv2.OPTFLOW_USE_INITIAL_FLOW,
        )  # fmt: skip
        seen = ok.ravel() == 1
        if seen.sum() < LEAST:
            return None
        matrix, agreed = cv2.estimateAffinePartial2D(
            self._points[seen], there[seen], ransacReprojThreshold=0.6, maxIters=400
        )
        if matrix is None or agreed.sum() < max(LEAST, 0.3 * seen.sum()):
            return None
        centre = np.array([grey.shape[1] / 2, grey.shape[0] / 2])
        return np.asarray(matrix[:, :2] @ centre + matrix[:, 2] - centre, np.float64)

    def motion(self, scale: float = 1.0) -> Motion:
        """What was found; ``scale`` is source pixels per pixel of the frames that were added."""
        path = np.array(self._path, float).reshape(-1, 2) * scale
        good = path[np.isfinite(path[:, 0])]
        if len(good) < 2:
            return Motion(path, 0.0, 0.0)
        slow = _smooth(good, 25)
        shake = np.hypot(*(good - slow).T)
        drift = np.hypot(*(slow - slow[0]).T).max()
        return Motion(path, float(drift), float(np.sqrt((shake**2).mean())))


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
