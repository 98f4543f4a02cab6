"""A value for every frame, told by as few keyframes as say the same."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.timing.animated import Keyframe, Keyframes

LONGEST = 12
"""Frames that a straight line between two keyframes may stand for."""


def thinned(values: list[float], near: float) -> Any:
    """A value a frame as keyframes, without those that a straight line between others says; a number, where it never
    moves.

    >>> thinned([1.0, 2.0, 3.0, 9.0], 0.1)["keys"][1]["frame"]
    2
    """
    if max(values) - min(values) < near:
        return round(values[0], 4)
    kept, n = [0], 0
    while n < len(values) - 1:
        end = n + 1
        while end + 1 < len(values) and end - n < LONGEST and _straight(values, n, end + 1, near):
            end += 1
        kept.append(end)
        n = end
    keys = tuple(Keyframe(frame=n, value=round(values[n], 4)) for n in kept)
    return Keyframes(keys=keys).model_dump(mode="json")


def _straight(values: list[float], first: int, last: int, near: float) -> bool:
    line: NDArray[np.float64] = np.linspace(values[first], values[last], last - first + 1)
    return bool(np.abs(line - values[first : last + 1]).max() < near)
