"""An outline carried on from frame to frame along what it goes round: each of its points by what lies just inside it,
held together by how the whole moves."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.levels import Grey
from velvet_seam.core.register.tracking import Tracker
from velvet_seam.core.register.unfit import unfit

Points = NDArray[np.float64]

PART, LEAST_SIDE, MOST_SIDE = 0.3, 28.0, 72.0
"""Of the outline's size: the side of what is looked at around a point, and its least and most, pixels."""

NEAR, LEAST_NEAR = 0.06, 2.5
"""Of that side, and in pixels: a point that goes elsewhere than the whole from one frame to the next by more has lost its
way."""

AGREE = 3.0
"""Pixels: points that move as the whole does."""


@dataclass(frozen=True)
class Carried:
    """An outline in one frame.

    Attributes:
        points: (n, 2) pixels.
        turned: (n, 2, 2), how what is around each point has turned and grown since the first frame.
        sure: how many of the points were seen, 0 to 1; the others went with their neighbours.
    """

    points: Points
    turned: NDArray[np.float64]
    sure: float


def carried(
    read: Callable[[int], Grey], points: Points, first: int, frames: Iterable[int]
) -> Iterator[Carried]:
    """An outline, drawn in the ``first`` frame, in each of some others, in their order.

    Args:
        read: a frame, grey (h, w) uint8.
        points: (n, 2), at least three.
    """
    home = read(first)
    trackers = _trackers(home, points)
    here = points.copy()
    turned = np.tile(np.eye(2), (len(points), 1, 1))
    for number in frames:
        grey = read(number)
        found = np.full_like(here, np.nan)
        forms = turned.copy()
        for n, tracker in enumerate(trackers):
            told = tracker.step(grey) if tracker is not None else None
            if told is not None and told.corners is not None and not told.again:
                found[n] = told.corners.mean(0)
                forms[n] = _form(tracker.home, told.corners) if tracker is not None else forms[n]
        whole = _together(here, found)
        here, turned, seen = _held(here, found, whole, turned, forms, _side(points))
        for n, tracker in enumerate(trackers):
            if tracker is not None and not seen[n]:
                tracker.put(here[n])
        yield Carried(here.copy(), turned.copy(), float(seen.mean()))


def _side(points: Points) -> float:
    return float(np.clip(PART * np.ptp(points, 0).max(), LEAST_SIDE, MOST_SIDE))


def _trackers(home: Grey, points: Points) -> list[Tracker | None]:
    """For each point one that follows what lies around it and inside the outline; none where there is nothing to see."""
    side = _side(points)
    square = side / 2 * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    inside = np.zeros(home.shape, np.uint8)
    cv2.fillPoly(inside, [np.round(points * 16).astype(np.int32)], 255, shift=4)
    inside = np.asarray(cv2.dilate(inside, np.ones((5, 5), np.uint8)), np.uint8)
    made: list[Tracker | None] = []
    for point in points:
        corners = point + square
        made.append(None if unfit(home, corners) else Tracker(home, corners, "stretch", inside))
    return made


def _form(home: Points, corners: Points) -> NDArray[np.float64]:
    """How a square has turned and grown."""
    a, b = home - home.mean(0), corners - corners.mean(0)
    length = float((a * a).sum())
    c = float((a * b).sum()) / length
    s = float((a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum()) / length
    return np.array([[c, -s], [s, c]])


def _together(before: Points, found: Points) -> NDArray[np.float64]:
    """The similarity by which most points move, (2, 3); none at all where too few are seen."""
    seen = np.isfinite(found).all(1)
    if seen.sum() >= 3:
        cv2.setRNGSeed(7)
        made, _ = cv2.estimateAffinePartial2D(
            before[seen], found[seen], method=cv2.RANSAC, ransacReprojThreshold=AGREE
        )
        if made is not None and np.isfinite(made).all():
            return np.asarray(made, np.float64)
    shift = np.median(found[seen] - before[seen], axis=0) if seen.any() else np.zeros(2)
    return np.column_stack([np.eye(2), shift])


def _held(
    before: Points, found: Points, whole: NDArray[np.float64], turned: NDArray[np.float64],
    forms: NDArray[np.float64], side: float,
) -> tuple[Points, NDArray[np.float64], NDArray[np.bool_]]:  # fmt: skip
    """Points where they were found; those that were not go with the whole, and as far beside it as their neighbours."""
    expected = before @ whole[:, :2].T + whole[:, 2]
    beside = found - expected
    near = np.hypot(*np.nan_to_num(beside, nan=1e9).T) < max(LEAST_NEAR, NEAR * side)
    beside[~near] = np.nan
    out, made = expected.copy(), turned.copy()
    count = len(before)
    for n in range(count):
        if near[n]:
            out[n], made[n] = found[n], forms[n]
            continue
        made[n] = whole[:, :2] @ turned[n]
        for reach in range(1, count // 2 + 1):
            pair = beside[[(n - reach) % count, (n + reach) % count]]
            known = np.isfinite(pair).all(1)
            if known.any():
                out[n] += pair[known].mean(0)
                break
    return out, made, near
