"""Corner pins: the projective matrix that pulls the corners of a picture elsewhere.

The square-to-quadrilateral mapping of P. Heckbert, *Fundamentals of Texture Mapping and Image Warping* (1989).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

LEAST_AREA = 1e-4
"""Of the triangles at a pinned picture's corners, as part of its own area."""


def pinned(
    width: float, height: float, pulled: Sequence[tuple[float, float]]
) -> NDArray[np.float64] | None:
    """The 3 × 3 matrix from pixels of a picture to where they are with its corners pulled.

    Args:
        pulled: how far each corner is pulled, clockwise from the top left, in pixels of the picture.

    Returns:
        None where the corners cross, or three of them lie in a line: no plane looks like that.

    >>> pinned(4, 2, [(0, 0), (0, 0), (0, 0), (0, 0)]).round(6).tolist()
    [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]
    >>> (pinned(4, 2, [(1, 0), (0, 0), (0, 0), (0, 0)]) @ [0, 0, 1]).tolist()
    [1.0, 0.0, 1.0]
    >>> pinned(4, 2, [(4, 0), (-4, 0), (0, 0), (0, 0)]) is None
    True
    """
    own = ((0.0, 0.0), (width, 0.0), (width, height), (0.0, height))
    (x0, y0), (x1, y1), (x2, y2), (x3, y3) = (
        (a + c, b + d) for (a, b), (c, d) in zip(own, pulled, strict=True)
    )
    if not _convex(((x0, y0), (x1, y1), (x2, y2), (x3, y3)), LEAST_AREA * width * height):
        return None
    sx, sy = x0 - x1 + x2 - x3, y0 - y1 + y2 - y3
    dx1, dx2, dy1, dy2 = x1 - x2, x3 - x2, y1 - y2, y3 - y2
    by = dx1 * dy2 - dx2 * dy1
    g, h = (sx * dy2 - dx2 * sy) / by, (dx1 * sy - sx * dy1) / by
    square = np.array(
        [[x1 - x0 + g * x1, x3 - x0 + h * x3, x0], [y1 - y0 + g * y1, y3 - y0 + h * y3, y0], [g, h, 1.0]]
    )  # fmt: skip
    return np.asarray(square @ np.diag([1 / width, 1 / height, 1.0]), np.float64)


def _convex(corners: Sequence[tuple[float, float]], least: float) -> bool:
    turns = []
    for n in range(4):
        (ax, ay), (bx, by), (cx, cy) = (corners[(n + k) % 4] for k in range(3))
        turns.append((bx - ax) * (cy - by) - (by - ay) * (cx - bx))
    return min(turns) > least or max(turns) < -least


def tangent(matrix: NDArray[np.float64], x: float, y: float) -> NDArray[np.float64]:
    """The affine matrix that agrees with a projective one at a point and all around it."""
    u, v, w = matrix @ [x, y, 1.0]
    u, v = u / w, v / w
    row = matrix[:2, :2] / w - np.outer([u, v], matrix[2, :2]) / w
    shift = np.array([u, v]) - row @ [x, y]
    return np.array([[*row[0], shift[0]], [*row[1], shift[1]], [0.0, 0.0, 1.0]])
