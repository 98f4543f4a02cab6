"""Placing a layer on the canvas: one matrix, one resampling.

Shrinking averages by area to the final size first; the rest, a move below one pixel, a rotation or
an enlargement, is one bicubic interpolation. Seen in perspective it is sampled by
:mod:`~velvet_seam.core.picture.project`. The layer's own
border is anti-aliased by how much of each canvas pixel it covers, so a layer that fits the canvas
exactly has no soft rim, and no colour from outside is ever mixed in.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, cos, floor, hypot, radians, sin

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.picture.project import project
from velvet_seam.core.picture.resize import resize
from velvet_seam.core.picture.spans import spans
from velvet_seam.core.picture.turn import turn

Matrix = NDArray[np.float64]


@dataclass(frozen=True)
class Patch:
    """A piece of picture lying on the canvas: (h, w, 4) uint8 RGBA, premultiplied."""

    left: int
    top: int
    pixels: NDArray[np.uint8]

    @property
    def nbytes(self) -> int:
        return self.pixels.nbytes


@dataclass(frozen=True)
class PlanesPatch:
    """An opaque picture lying wholly on the canvas, still as its codec holds it."""

    left: int
    top: int
    planes: Planes

    @property
    def nbytes(self) -> int:
        return self.planes.nbytes


def repeated(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A copy of the one row that a flat picture repeats, else the picture: what is to be read of it."""
    return picture[:1].copy() if picture.strides[0] == 0 else picture


def affine(
    x: float, y: float, scale: float, rotation: float, flip_x: bool, flip_y: bool,
    width: float, height: float,
) -> Matrix:  # fmt: skip
    """The 3 × 3 matrix from source pixels to canvas pixels.

    Args:
        x, y: where the source's centre lies on the canvas, pixels.
        scale: canvas pixels per source pixel.
        rotation: degrees clockwise.
        width, height: size of the source, pixels.

    >>> affine(50, 40, 2.0, 90, False, False, 10, 10) @ [10, 5, 1]
    array([50., 50.,  1.])
    """
    turn = radians(rotation)
    c, s = cos(turn) * scale, sin(turn) * scale
    if rotation % 90 == 0:  # exact quarter turns stay exact
        c, s = round(cos(turn)) * scale, round(sin(turn)) * scale
    fx, fy = (-1 if flip_x else 1), (-1 if flip_y else 1)
    a, b, d, e = c * fx, -s * fy, s * fx, c * fy
    u, v = width / 2, height / 2
    return np.array([[a, b, x - a * u - b * v], [d, e, y - d * u - e * v], [0, 0, 1]])


def _occupied(held: NDArray[np.int32]) -> tuple[int, int, int, int] | None:
    """The box around all that is not clear: left, top, right, bottom (the last two excluded)."""
    rows = np.flatnonzero(held[:, 1])
    if rows.size == 0:
        return None
    left, right = held[rows, 0].min(), held[:, 1].max()
    return int(left), int(rows[0]), int(right), int(rows[-1]) + 1


def place(
    picture: NDArray[np.uint8], matrix: Matrix, canvas_width: int, canvas_height: int,
    held: NDArray[np.int32] | None = None,
) -> Patch | None:  # fmt: skip
    """Place a picture on the canvas.

    Args:
        picture: (h, w, 4) uint8 RGBA, premultiplied.
        matrix: 3 × 3, from pixels of ``picture`` to canvas pixels; projective where its last row is not 0, 0, 1.
        held: the :func:`spans` of its rows, where they are known; rows that hold nothing may then say
            anything, and are cleared where they have to be read.

    Returns:
        The part that lies on the canvas, or None where nothing does.
    """
    if matrix[2, 0] or matrix[2, 1] or matrix[2, 2] != 1:
        return _in_perspective(picture, matrix, canvas_width, canvas_height, held)
    reach_x = hypot(matrix[0, 0], matrix[1, 0])
    reach_y = hypot(matrix[0, 1], matrix[1, 1])
    if reach_x <= 0 or reach_y <= 0:
        return None
    height, width = picture.shape[:2]
    shift = _whole_shift(matrix, width, height)
    if shift is None:
        picture = np.ascontiguousarray(picture)
    loose = held is not None
    if held is None:
        rows = np.ascontiguousarray(repeated(picture))
        held = spans(rows.view(np.uint32)[..., 0])
        if len(rows) < height:
            held = np.repeat(held, height, axis=0)
    box = _occupied(held)
    if box is None:
        return None
    if shift is not None:
        return _cut(picture, box, shift, canvas_width, canvas_height)
    window = _window(matrix, box, max(reach_x, reach_y, 1.0), canvas_width, canvas_height)
    if window is None:
        return None
    x0, y0 = window[:2]
    if matrix[0, 1] == 0 and matrix[1, 0] == 0:
        upright, held, matrix = _upright(picture, held, matrix)
        scale, shift_to = (matrix[0, 0], matrix[1, 1]), (matrix[0, 2], matrix[1, 2])
        return Patch(x0, y0, resize(upright, scale, shift_to, window, held))
    if loose:  # what is turned is read everywhere
        picture[held[:, 1] == 0] = 0
    if min(reach_x, reach_y) < 1:
        picture, matrix = _reduced(picture, matrix, reach_x, reach_y, held)
        reach_x = hypot(matrix[0, 0], matrix[1, 0])
        reach_y = hypot(matrix[0, 1], matrix[1, 1])
    return Patch(
        x0,
        y0,
        turn(picture, np.asarray(np.linalg.inv(matrix), np.float64), window, (reach_x, reach_y)),
    )


def _in_perspective(
    picture: NDArray[np.uint8], matrix: Matrix, canvas_width: int, canvas_height: int,
    held: NDArray[np.int32] | None,
) -> Patch | None:  # fmt: skip
    """A picture placed by a projective matrix. What it may be divided by is above 0 before the eye."""
    height, width = picture.shape[:2]
    if not matrix.any() or abs(np.linalg.det(matrix)) < 1e-12:  # seen from its edge
        return None
    if held is not None:
        picture[held[:, 1] == 0] = 0
    corners = matrix @ np.array([[0, width, width, 0], [0, 0, height, height], [1, 1, 1, 1]], float)
    left, top, right, bottom = 0.0, 0.0, float(canvas_width), float(canvas_height)
    if corners[2].min() > 1e-6:  # none of it behind the eye: it lies between its corners
        x, y = corners[0] / corners[2], corners[1] / corners[2]
        left, right = max(left, x.min() - 1), min(right, x.max() + 1)
        top, bottom = max(top, y.min() - 1), min(bottom, y.max() + 1)
    elif corners[2].max() <= 0:
        return None
    x0, y0, x1, y1 = floor(left), floor(top), ceil(right), ceil(bottom)
    if x1 <= x0 or y1 <= y0:
        return None
    inverse = np.asarray(np.linalg.inv(matrix), np.float64)
    window = (x0, y0, x1 - x0, y1 - y0)
    return Patch(x0, y0, project(np.ascontiguousarray(picture), inverse, window))


def place_planes(
    planes: Planes, matrix: Matrix, canvas_width: int, canvas_height: int
) -> PlanesPatch | Patch | None:
    """Place a picture that its codec holds; it stays so where it is only moved by whole pixels and nothing
    of it is cut off."""
    shift = _whole_shift(matrix, planes.width, planes.height)
    if shift is not None:
        right, bottom = shift[0] + planes.width, shift[1] + planes.height
        if min(shift) >= 0 and right <= canvas_width and bottom <= canvas_height:
            return PlanesPatch(*shift, planes)
    return place(planes.rgba(), matrix, canvas_width, canvas_height)


def _window(
    matrix: Matrix, box: tuple[int, int, int, int], reach: float, canvas_width: int,
    canvas_height: int,
) -> tuple[int, int, int, int] | None:  # fmt: skip
    """Left, top, width, height of the canvas area that a box of the source can touch."""
    left, top, right, bottom = box
    corners = matrix @ np.array(
        [[left, right, left, right], [top, top, bottom, bottom], [1, 1, 1, 1]], float
    )
    x0 = max(0, floor(corners[0].min() - 2 * reach))
    y0 = max(0, floor(corners[1].min() - 2 * reach))
    x1 = min(canvas_width, ceil(corners[0].max() + 2 * reach))
    y1 = min(canvas_height, ceil(corners[1].max() + 2 * reach))
    return (x0, y0, x1 - x0, y1 - y0) if x1 > x0 and y1 > y0 else None


def _upright(
    picture: NDArray[np.uint8], held: NDArray[np.int32], matrix: Matrix
) -> tuple[NDArray[np.uint8], NDArray[np.int32], Matrix]:
    """The same placement without mirroring: the picture itself is mirrored instead."""
    height, width = picture.shape[:2]
    if matrix[0, 0] < 0:
        picture = picture[:, ::-1]
        held = np.where(held[:, 1:] > 0, width - held[:, ::-1], 0).astype(np.int32)
        matrix = matrix @ np.array([[-1, 0, width], [0, 1, 0], [0, 0, 1]], float)
    if matrix[1, 1] < 0:
        picture, held = picture[::-1], held[::-1]
        matrix = matrix @ np.array([[1, 0, 0], [0, -1, height], [0, 0, 1]], float)
    return picture, np.ascontiguousarray(held), matrix


def _reduced(
    picture: NDArray[np.uint8],
    matrix: Matrix,
    reach_x: float,
    reach_y: float,
    held: NDArray[np.int32],
) -> tuple[NDArray[np.uint8], Matrix]:
    """The picture averaged to about the size it will have, and the matrix that is left to do."""
    height, width = picture.shape[:2]
    w = max(1, round(width * min(1.0, reach_x)))
    h = max(1, round(height * min(1.0, reach_y)))
    small = resize(picture, (w / width, h / height), (0.0, 0.0), (0, 0, w, h), held)
    return small, matrix @ np.diag([width / w, height / h, 1.0])


def _whole_shift(matrix: Matrix, width: int, height: int) -> tuple[int, int] | None:
    """The move in whole pixels that a matrix is, to a hundredth of a pixel; else None."""
    if matrix[2, 0] or matrix[2, 1]:
        return None
    ends = matrix @ np.array([[0, width, 0], [0, 0, height], [1, 1, 1]], float)
    x, y = round(ends[0, 0]), round(ends[1, 0])
    exact = np.array([[x, x + width, x], [y, y, y + height]])
    return (x, y) if np.abs(ends[:2] - exact).max() < 0.01 else None


def _cut(
    picture: NDArray[np.uint8],
    box: tuple[int, int, int, int],
    shift: tuple[int, int],
    canvas_width: int,
    canvas_height: int,
) -> Patch | None:
    x0, y0 = max(0, box[0] + shift[0]), max(0, box[1] + shift[1])
    x1 = min(canvas_width, box[2] + shift[0])
    y1 = min(canvas_height, box[3] + shift[1])
    if x1 <= x0 or y1 <= y0:
        return None
    piece = picture[y0 - shift[1] : y1 - shift[1], x0 - shift[0] : x1 - shift[0]]
    rows = np.ascontiguousarray(repeated(piece))
    return Patch(x0, y0, np.broadcast_to(rows, piece.shape) if len(rows) < len(piece) else rows)


def over_itself(patch: Patch, change: Matrix, canvas_width: int, canvas_height: int) -> Patch:
    """The mean of a patch and of the same where a change of the canvas, which shrinks and enlarges little, moves it.

    >>> patch = Patch(3, 1, np.full((1, 2, 4), 200, np.uint8))
    >>> both = over_itself(patch, np.array([[1, 0, 1], [0, 1, 0], [0, 0, 1.0]]), 10, 3)
    >>> both.left, both.pixels[1, :, 3].tolist()
    (2, [0, 100, 200, 100, 0, 0])
    """
    matrix = change @ np.array([[1, 0, patch.left], [0, 1, patch.top], [0, 0, 1.0]])
    height, width = patch.pixels.shape[:2]
    inverse = np.asarray(np.linalg.inv(matrix), np.float64)
    flat = not (matrix[2, 0] or matrix[2, 1])
    moved = (
        _window(matrix, (0, 0, width, height), 1.0, canvas_width, canvas_height)
        if flat
        else (0, 0, canvas_width, canvas_height)
    )
    x0, y0, x1, y1 = patch.left, patch.top, patch.left + width, patch.top + height
    if moved is not None:
        left, top, wide, high = moved
        x0, y0, x1, y1 = min(x0, left), min(y0, top), max(x1, left + wide), max(y1, top + high)
    window = (x0, y0, x1 - x0, y1 - y0)
    over = (
        turn(patch.pixels, inverse, window, (1.0, 1.0))
        if flat
        else project(patch.pixels, inverse, window)
    )
    own = np.zeros_like(over)
    own[patch.top - y0 :, patch.left - x0 :][:height, :width] = patch.pixels
    return Patch(x0, y0, np.asarray(cv2.addWeighted(own, 0.5, over, 0.5, 0), np.uint8))


def averaged(patches: Sequence[Patch | None]) -> Patch | None:
    """The mean of several patches, those that are missing clear: what a shutter sees in its time.

    >>> here, there = (Patch(left, 0, np.full((1, 1, 4), 200, np.uint8)) for left in (3, 5))
    >>> mean = averaged([here, there])
    >>> mean.left, mean.pixels[0, :, 3].tolist()
    (3, [100, 0, 100])
    """
    some = [patch for patch in patches if patch is not None]
    if not some:
        return None
    left, top = min(p.left for p in some), min(p.top for p in some)
    right = max(p.left + p.pixels.shape[1] for p in some)
    bottom = max(p.top + p.pixels.shape[0] for p in some)
    room = np.uint16 if len(patches) < 257 else np.uint32  # half the memory is half the time
    total = np.full((bottom - top, right - left, 4), len(patches) // 2, room)
    for patch in some:
        h, w = patch.pixels.shape[:2]
        y, x = patch.top - top, patch.left - left
        total[y : y + h, x : x + w] += patch.pixels
    return Patch(left, top, (total // len(patches)).astype(np.uint8))
