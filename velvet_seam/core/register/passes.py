"""Passes of a repeated camera move: where the camera went to and fro in one long take, and which frames of two passes
show the same."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.descend import Descent, Fit, chosen
from velvet_seam.core.register.levels import Grey, Level, levels_of
from velvet_seam.core.register.starts import by_phase, shifted
from velvet_seam.core.register.warps import Matrix, mapped, scaled, within

Read = Callable[[int], Grey]

PIXELS = 5_000
NEW_KEY = 0.25
"""Of the picture's long side: so far from the frame it is measured against, another one is kept."""

LEAST_SCORE = 0.05
UNLIKE = 0.55
"""Of the best score against the frame that is kept."""

TURNS = 0.12
"""Of the whole way: a turn is one where it goes back by so much."""

WHOLE = 0.6
"""Of the longest way to or fro: what goes less far is no pass."""

HURRY = 0.5
"""Of the length of the others: going back so much quicker is only a return."""

RESTS = 0.02
"""Of a pass's way: at its ends the camera rests, or has not set off yet."""

LEAST_WAY = 0.08
"""Of the picture's long side: a camera that goes less far stands still."""

SMALL = (56, 100)
"""Width and height, or height and width, at which two frames are compared."""

LIKE = 0.3
"""Two passes of one move are at least so alike, along their best way, 0 to 1."""


@dataclass(frozen=True)
class Pass:
    """Frames of a take, both included, in which the camera goes one way: ``way`` is 1 as in the first pass, -1 back."""

    first: int
    last: int
    way: int

    @property
    def length(self) -> int:
        return self.last - self.first + 1


class Kept:
    """A frame that the next ones are measured against."""

    def __init__(self, levels: list[Level], to_it: Matrix) -> None:
        self.levels, self.to_it = levels, to_it
        self.descents = [Descent(one, one, "stretch", chosen(one, PIXELS)) for one in levels]
        self.best = 0.0

    def warp_to(self, others: list[Level], starts: list[Matrix]) -> tuple[Matrix, float]:
        """The best of where some starts lead, and its score."""
        found = [self._descended(others, one) for one in starts]
        return max(found, key=lambda one: one[1])

    def _descended(self, others: list[Level], start: Matrix) -> tuple[Matrix, float]:
        fit: Fit | None = None
        warp = start
        for n in range(len(self.descents) - 1, -1, -1):
            level = self.levels[n]
            at = within("stretch", scaled(warp, level.scale), level.size)
            fit = self.descents[n].beside(others[n]).run(at, steps=10, least=0.02)
            warp = scaled(fit.warp, 1 / level.scale)
        return warp, 0.0 if fit is None else fit.score

    def phases(self, others: list[Level]) -> list[Matrix]:
        smallest = self.levels[-1]
        return [scaled(one, 1 / smallest.scale) for one in by_phase(smallest, others[-1])]


def camera_path(
    read: Read, frames: range, told: Callable[[int], None] = lambda done: None
) -> NDArray[np.float64]:
    """How far the picture's middle has moved since the first frame, (n, 2) pixels of the pictures that are read; not a
    number where it cannot be told.

    Each frame is measured against one that is kept; the one before is kept instead after a quarter of the picture, and
    where a frame is too unlike the one kept.
    """
    first = read(frames.start)
    size = (first.shape[1], first.shape[0])
    middle = np.array([[size[0] / 2, size[1] / 2]])
    before = levels_of(first)
    kept, warp, speed = Kept(before, np.eye(3)), np.eye(3), np.eye(3)
    path = np.full((len(frames), 2), np.nan)
    path[0] = 0
    for n, number in enumerate(frames[1:], 1):
        here = levels_of(read(number))
        made, score = kept.warp_to(here, [speed @ warp])
        gone = float(np.hypot(*(mapped(made, middle) - middle)[0]))
        if score < UNLIKE * kept.best or score < LEAST_SCORE or gone > NEW_KEY * max(size):
            kept, warp = Kept(before, warp @ kept.to_it), np.eye(3)
            made, score = kept.warp_to(here, [speed, np.eye(3), *kept.phases(here)])
        if score >= LEAST_SCORE:
            speed = _shift_only(made @ np.linalg.inv(warp), middle)
            warp = made
            kept.best = max(kept.best, score)
            path[n] = (mapped(warp @ kept.to_it, middle) - middle)[0]
        before = here
        told(n)
    return path


def _shift_only(warp: Matrix, middle: NDArray[np.float64]) -> Matrix:
    x, y = (mapped(warp, middle) - middle)[0]
    return shifted(float(x), float(y))


def passes_of(path: NDArray[np.float64], size: tuple[int, int], first: int = 0) -> list[Pass]:
    """The passes along a camera's path, (n, 2) pixels; none where it does not go to and fro, or hardly moves.

    >>> there = np.concatenate([np.linspace(0, 300, 40), np.linspace(300, 0, 30), np.linspace(0, 300, 50)])
    >>> [(one.first, one.last, one.way) for one in passes_of(np.column_stack([there, 0 * there]), (400, 300))]
    [(0, 39, 1), (41, 69, -1), (71, 119, 1)]
    """
    known = np.isfinite(path).all(1)
    if known.sum() < 6:
        return []
    every = np.arange(len(path))
    whole = np.column_stack([np.interp(every, every[known], one[known]) for one in path.T])
    spread = whole - whole.mean(0)
    _, _, axes = np.linalg.svd(spread, full_matrices=False)
    along = spread @ axes[0]
    way = float(np.ptp(along))
    if way < LEAST_WAY * max(size):
        return []
    turns = _turns(along, TURNS * way)
    legs = list(pairwise(turns))
    longest = max(abs(along[b] - along[a]) for a, b in legs)
    found: list[Pass] = []
    sign = 0
    for a, b in legs:
        gone = along[b] - along[a]
        if abs(gone) < WHOLE * longest:
            continue
        low, high = _moving(along, a, b, RESTS * abs(gone))
        sign = sign or int(np.sign(gone))
        found.append(Pass(first + low, first + high, int(np.sign(gone)) * sign))
    found = _without_returns(found)
    return found if len(found) > 1 else []


def _without_returns(found: list[Pass]) -> list[Pass]:
    """Where the camera hurries back to where it began, that is no pass."""
    for way in (1, -1):
        there = [one.length for one in found if one.way == way]
        back = [one.length for one in found if one.way == -way]
        if there and back and max(back) < HURRY * float(np.median(there)):
            kept = [one for one in found if one.way == way]
            return [Pass(one.first, one.last, 1) for one in kept]
    return found


def _turns(along: NDArray[np.float64], back: float) -> list[int]:
    """The first frame, those where the camera turns, and the last."""
    found, high, low, up = [0], 0, 0, 0
    for n, value in enumerate(along):
        high = n if value >= along[high] else high
        low = n if value <= along[low] else low
        if up >= 0 and along[high] - value > back and high >= found[-1]:
            if up > 0 or high > 0:
                found.append(high)
            up, low = -1, n
        elif up <= 0 and value - along[low] > back and low >= found[-1]:
            if up < 0 or low > 0:
                found.append(low)
            up, high = 1, n
    last = len(along) - 1
    return [*dict.fromkeys([*found, last])]


def _moving(along: NDArray[np.float64], a: int, b: int, rest: float) -> tuple[int, int]:
    """The frames of a leg without those at its ends in which the camera rests."""
    part = along[a : b + 1]
    begun = np.nonzero(np.abs(part - part[0]) > rest)[0]
    ended = np.nonzero(np.abs(part - part[-1]) > rest)[0]
    low = a + max(int(begun[0]) - 1, 0) if len(begun) else a
    high = a + min(int(ended[-1]) + 1, b - a) if len(ended) else b
    # the frame at which it turns belongs to the leg before
    return (low + 1 if low == a and a > 0 else low), high


def small_of(grey: Grey) -> NDArray[np.float32]:
    """A frame as it is compared: small, and freed of its light."""
    size = SMALL if grey.shape[0] >= grey.shape[1] else SMALL[::-1]
    small = cv2.resize(grey, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    high = small - cv2.GaussianBlur(small, (0, 0), 4)
    return np.asarray(high / (np.sqrt(cv2.GaussianBlur(high * high, (0, 0), 6)) + 2), np.float32)


def likeness(one: NDArray[np.float32], other: NDArray[np.float32]) -> NDArray[np.float64]:
    """How alike each frame of one pass is to each of another, (n, m), 0 to 1: the mean square of how well blocks agree,
    so that what stands before the background in either counts little. Frames are (n, h, w), of :func:`small_of`."""
    blocks = 8
    a, b = (_blocks(part, blocks) for part in (one, other))
    total = np.zeros((len(one), len(other)))
    for x, y in zip(a, b, strict=True):
        both = x @ y.T
        total += np.clip(both, 0, 1) ** 2
    return np.asarray(total / len(a))


def _blocks(frames: NDArray[np.float32], side: int) -> NDArray[np.float64]:
    """(blocks, n, pixels), each of mean 0 and length 1."""
    n, height, width = frames.shape
    rows, columns = height // side, width // side
    cut = frames[:, : rows * side, : columns * side].reshape(n, rows, side, columns, side)
    flat = cut.transpose(1, 3, 0, 2, 4).reshape(rows * columns, n, side * side).astype(np.float64)
    flat -= flat.mean(2, keepdims=True)
    return np.asarray(flat / (np.linalg.norm(flat, axis=2, keepdims=True) + 1e-6))


def matched(like: NDArray[np.float64]) -> tuple[NDArray[np.float64], float]:
    """For each row of a likeness the column that shows the same, between two columns, never going back; and how alike
    they are along it. Dynamic programming (H. Sakoe and S. Chiba, 1978), ends free, then the parabola through the
    three nearest, smoothed a little.
    """
    n, m = like.shape
    cost = 1 - like
    best = np.full((n, m), np.inf)
    came = np.zeros((n, m), np.int64)
    best[0] = cost[0]
    steps = np.arange(0, 6)
    # no step, and a step of many columns, are less likely than one of the mean length
    mean = m / n
    toll = 0.02 * np.abs(np.log((steps + 0.5) / (mean + 0.5)))
    for i in range(1, n):
        options = np.full((len(steps), m), np.inf)
        for k, step in enumerate(steps):
            options[k, step:] = best[i - 1, : m - step] + toll[k]
        came[i] = steps[options.argmin(0)]
        best[i] = options.min(0) + cost[i]
    at = np.zeros(n, np.int64)
    at[-1] = int(best[-1].argmin())
    for i in range(n - 1, 0, -1):
        at[i - 1] = at[i] - came[i][at[i]]
    fine = np.array([j + _parabola(like[i], int(j)) for i, j in enumerate(at)])
    score = float(like[np.arange(n), at].mean())
    fine = np.maximum.accumulate(_smooth(fine))
    return np.clip(fine, 0, m - 1), score


def _parabola(row: NDArray[np.float64], j: int) -> float:
    if not 0 < j < len(row) - 1:
        return 0.0
    a, b, c = row[j - 1 : j + 2]
    bend = a - 2 * b + c
    return float(np.clip(0.5 * (a - c) / bend, -0.75, 0.75)) if bend < -1e-9 else 0.0


def _smooth(path: NDArray[np.float64]) -> NDArray[np.float64]:
    """Over a few frames, robustly: a median of five, then a Gaussian; ends go on as they came."""
    if len(path) < 7:
        return path
    wide = np.pad(path, 2, mode="reflect", reflect_type="odd")
    middle = np.median(np.lib.stride_tricks.sliding_window_view(wide, 5), axis=1)
    weight = np.exp(-0.5 * (np.arange(-3, 4) / 1.2) ** 2)
    wide = np.pad(middle, 3, mode="reflect", reflect_type="odd")
    return np.asarray(np.convolve(wide, weight / weight.sum(), "valid"))


def same_frames(
    smalls: Callable[[int], NDArray[np.float32]], one: Pass, other: Pass
) -> tuple[NDArray[np.float64], float]:
    """For each frame of one pass the frame of another, in the take, that shows the same; and how alike they are."""
    here = np.stack([smalls(n) for n in range(one.first, one.last + 1)])
    numbers = list(range(other.first, other.last + 1))
    if other.way != one.way:
        numbers.reverse()
    there = np.stack([smalls(n) for n in numbers])
    at, score = matched(likeness(here, there))
    return np.interp(at, np.arange(len(numbers)), numbers), score
