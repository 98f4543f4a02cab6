"""What comes and goes in a scene by itself, a waving tape or leaves, told from who walks past; and the plate of a take."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.channels import most_of, sum_of
from velvet_seam.core.picture.median import median

_ROUNDS = 4


@dataclass(frozen=True)
class Flutter:
    """What comes and goes in a scene by itself, a waving tape or leaves: ``often`` (h, w) uint8, 1 where it does;
    ``dark`` and ``bright`` (h, w, 4) uint8, the two that are seen there in turn: so what lies next to each other in one of
    them is the same thing."""

    often: NDArray[np.uint8]
    dark: NDArray[np.uint8]
    bright: NDArray[np.uint8]

    def at_size(self, size: tuple[int, int]) -> Flutter:
        """The same at another width and height."""
        every = (self.often, self.dark, self.bright)
        return Flutter(
            *(
                np.asarray(cv2.resize(one, size, interpolation=cv2.INTER_LINEAR), np.uint8)
                for one in every
            )
        )

    @property
    def nbytes(self) -> int:
        return self.often.nbytes + self.dark.nbytes + self.bright.nbytes


_DIFFERS, _TURNS, _LASTS = 16, 3, 0.5
"""Levels by which a channel must differ from the plate, how often that must change, and over which part of the take: who
walks past covers a pixel for a while, and then no more."""


def flutter(pictures: list[NDArray[np.uint8]], plate: NDArray[np.uint8]) -> Flutter:
    """What comes and goes in a take, of some frames of it in their order and of its plate, (h, w, 4) uint8 each.

    >>> frames = [np.full((9, 9, 4), 200 if n % 2 else 90, np.uint8) for n in range(8)]
    >>> bool(flutter(frames, frames[0]).often.all()), bool(flutter(frames[::2], frames[0]).often.any())
    (True, False)
    """
    every = np.stack([np.asarray(cv2.blur(one, (3, 3)), np.uint8) for one in pictures])
    height, width = every.shape[1:3]
    if plate.shape[:2] != (height, width):
        plate = np.asarray(cv2.resize(plate, (width, height), interpolation=cv2.INTER_AREA))
    plate = np.asarray(cv2.blur(plate, (3, 3)), np.uint8)
    away = np.stack([most_of(cv2.absdiff(one, plate)[..., :3]) > _DIFFERS for one in every])
    turns = away[1:] != away[:-1]
    lasts = len(turns) - turns.argmax(0) - turns[::-1].argmax(0)
    comes = (turns.sum(0) >= _TURNS) & (lasts > _LASTS * len(turns))
    often = cv2.morphologyEx(comes.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    often = np.asarray(cv2.dilate(often, np.ones((5, 5), np.uint8)), np.uint8)
    dark, bright = np.array(plate, np.uint8), np.array(plate, np.uint8)
    at = often > 0
    if at.any():
        dark[at], bright[at] = _two(every[:, at])
    return Flutter(np.asarray(often, np.uint8), dark, bright)


def _two(seen: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """The two colours that pixels have in turn, of frames of them (n, m, 4) uint8: by two means, begun at the darkest and
    the brightest tenth (S. Lloyd, 1982)."""
    values = seen.astype(np.float32)
    order = np.argsort(sum_of(values[..., :3]), axis=0)
    tenth = max(len(seen) // 10, 1)
    low, high = (
        np.take_along_axis(values, order[n][None, :, None], axis=0)[0] for n in (tenth, -1 - tenth)
    )
    for _ in range(_ROUNDS):
        near = sum_of((values - low) ** 2) <= sum_of((values - high) ** 2)
        low, high = (
            (values * of[..., None]).sum(0) / np.maximum(of.sum(0), 1)[:, None]
            for of in (near, ~near)
        )
    return low.astype(np.uint8), high.astype(np.uint8)


def median_plate(pictures: list[NDArray[np.uint8]]) -> NDArray[np.uint8]:
    """The median of some frames of a take: what stands still, without what moves through it.

    >>> frames = [np.full((1, 1, 4), v, np.uint8) for v in (10, 12, 200)]
    >>> median_plate(frames)[0, 0, 0].item()
    12
    """
    return median(np.stack(pictures))
