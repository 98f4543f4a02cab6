"""Frames as roto looks at them, as steps: their colours, and what the camera's movement leaves over of them."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.features import SHORT
from velvet_seam.core.roto.moved import coded
from velvet_seam.core.roto.residual import around, camera_between, left_over
from velvet_seam.core.roto.seen import Seen, seen
from velvet_seam.core.steps import Footage, Step, step

F32 = NDArray[np.float32]


class RotoLooks:
    """The looks at some footage, each step made once: frame after frame most of what is asked is the same.

    Nothing is asked across the ``cuts``. ``short`` is the short side at which it is looked at, in pixels.
    """

    def __init__(self, footage: Footage, cuts: tuple[int, ...], short: int = SHORT) -> None:
        self.footage, self.cuts, self.short = footage, cuts, short
        self._seen: dict[int, Step] = {}
        self._moves: dict[tuple[int, int], Step] = {}
        self._looks: dict[int, Step] = {}

    def at(self, frame: int) -> Step:
        """A frame, with what the camera's movement leaves over, where there are other frames to ask."""
        made = self._looks.get(frame)
        if made is None:
            here, left = self.seen(frame), self.residual(frame)
            made = here if left is None else step("roto-look", _looked, (), here, left)
            self._looks[frame] = made
        return made

    def seen(self, frame: int) -> Step:
        """The colours of a frame."""
        made = self._seen.get(frame)
        if made is None:
            made = self._seen[frame] = step("roto-seen", _seen, (self.footage, frame, self.short))
        return made

    def residual(self, frame: int) -> Step | None:
        """What the camera's movement leaves over of each pixel, (h, w) float32."""
        if self.footage.frames < 2:
            return None
        rate = self.footage.frames / self.footage.length
        before, after = around(frame, *self.scene(frame), rate)
        if not before and not after:
            return None
        there = map(self.seen, (*before, *after))
        moves = [self._move(*two) for two in pairwise([*before[::-1], frame])][::-1]
        moves += [self._move(*two) for two in pairwise([frame, *after])]
        counts = len(before), len(after)
        return step(
            "roto-residual", _residual, counts, self.seen(frame), *there, *moves, keep=False
        )

    def scene(self, frame: int) -> tuple[int, int]:
        """The first and the last frame of what lies between the same two cuts."""
        after = bisect_right(self.cuts, frame)
        first = self.cuts[after - 1] if after else 0
        last = self.cuts[after] if after < len(self.cuts) else self.footage.frames
        return first, last - 1

    def _move(self, one: int, other: int) -> Step:
        """The camera's movement from one frame to another."""
        made = self._moves.get((one, other))
        if made is None:
            made = step("roto-camera", camera_between, (), self.seen(one), self.seen(other))
            self._moves[one, other] = made
        return made


def _seen(footage: Footage, frame: int, short: int) -> Seen:
    return seen(footage.read(frame), short)


def _looked(here: Seen, left: F32) -> Seen:
    return replace(here, moved=coded(left))


def _residual(earlier: int, later: int, here: Seen, *others: Any) -> F32:
    """Of frames before and after, and then of the camera's movements from each to the next."""
    count = earlier + later
    there, moves = list(others[:count]), list(others[count:])
    return left_over(here, there[:earlier], moves[:earlier], there[earlier:], moves[earlier:])
