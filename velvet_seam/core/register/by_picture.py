"""Two takes lined up in time by how much moves in each, from frame to frame."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.in_time import InTime, nothing

Curve = NDArray[np.float64]

SLOW = 51
"""Frames over which the mean is taken that the movement of a frame is compared with."""

LEAST = 24
"""Frames that must overlap."""

STANDS_OUT, BESIDE = 11.0, 1.3
"""How strong the best must be, and how much stronger than the next, to be believed: Fisher's transform of the
correlation (R. Fisher, 1915), times the root of the frames that overlap. Movement comes in bursts, so that much of
what is unlike at all is as strong as 10."""

WEAKER, FARTHER = 9.0, 1.8
"""Or so: weaker, but with nothing beside it."""

SURE, SURELY = 15.0, 1.7
"""The same, to be sure."""

APART = 4
"""Frames: peaks nearer than this are one."""


class Movement:
    """Gathers how much moves from each frame of a clip to the next."""

    def __init__(self) -> None:
        self._before: NDArray[np.float32] | None = None
        self._all: list[float] = []

    def add(self, grey: NDArray[np.uint8]) -> None:
        """The next frame, small: some 60 pixels on its short side."""
        now = grey.astype(np.float32)
        if self._before is not None and self._before.shape == now.shape:
            off = np.abs(now - self._before)
            # noise is everywhere, and moves nothing
            self._all.append(float(np.maximum(off - 2, 0).mean()))
        elif self._before is not None:
            self._all.append(0.0)
        self._before = now

    @property
    def curve(self) -> Curve:
        return np.array(self._all)


def by_picture(first: Curve, second: Curve, rate: float) -> InTime:
    """When the second take moves as the first does: the logarithms of how much moves, less their slow mean, correlated.

    Args:
        first, second: of :class:`Movement`, at one rate of frames a second.

    >>> rng = np.random.default_rng(3)
    >>> moves = np.exp(rng.normal(0, 1, 200))
    >>> round(by_picture(moves[30:], moves, 25).offset, 3)
    1.2
    """
    if min(len(first), len(second)) < LEAST:
        return nothing("short")
    a, b = _evened(first), _evened(second)
    if a is None or b is None:
        return nothing("still")
    offsets = np.arange(LEAST - len(a), len(b) - LEAST + 1)
    like = np.array([_strength(a, b, int(one)) for one in offsets])
    at = int(like.argmax())
    best = float(like[at])
    rest = np.where(np.abs(offsets - offsets[at]) < APART, 0.0, like)
    beside = int(rest.argmax())
    ratio = best / max(float(rest[beside]), 1e-9)
    believed = (best > STANDS_OUT and ratio > BESIDE) or (best > WEAKER and ratio > FARTHER)
    if not believed:
        return nothing("common")
    sure = best > SURE and ratio > SURELY
    part = 0.0
    if 0 < at < len(like) - 1:
        low, top, high = like[at - 1 : at + 2]
        bend = low - 2 * top + high
        part = float(0.5 * (low - high) / bend) if bend < -1e-9 else 0.0
    offset = (float(offsets[at]) + part) / rate
    return InTime(
        offset, sure, None if sure else float(offsets[beside]) / rate, min(best / 30, 1.0)
    )


def _evened(moves: Curve) -> Curve | None:
    """The logarithm less its slow mean; None where nothing ever moves more than else."""
    level = np.log(moves + 0.02 * (moves.mean() + 1e-6) + 1e-3)
    sums = np.concatenate([[0.0], np.cumsum(level)])
    at = np.arange(len(level))
    low, high = np.maximum(at - SLOW // 2, 0), np.minimum(at + SLOW // 2 + 1, len(level))
    even = level - (sums[high] - sums[low]) / (high - low)
    return np.asarray(even) if moves.mean() > 0.02 and even.std() > 0.05 else None


def _strength(a: Curve, b: Curve, offset: int) -> float:
    """How strongly two curves say that they belong together at an offset of the second."""
    begin, end = max(0, -offset), min(len(a), len(b) - offset)
    one, other = a[begin:end], b[begin + offset : end + offset]
    one, other = one - one.mean(), other - other.mean()
    both = np.sqrt((one**2).sum() * (other**2).sum())
    if both < 1e-9:
        return 0.0
    return float(np.arctanh(min((one * other).sum() / both, 0.999)) * np.sqrt(len(one)))
