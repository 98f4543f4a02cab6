"""Roto on clips with exact coverage: cut-outs over photographs, with the strokes of a simulated user."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Where = NDArray[np.bool_]


def middle_line(region: Where, rng: np.random.Generator, width: float) -> Where:
    """A rough stroke inside a region: from one place deep in it to another, by way of a third."""
    deep = cv2.distanceTransform(np.pad(region, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    places = np.argwhere(deep > max(min(0.5 * deep.max(), 3 * width), 1.0))
    if not len(places):
        places = np.argwhere(deep >= deep.max())
    at = [places[np.argmax(deep[tuple(places.T)])]]
    for _ in range(2):
        apart = np.min([np.hypot(*(places - one).T) for one in at], 0)
        at.append(places[int(rng.choice(np.argsort(apart)[-max(1, len(places) // 8) :]))])
    out = np.zeros(region.shape, np.uint8)
    for a, b in ((at[1], at[0]), (at[0], at[2])):
        n = max(int(np.hypot(*(b - a))), 1)
        for s in np.linspace(0, 1, 2 * n + 1):
            y, x = a + s * (b - a)
            if region[int(y), int(x)] and deep[int(y), int(x)] > width:
                cv2.circle(out, (int(x), int(y)), max(0, round(width / 2)), 1, -1)
    if not out.any():
        y, x = at[0]
        out[y, x] = 1
    return (out > 0) & region


def iou(a: Where, b: Where) -> float:
    every = (a | b).sum()
    return float((a & b).sum() / every) if every else 1.0
