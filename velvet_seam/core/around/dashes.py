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


def dashes(
    plane: Plane, where: NDArray[np.bool_], dash: float, gap: float, run: float
) -> NDArray[np.float32]:
    """How much of each pixel a dashed line of any width along the edge of a shape covers, 0 to 1.

    A pixel belongs to the place of the edge that is nearest to it. Dashes and gaps of every closed edge are stretched
    together, so that a whole number of them goes round it.

    Args:
        plane: (h, w) uint8 coverage of the shape; its edge is where that is half.
        where: the pixels that are asked for; all others are 0.
        dash, gap: their lengths along the edge, pixels.
        run: how far all of them have gone on along the edge, clockwise, pixels.

    >>> square = np.zeros((60, 60), np.uint8)
    >>> square[10:50, 10:50] = 255
    >>> line = dashes(square, np.ones(square.shape, bool), 6, 6, 0)
    >>> bool(0.45 < line[6:9, 12:48].mean() < 0.55)
    True
    """
    out = np.zeros(plane.shape, np.float32)
    inside = (plane >= 128).astype(np.uint8)
    edges, _ = cv2.findContours(inside, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    if not edges or not where.any():
        return out
    if dash < SHORTEST or gap < 0.5:
        out[where] = 1
        return out
    ones = np.ones_like(plane)
    table = []  # for each pixel of an edge: its middle, its direction, how far along it lies, and its edge's period
    for edge in edges:
        line = edge[:, 0].astype(np.float64)
        ones[edge[:, 0, 1], edge[:, 0, 0]] = 0
        table.append(_along(line, dash + gap))
    _, labels = cv2.distanceTransformWithLabels(
        ones, cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    rows = np.concatenate(table)
    pixels = np.concatenate([edge[:, 0] for edge in edges])
    of = np.zeros(int(labels.max()) + 1, np.int64)
    of[labels[pixels[:, 1], pixels[:, 0]]] = np.arange(len(pixels))
    y, x = np.nonzero(where)
    x0, y0, dx, dy, along, period = rows[of[labels[y, x]]].T
    stretch = period / (dash + gap)
    s = along + np.clip((x - x0) * dx + (y - y0) * dy, -2, 2) - run * stretch
    far = np.abs((s + period / 2) % period - period / 2)
    out[y, x] = np.clip(dash * stretch / 2 - far + 0.5, 0, 1)
    return out


def _along(line: NDArray[np.float64], period: float) -> NDArray[np.float64]:
    """A closed chain of pixels: (n, 6) of x, y, direction, length from the first, and the period that fits it."""
    count = len(line)
    reach = min(SMOOTH, max(0, (count - 1) // 2))
    smooth = np.mean([np.roll(line, k, axis=0) for k in range(-reach, reach + 1)], axis=0)
    ahead = np.roll(smooth, -1, axis=0) - smooth
    steps = np.hypot(*ahead.T)
    total = float(steps.sum())
    along = np.concatenate([[0.0], np.cumsum(steps)[:-1]])
    way = np.roll(smooth, -1, axis=0) - np.roll(smooth, 1, axis=0)
    way /= np.maximum(np.hypot(*way.T), 1e-6)[:, None]
    # round a single pixel there is no way: it is covered
    fits = total / max(1, round(total / period)) if total > 0 else period
    return np.column_stack([smooth, way, along, np.full(count, fits)])
