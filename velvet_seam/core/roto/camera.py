"""The camera's own movement from one frame to another: an affine map, which most of the picture agrees on."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]

EVERY = 8
"""Pixels from one place to the next at which it is asked for."""

SOME = np.s_[EVERY // 2 :: EVERY, EVERY // 2 :: EVERY]
"""Those places in a picture."""

AGREES = 0.5
"""Pixels by which a place may move otherwise and still agree."""


def camera_move(way: F32) -> F64:
    """Where the camera's movement takes columns and rows, (2, 3); nowhere, where no movement is agreed on.

    Args:
        way: (h, w, 2) by how many columns and rows each pixel seems to move, from :func:`~velvet_seam.core.roto.seen.flow`.

    >>> way = np.zeros((64, 64, 2), np.float32)
    >>> way[..., 0] = 3
    >>> way[8:24, 8:24] = 20
    >>> camera_move(way).round(2).tolist()
    [[1.0, 0.0, 3.0], [0.0, 1.0, 0.0]]
    """
    rows, columns = (one[SOME].ravel() for one in np.mgrid[: way.shape[0], : way.shape[1]])
    at = np.stack([columns, rows], 1).astype(np.float32)
    found = None
    if len(at) >= 3:
        to = at + way[SOME].reshape(-1, 2)
        found, _ = cv2.estimateAffine2D(at, to, ransacReprojThreshold=AGREES)
    return np.eye(2, 3) if found is None else np.asarray(found, np.float64)
