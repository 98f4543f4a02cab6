"""Places of a picture: those of a mask, and what is shown at some that lie between pixels."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
Places = tuple[NDArray[np.intp], NDArray[np.intp]]
"""Rows and columns of some pixels."""

WIDE = 4096
"""OpenCV takes no row of more than 32,767 places: there may be more of them along a long edge."""


def places(where: NDArray[np.bool_]) -> Places:
    """Rows and columns of some pixels, as ``np.nonzero`` gives them, in a third of the time.

    >>> [one.tolist() for one in places(np.array([[True, False], [True, True]]))]
    [[0, 1, 1], [0, 0, 1]]
    """
    rows, columns = np.divmod(np.flatnonzero(where), where.shape[1])
    return rows, columns


def shown_at(picture: F32, columns: F32, rows: F32) -> F32:
    """What is shown at places between pixels, mixed of the four around each; beyond the border, what is shown there.

    Args:
        picture: (h, w, c) float32.
        columns, rows: (n,) of the places.

    Returns:
        (n, c) float32.

    >>> shown_at(np.array([[[0, 9], [1, 5]]], np.float32), *np.array([[0.5, 7], [0, 0]], np.float32)).tolist()
    [[0.5, 7.0], [1.0, 5.0]]
    """
    count, channels = columns.size, picture.shape[2]
    if not count:
        return np.zeros((0, channels), np.float32)
    wide = min(count, WIDE)
    x, y = (
        np.pad(np.asarray(one, np.float32), (0, -count % wide)).reshape(-1, wide)
        for one in (columns, rows)
    )
    made = cv2.remap(picture, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(made.reshape(-1, channels)[:count], np.float32)
