"""The clean plate of a take: what its camera sees when nobody is there, put together from frames in which somebody is.

At each pixel the frames are sorted into those that look alike. What is seen both early and late in the take wins over
what is merely seen most: a wall comes back when somebody who stood before it has gone.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

MOST_FRAMES = 60
"""So many, spread over the take, are enough."""

ALIKE = 14.0
"""Levels: colours that differ by no more in any channel are one thing."""

ENDS, ENOUGH = 5, 3.0
"""The first and the last fifth of the take are early and late; what is seen in a third of either is seen there."""

OFTEN = 0.6
"""How much it counts to be seen often, beside being seen early and late."""

SURE_ENDS, SURE_SHARE = 0.5, 0.2
"""What is seen early and late, each so much of enough, and in so many of all frames, is surely the background."""

SAME = 4.0
"""Levels: what is so near to the likeliest so far is as likely."""

CLEARLY, OTHER = 0.15, 28.0
"""By so much the best must be more likely than another colour, which is so many levels away, to be sure."""

LEAST_SEEN = 3
"""Frames that must show a pixel for it to be sure."""

SAMPLED = 9
"""Every so many pixels each way are looked at for the light of a frame."""


@dataclass(frozen=True)
class CleanPlate:
    """``picture``: (h, w, 3) uint8; ``unsure``: (h, w) bool, where somebody may be left in it."""

    picture: NDArray[np.uint8]
    unsure: NDArray[np.bool_]

    @property
    def share(self) -> float:
        """How much of it is unsure, 0 to 1."""
        return float(self.unsure.mean())


DOUBT = 168, 42, 37
"""The colour laid over what is unsure."""


def doubt_picture(plate: CleanPlate, longest: int = 480) -> NDArray[np.uint8]:
    """Where a plate is unsure, (h, w, 3) uint8: all else is pale and grey, and what is unsure is red."""
    height, width = plate.unsure.shape
    k = min(1.0, longest / max(height, width))
    size = max(1, round(width * k)), max(1, round(height * k))
    small = cv2.resize(plate.picture, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    # any of it, however small, is seen
    unsure = cv2.resize(plate.unsure.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    much = np.minimum(1.0, 3.0 * unsure)[..., None]
    grey = small.mean(2, keepdims=True)
    calm = 0.45 * grey + 120
    marked = 0.3 * grey + 0.85 * np.array(DOUBT, np.float32)
    return np.asarray(np.rint(calm * (1 - much) + marked * much), np.uint8)


def spread_over(first: int, last: int, most: int = MOST_FRAMES) -> list[int]:
    """So many frames at most, evenly from the first to the last.

    >>> spread_over(0, 9, 4)
    [0, 3, 6, 9]
    """
    count = min(most, last - first + 1)
    return sorted({round(first + (last - first) * n / max(1, count - 1)) for n in range(count)})


def light_of(frames: NDArray[np.uint8]) -> NDArray[np.float32]:
    """What each frame is to be multiplied by, (n, 3), to be in the light of the middle one: the middle of the ratios of
    its pixels, for of most the background is seen."""
    some = np.maximum(frames[:, ::SAMPLED, ::SAMPLED].astype(np.float32), 4)
    flat = some.reshape(len(frames), -1, 3)
    usual = np.median(flat, axis=0)
    ratio = np.median(np.log(usual[None] / flat), axis=1)
    return np.asarray(np.exp(np.clip(ratio, -1.5, 1.5)), np.float32)


@nb.njit(error_model="numpy")
def _far(seen, m, n):
    """How far two colours are apart, in the channel in which they are most."""
    return max(
        abs(seen[m, 0] - seen[n, 0]), abs(seen[m, 1] - seen[n, 1]), abs(seen[m, 2] - seen[n, 2])
    )


@nb.njit(error_model="numpy")
def _gathered(frames, gains, shows, y, x, seen):
    """The colours of a pixel in the frames that show it, in their order and in one light; how many those are."""
    count = 0
    for n in range(frames.shape[0]):
        if shows.size == 0 or shows[n, y, x]:
            for c in range(3):
                seen[count, c] = min(np.float32(frames[n, y, x, c]) * gains[n, c], np.float32(255))
            count += 1
    return count


@nb.njit(error_model="numpy")
def _pixel(seen, y, x, out):
    """The colour of a pixel that is ``seen`` early and late, written out; whether that is unsure."""
    count = seen.shape[0]
    still = True  # nobody has ever been here: most of a picture
    for c in range(3):
        low, high, total = seen[0, c], seen[0, c], np.float32(0)
        for n in range(count):
            low, high, total = min(low, seen[n, c]), max(high, seen[n, c]), total + seen[n, c]
        still = still and high - low <= ALIKE
        out[y, x, c] = np.uint8(total / np.float32(count) + np.float32(0.5))
    if still:
        return count < LEAST_SEEN
    chosen, sure = _behind(seen)
    for c in range(3):
        total, alike = np.float32(0), 0
        for m in range(count):
            if _far(seen, m, chosen) <= ALIKE:
                total, alike = total + seen[m, c], alike + 1
        out[y, x, c] = np.uint8(total / np.float32(alike) + np.float32(0.5))
    return not sure


@nb.njit(error_model="numpy")
def _behind(seen):
    """Which frame shows what is behind all others at a pixel, and whether that is sure.

    Who comes and goes is in front of what is seen before him and after him: how early something is seen first, and how
    late it is seen last, counts as much as how often it is seen then."""
    count = seen.shape[0]
    some = max(1, count // ENDS)
    scores = np.empty(count, np.float32)
    chosen, sure = 0, False
    for n in range(count):
        if n > 0 and _far(seen, n, chosen) <= SAME:
            scores[n] = scores[chosen]
            continue
        early, late, alike, begun, ended = 0, 0, 0, count, -1
        for m in range(count):
            if _far(seen, m, n) <= ALIKE:
                alike += 1
                early += m < some
                late += m >= count - some
                if alike == 2:  # one frame alone may be noise, or somebody's rim
                    begun = m - 1
        again = 0
        for m in range(count - 1, -1, -1):
            if _far(seen, m, n) <= ALIKE:
                again += 1
                if again == 2:
                    ended = m + 1
                    break
        first = min(np.float32(1), np.float32(ENOUGH) * np.float32(early) / np.float32(some))
        last = min(np.float32(1), np.float32(ENOUGH) * np.float32(late) / np.float32(some))
        first *= max(np.float32(0), np.float32(1) - np.float32(begun) / np.float32(some))
        last *= max(np.float32(0), np.float32(1) - np.float32(count - 1 - ended) / np.float32(some))
        part = np.float32(alike) / np.float32(count)
        scores[n] = (first + last) / np.float32(2) + np.float32(OFTEN) * part
        if n == 0 or scores[n] > scores[chosen]:
            chosen = n
            sure = bool(min(first, last) >= SURE_ENDS and part >= SURE_SHARE)
    for n in range(count):  # something else that is nearly as likely
        if scores[n] > scores[chosen] - np.float32(CLEARLY) and _far(seen, n, chosen) > OTHER:
            return chosen, False
    return chosen, sure


@kernel(parallel=True)
def _plate(frames, gains, shows):
    count, height, width = frames.shape[0], frames.shape[1], frames.shape[2]
    out = np.empty((height, width, 3), np.uint8)
    unsure = np.empty((height, width), np.bool_)
    for y in nb.prange(height):
        seen = np.empty((count, 3), np.float32)
        for x in range(width):
            many = _gathered(frames, gains, shows, y, x, seen)
            unsure[y, x] = _pixel(seen[:many], y, x, out)
    return out, unsure


def clean_plate(
    frames: NDArray[np.uint8],
    fills: NDArray[np.uint8] | None = None,
    shows: NDArray[np.bool_] | None = None,
) -> CleanPlate:
    """The plate of some frames of a take, in their order. Where it is unsure it is taken from ``fills``: frames in which a
    person has seen the background there.

    Args:
        frames: (n, h, w, 3) uint8.
        fills: (m, h, w, 3) uint8.
        shows: (n + m, h, w), where each frame, and then each that fills, shows anything; everywhere if not given. One frame at
            least shows each pixel.

    >>> wall = np.full((9, 20, 20, 3), 90, np.uint8)
    >>> wall[2:8, 5, 5] = 200
    >>> clean_plate(wall).picture[5, 5].tolist()
    [90, 90, 90]
    """
    gains, everywhere = light_of(frames), np.empty((0, 0, 0), np.bool_)
    own = everywhere if shows is None else np.ascontiguousarray(shows[: len(frames)])
    picture, unsure = _plate(np.ascontiguousarray(frames), gains, own)
    if fills is not None and len(fills):
        other = light_of(np.concatenate([frames, fills]))[len(frames) :]
        for n, (one, gain) in enumerate(zip(fills, other, strict=True)):
            lit = np.clip(np.rint(one * gain), 0, 255).astype(np.uint8)
            here = unsure if shows is None else unsure & shows[len(frames) + n]
            picture[here] = lit[here]
            unsure = unsure & ~here
    return CleanPlate(picture, unsure)
