"""Ways in which one take may lie off another: by a shift, a turn too, a stretch too, or as a plane in space.

A warp is a 3 × 3 matrix, from pixels of one picture to those of the other, counted from the top left corner, the middle
of the first pixel half a pixel in.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]
Model = Literal["shift", "turn", "stretch", "plane"]

GENERATORS: dict[Model, NDArray[np.float64]] = {}
"""For each model the directions in which a warp may go, (n, 3, 3): the Lie algebra of its group (S. Baker and
I. Matthews, 2004; E. Malis, 2004)."""


def _of(*entries: dict[tuple[int, int], float]) -> NDArray[np.float64]:
    made = np.zeros((len(entries), 3, 3))
    for n, one in enumerate(entries):
        for at, value in one.items():
            made[n][at] = value
    return made


_ACROSS, _DOWN = {(0, 2): 1.0}, {(1, 2): 1.0}
_TURN, _GROW = {(0, 1): -1.0, (1, 0): 1.0}, {(0, 0): 1.0, (1, 1): 1.0}
GENERATORS["shift"] = _of(_ACROSS, _DOWN)
GENERATORS["turn"] = _of(_ACROSS, _DOWN, _TURN)
GENERATORS["stretch"] = _of(_ACROSS, _DOWN, _TURN, _GROW)
GENERATORS["plane"] = _of(
    _ACROSS, _DOWN, _TURN, _GROW, {(0, 0): 1.0, (1, 1): -1.0}, {(0, 1): 1.0, (1, 0): 1.0},
    {(2, 0): 1.0}, {(2, 1): 1.0},
)  # fmt: skip


def moved_along(model: Model, step: NDArray[np.float64]) -> Matrix:
    """The warp that so many steps along the generators make: a matrix exponential.

    >>> moved_along("shift", np.array([3.0, -2.0]))[:2, 2].tolist()
    [3.0, -2.0]
    """
    way = np.tensordot(step, GENERATORS[model], 1)
    out, power = np.eye(3), np.eye(3)
    for n in range(1, 9):
        power = power @ way / n
        out += power
    return out


def mapped(warp: Matrix, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Points, (n, 2), through a warp."""
    made = np.column_stack([points, np.ones(len(points))]) @ warp.T
    return np.asarray(made[:, :2] / made[:, 2:])


def within(model: Model, warp: Matrix, size: tuple[int, int]) -> Matrix:
    """The warp of a model that is nearest to one of any: the middle of the picture goes where it went, it turns and
    grows as much as it does there.

    Without this, what a model cannot say stays in the start, and no step along the model takes it away.
    """
    if model == "plane":
        return warp / warp[2, 2]
    middle = np.array([[size[0] / 2, size[1] / 2]])
    beside = [middle + np.array([[d, 0.0]]) for d in (-1, 1)] + [
        middle + np.array([[0.0, d]]) for d in (-1, 1)
    ]
    left, right, up, down = (mapped(warp, one)[0] for one in beside)
    form = np.column_stack([(right - left) / 2, (down - up) / 2])
    turn = np.arctan2(form[1, 0] - form[0, 1], form[0, 0] + form[1, 1])
    grow = np.sqrt(abs(np.linalg.det(form)))
    if model == "shift":
        turn, grow = 0.0, 1.0
    elif model == "turn":
        grow = 1.0
    c, s = np.cos(turn) * grow, np.sin(turn) * grow
    out = np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]])
    out[:2, 2] = (mapped(warp, middle) - mapped(out, middle))[0]
    return out


def scaled(warp: Matrix, by: float) -> Matrix:
    """A warp between pictures that are ``by`` times as large."""
    size = np.diag([by, by, 1.0])
    return np.asarray(size @ warp @ np.linalg.inv(size))


def grid(size: tuple[int, int], count: int = 5) -> NDArray[np.float64]:
    """Places spread evenly over a picture: (count², 2)."""
    width, height = size
    at = (np.arange(count) + 0.5) / count
    return np.array([(x * width, y * height) for y in at for x in at])


def apart(one: Matrix, other: Matrix, size: tuple[int, int]) -> float:
    """How far two warps send places of a picture to different ones, pixels, root mean square."""
    places = grid(size)
    off = mapped(one, places) - mapped(other, places)
    return float(np.sqrt((off**2).sum(1).mean()))
