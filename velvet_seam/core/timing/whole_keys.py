"""Keyframes of what is keyed as a whole, such as a curve or an outline: their order, and those around a frame."""

from __future__ import annotations

from bisect import bisect_right
from itertools import pairwise
from typing import Protocol, TypeVar

from velvet_seam.core.timing.ease import Ease, eased


class WholeKey(Protocol):
    """A keyframe with its own ``value``."""

    @property
    def frame(self) -> int: ...
    @property
    def ease(self) -> Ease: ...


Key = TypeVar("Key", bound=WholeKey)


def in_order(keys: tuple[Key, ...]) -> tuple[Key, ...]:
    """The keyframes as they are.

    Raises:
        ValueError: they do not lie in the order of their frames, or two on one.
    """
    if any(later.frame <= earlier.frame for earlier, later in pairwise(keys)):
        raise ValueError("keyframes lie in the order of their frames, no two on one")
    return keys


def around(keys: tuple[Key, ...], frame: float) -> tuple[Key, Key, float]:
    """The keyframes before and after a frame, and how much of the way between them is gone: 0 to 1, or a little beyond where
    an ease swings. Before the first and after the last it is that one, and 0.
    """
    after = bisect_right(keys, frame, key=lambda key: key.frame)
    if after == 0 or after == len(keys):
        last = keys[max(0, after - 1)]
        return last, last, 0.0
    left, right = keys[after - 1], keys[after]
    return left, right, eased(left.ease, (frame - left.frame) / (right.frame - left.frame))
