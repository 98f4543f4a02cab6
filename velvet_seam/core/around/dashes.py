"""Dashes along the edge of a shape."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.around.base import Plane

SMOOTH = 4
"""Pixels to each side over which the chain of edge pixels is smoothed: their own steps are not part of its length."""

SHORTEST = 2.0
"""Pixels: what is cut shorter is a whole line."""


Lines = tuple[float, float, float]
"""Of a dashed line: how long each dash is, from dash to dash, and how far all of them have gone on, clockwise, pixels."""


def dashes(
    plane: Plane, x: NDArray[np.float64], y: NDArray[np.float64], cut: Lines,
    begin: tuple[float, float], fine: float = 1.0,
) -> NDArray[np.float64]:  # fmt: skip
    """How much of some places a dashed line of any width along the edge of a shape covers, (n,) 0 to 1.

    A place belongs to the pixel of the edge that is nearest to it. Dashes and gaps of every closed edge are stretched
    together, so that a whole number of them goes round it. A dash begins where an edge is nearest to one place that
    moves with the shape: so they stay where they are on it, however it moves and turns.

    Args:
        plane: (h, w) uint8 coverage of all of the shape; its edge is where that is half.
        x, y: (n,) where it is asked, pixels of the plane; 0 is the middle of its first.
        cut: the dashes, pixels of the plane.
        begin: the place, x and y in pixels of the plane.
        fine: how many pixels of the picture go to one of the plane.

    >>> square = np.zeros((60, 60), np.uint8)
    >>> square[10:50, 10:50] = 255
    >>> y, x = np.mgrid[6:9, 12:48].reshape(2, -1).astype(float)
    >>> bool(0.45 < dashes(square, x, y, (6, 6, 0), (10, 10)).mean() < 0.55)
    True
    """
    dash, gap, run = cut
    inside = (plane >= 128).astype(np.uint8)
    edges, _ = cv2.findContours(inside, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    if not edges or dash * fine < SHORTEST or gap * fine < 0.5:
        return np.ones(x.shape)
    ones = np.ones_like(plane)
    table = []  # for each pixel of an edge: its middle, its direction, how far along it lies, and its edge's period
    for edge in edges:
        line = edge[:, 0].astype(np.float64)
        ones[edge[:, 0, 1], edge[:, 0, 0]] = 0
        table.append(_along(line, dash + gap, np.array(begin)))
    _, labels = cv2.distanceTransformWithLabels(
        ones, cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    rows = np.concatenate(table)
    pixels = np.concatenate([edge[:, 0] for edge in edges])
    of = np.zeros(int(labels.max()) + 1, np.int64)
    of[labels[pixels[:, 1], pixels[:, 0]]] = np.arange(len(pixels))
    high, wide = plane.shape
    near = labels[
        np.clip(np.rint(y), 0, high - 1).astype(np.int64),
        np.clip(np.rint(x), 0, wide - 1).astype(np.int64),
    ]
    x0, y0, dx, dy, along, period = rows[of[near]].T
    stretch = period / (dash + gap)
    s = along + np.clip((x - x0) * dx + (y - y0) * dy, -2, 2) - run * stretch
    far = np.abs((s + period / 2) % period - period / 2)
    return np.clip((dash * stretch / 2 - far) * fine + 0.5, 0, 1)


def _along(
    line: NDArray[np.float64], period: float, begin: NDArray[np.float64]
) -> NDArray[np.float64]:
    """A closed chain of pixels: (n, 6) of x, y, direction, length from where it begins, and the period that fits it."""
    count = len(line)
    reach = min(SMOOTH, max(0, (count - 1) // 2))
    smooth = np.mean([np.roll(line, k, axis=0) for k in range(-reach, reach + 1)], axis=0)
    ahead = np.roll(smooth, -1, axis=0) - smooth
    steps = np.hypot(*ahead.T)
    total = float(steps.sum())
    along = np.concatenate([[0.0], np.cumsum(steps)[:-1]])
    way = np.roll(smooth, -1, axis=0) - np.roll(smooth, 1, axis=0)
    way /= np.maximum(np.hypot(*way.T), 1e-6)[:, None]
    first = int(np.square(smooth - begin).sum(axis=1).argmin())
    along -= along[first] + np.clip((begin - smooth[first]) @ way[first], -1, 1)
    # round a single pixel there is no way: it is covered
    fits = total / max(1, round(total / period)) if total > 0 else period
    return np.column_stack([smooth, way, along, np.full(count, fits)])
