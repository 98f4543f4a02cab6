"""The light of a picture against that of a clean plate of the same scene, whatever stands before it.

It is the median ratio over what differs little, in rounds, per channel.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_ROUNDS, _ACROSS, _SOME = 4, 60, 50
"""Rounds; so many pixels along the short side are looked at; so many of one kind there must be."""

_MOST_LIGHT, _MOST_TINT = 2.5, 1.6
"""How much lighter or darker a picture may be than its plate, and one channel more than another; else it is no light that
differs."""


def light_between(picture: NDArray[np.uint8], plate: NDArray[np.uint8]) -> NDArray[np.float32]:
    """By how much a picture is lighter than a plate of the same scene, per channel, robust to what
    stands before it: factors of display-referred R, G, B.

    >>> plate = np.full((64, 64, 4), 100, np.uint8)
    >>> lit = np.full((64, 64, 4), 110, np.uint8); lit[:20] = 30
    >>> light_between(lit, plate).astype(float).round(2).tolist()
    [1.1, 1.1, 1.1]
    """
    step = max(min(picture.shape[:2]) // _ACROSS, 1)
    one = picture[::step, ::step, :3].reshape(-1, 3).astype(np.float32)
    other = plate[::step, ::step, :3].reshape(-1, 3).astype(np.float32)
    usable = (other > 16) & (other < 250) & (one < 250)
    ratio = np.asarray(one / np.maximum(other, 1), np.float32)
    # what covers most of the picture would be taken for its light: so the plate's own light is tried, too
    plain = np.ones(3, np.float32)
    tried = [_refined(ratio, usable, start) for start in (plain, _medians(ratio, usable, plain))]
    gain, _ = max(tried, key=lambda found: found[1])
    likely = (
        gain.min() > 1 / _MOST_LIGHT
        and gain.max() < _MOST_LIGHT
        and gain.max() / gain.min() < _MOST_TINT
    )
    return gain if likely else plain


def _medians(
    ratio: NDArray[np.float32], of: NDArray[np.bool_], otherwise: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Of each channel, where there are some."""
    each = [ratio[of[:, c], c] for c in range(3)]
    return np.array(
        [
            np.partition(some, some.size // 2)[some.size // 2]
            if some.size >= _SOME
            else otherwise[c]
            for c, some in enumerate(each)
        ],
        np.float32,
    )


def _refined(
    ratio: NDArray[np.float32], usable: NDArray[np.bool_], gain: NDArray[np.float32]
) -> tuple[NDArray[np.float32], int]:
    """A light from the ratios of pixels that are near it, nearer in every round; and how many of them there are."""
    near, count, any_usable = 0.25, 0, usable.any(1)
    for _ in range(_ROUNDS):
        alike = any_usable & (~usable | (np.abs(ratio - gain) < near * gain)).all(1)
        count = int(alike.sum())
        gain = _medians(ratio, usable & alike[:, None], gain)
        near *= 0.7
    return gain, count
