"""What follows a track: the matrix by which it has moved over the canvas since it began to follow."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from typing import Protocol, cast

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.engine.clip_time import shown
from velvet_seam.core.picture.placement import Matrix
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.sources.base import Sized
from velvet_seam.core.steps import Clip
from velvet_seam.core.timing.following import Follow, How

Points = NDArray[np.float64]


class Placed(Protocol):
    """Where layers lie; see :class:`velvet_seam.core.engine.lying.Lying`."""

    def matrix(self, layer: Layer, frame: float) -> Matrix: ...

    def followed(self, layer: Layer, frame: float, within: frozenset[str]) -> Matrix | None: ...


def source_frame(layer: Layer, clip: Clip, frame: float, rate: Fraction) -> float:
    """The source frame that a layer shows at a shot frame; between two where its clip is shown so."""
    whole = int(frame // 1)
    number, after, part = shown(
        clip, layer.time.at(whole - layer.span.first, rate), layer.time.ends
    )
    here = float(number)
    if layer.time.between != "nearest" and after == number + 1:
        here += part
    if frame == whole:
        return here
    beside = source_frame(layer, clip, whole + 1, rate)
    return here + (frame - whole) * (beside - here) if abs(beside - here) < 8 else here


def points_at(
    lies: Placed, footage: Callable[[str], Sized], layer: Layer, tracks: tuple[str, ...], frame: float,
    rate: Fraction, within: frozenset[str], followed: bool,
) -> Points | None:  # fmt: skip
    """Where the points of some tracks of a layer lie on the canvas at a frame, (n, 2), before a camera moves them; None
    where there are none."""
    known = {one.id: one for one in layer.tracks}
    found = [known[one] for one in tracks if one in known]
    if not found or layer.source.shows is None:
        return None
    clip = cast(Clip, footage(layer.source.shows))
    at = source_frame(layer, clip, frame, rate)
    own = np.vstack([one.at(at) for one in found])
    matrix = lies.matrix(layer, frame)
    if followed:
        by = lies.followed(layer, frame, within)
        matrix = matrix if by is None else by @ matrix
    made = np.column_stack([own, np.ones(len(own))]) @ matrix.T
    return np.asarray(made[:, :2] / made[:, 2:])


def led(
    lies: Placed, footage: Callable[[str], Sized], follow: Follow, leaders: tuple[Layer, Layer], frame: float,
    rate: Fraction, within: frozenset[str], other: bool,
) -> Matrix | None:  # fmt: skip
    """How what follows has moved since the frame at which it lies where its values say: 3 × 3, of canvas pixels.

    Args:
        leaders: whose tracks they are, at that frame and at this one.
        within: layers whose movement is being asked for: two that follow each other end here.
        other: they are another layer's, whose own following counts.
    """
    rest, here = (
        points_at(lies, footage, leader, follow.tracks, at, rate, within, followed=other)
        for leader, at in zip(leaders, (follow.frame, frame), strict=True)
    )
    if rest is None or here is None:
        return None
    made = between(rest, here, follow.how)
    return np.asarray(np.linalg.inv(made), np.float64) if follow.still else made


def between(rest: Points, here: Points, how: How) -> Matrix:
    """The movement of a kind that brings points to where they are now: the least squares of all of them (S. Umeyama,
    1991); four and more in perspective exactly, or as near as can be.

    >>> square = np.array([[0, 0], [2, 0], [2, 2], [0, 2.0]])
    >>> (between(square, 2 * square + [5, 0], "stretch") + 0.0).tolist()
    [[2.0, 0.0, 5.0], [0.0, 2.0, 0.0], [0.0, 0.0, 1.0]]
    """
    out = np.eye(3)
    if how == "plane" and len(rest) >= 4:
        if len(rest) == 4:
            found = cv2.getPerspectiveTransform(rest.astype(np.float32), here.astype(np.float32))
        else:
            found, _ = cv2.findHomography(rest, here)
        if found is not None and np.isfinite(found).all() and abs(np.linalg.det(found)) > 1e-9:
            return np.asarray(found / found[2, 2])
    a, b = rest - rest.mean(0), here - here.mean(0)
    if how != "shift" and len(rest) > 1:
        dot, cross = float((a * b).sum()), float((a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum())
        length = float((a * a).sum())
        turn = np.hypot(dot, cross)
        if length > 1e-9 and turn > 1e-12:
            scale = 1.0 if how == "turn" else turn / length
            c, s = scale * dot / turn, scale * cross / turn
            out[:2, :2] = [[c, -s], [s, c]]
    out[:2, 2] = here.mean(0) - out[:2, :2] @ rest.mean(0)
    return out


def nearest_similarity(matrix: Matrix, x: float, y: float) -> Matrix:
    """The shift, turn and scale that a matrix is like around a place."""
    near = np.array([[x, y], [x + 1, y], [x, y + 1]])
    made = np.column_stack([near, np.ones(3)]) @ matrix.T
    p, across, down = made[:, :2] / made[:, 2:]
    u, v = across - p, down - p
    c, s = (u[0] + v[1]) / 2, (u[1] - v[0]) / 2
    out = np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]])
    out[:2, 2] = p - out[:2, :2] @ [x, y]
    return out
