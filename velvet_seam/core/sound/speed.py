"""A sound at another speed: with the pitch that goes with it, or in its own."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.sound.decode import Sound

LOBES = 16
"""Zero crossings of the low pass on each side."""

_STEPS = 512
_AT = np.arange(LOBES * _STEPS + 2) / _STEPS
_WINDOW = np.where(_AT <= LOBES, np.cos(np.pi / 2 * np.minimum(_AT / LOBES, 1)) ** 2, 0)
_LOW_PASS = (np.sinc(_AT) * _WINDOW).astype(np.float32)
"""A windowed sinc, from its middle on, in steps of a zero crossing's 512th."""

SEGMENT, HOP, SEARCH = 2048, 1024, 640
"""Samples of a piece that is laid down, from one to the next, and how far about its place one is looked
for that goes on from the last: 43, 21 and 13 ms."""


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _sampled(sound, positions, low_pass, lobes, steps):
    out = np.zeros((positions.size, 2), np.float32)
    last = positions.size - 1
    for i in nb.prange(positions.size):
        at = positions[i]
        step = abs(positions[min(i + 1, last)] - positions[max(i - 1, 0)])
        step = step / max(min(i + 1, last) - max(i - 1, 0), 1)
        cutoff = 1.0 / max(step, 1.0)
        reach = lobes / cutoff
        left, right = np.float64(0), np.float64(0)
        for k in range(max(0, int(np.ceil(at - reach))), min(len(sound) - 1, int(at + reach)) + 1):
            place = abs(at - k) * cutoff * steps
            n = int(place)
            if n >= lobes * steps:
                continue
            share = low_pass[n] + (low_pass[n + 1] - low_pass[n]) * (place - n)
            left += sound[k, 0] * share
            right += sound[k, 1] * share
        out[i, 0] = left * cutoff
        out[i, 1] = right * cutoff
    return out


def sampled(sound: Sound, positions: NDArray[np.float64]) -> Sound:
    """A sound read at places of it, between samples too, band-limited to what its speed there allows.

    Args:
        sound: (samples, 2) float32.
        positions: for every sample of the answer, where it lies in the sound; silent outside it.

    >>> click = np.zeros((99, 2), np.float32)
    >>> click[50] = 1
    >>> sampled(click, np.arange(99, dtype=float))[50].tolist()
    [1.0, 1.0]
    """
    return np.asarray(_sampled(sound, positions, _LOW_PASS, LOBES, _STEPS))


def stretched(sound: Sound, positions: NDArray[np.float64]) -> Sound:
    """A sound as fast as ``positions`` say, in its own pitch.

    Pieces of it are laid over one another at an even pace, each taken from about where it should
    be, there where it goes on best from the piece before (WSOLA: W. Verhelst and M. Roelands, 1993).
    """
    count = positions.size
    out = np.zeros((count + SEGMENT, 2), np.float32)
    window = np.hanning(SEGMENT + 1)[:SEGMENT].astype(np.float32)[:, None]
    margin = SEGMENT + SEARCH
    padded = np.pad(sound, ((margin, margin + SEGMENT), (0, 0)))
    mono = np.ascontiguousarray(padded.mean(axis=1), np.float32)
    before: int | None = None
    for begin in range(-HOP, count, HOP):
        middle = min(max(begin + HOP, 0), count - 1)
        at = round(positions[middle]) - HOP + margin
        if not SEARCH <= at < len(mono) - SEGMENT - SEARCH:
            before = None
            continue
        if before is not None:
            follow = mono[before + HOP : before + HOP + SEGMENT]
            around = mono[at - SEARCH : at + SEARCH + SEGMENT]
            if len(follow) == SEGMENT:
                fits = cv2.matchTemplate(around[None], follow[None], cv2.TM_CCORR_NORMED)[0]
                at += int(np.argmax(fits)) - SEARCH
        piece = padded[at : at + SEGMENT] * window
        skip = max(0, -begin)
        out[begin + skip : begin + SEGMENT] += piece[skip:]
        before = at
    return out[:count]


def pitched(
    sound: Sound, positions: NDArray[np.float64], semitones: NDArray[np.float64] | float, *,
    own: bool,
) -> Sound:  # fmt: skip
    """A sound as fast as ``positions`` say, higher by some semitones than it is by itself, or, unless
    ``own``, than it becomes by its speed.

    It is made longer without another pitch, and then read as much faster as it is to be higher.

    Args:
        semitones: one number, or one for every sample.
    """
    count = positions.size
    higher = np.broadcast_to(2 ** (np.asarray(semitones, np.float64) / 12), (count,))
    read_at = np.cumsum(higher) - higher  # where each sample lies in the longer sound
    long = int(np.ceil(higher.sum())) + 1
    now = np.interp(np.arange(long), read_at, np.arange(count))
    if own:
        made = stretched(sound, np.interp(now, np.arange(count), positions))
    else:
        made = stretched(sampled(sound, positions), now)
    return sampled(made, read_at)
