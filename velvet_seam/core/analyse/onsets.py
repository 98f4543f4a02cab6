"""Where something begins in a sound, and where it is loud."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.sound.decode import Sound
from velvet_seam.core.timing.rate import SOUND_RATE

HOP = 240
"""Samples from one look to the next: 5 ms."""

WINDOW = 1024

LEAST = 1.5
"""How strong an onset is at least, in units of the spread of :func:`rises`."""

APART = 0.08
"""Seconds between two onsets at least."""

HISS = 2400
"""Samples by which it is known how loud an onset is: 50 ms."""

LOUD = 0.5
"""How loud a peak is at least, of the loudest: 6 dB below it."""

AROUND = 0.15
"""Seconds to either side in which nothing is louder than a peak."""


def rises(sound: Sound) -> NDArray[np.float32]:
    """How strongly something begins, for every :data:`HOP` samples: the rise of the loudness, in all
    bands together (spectral flux), above its surroundings, in units of its own spread."""
    mono = np.pad(sound.mean(axis=1), (WINDOW // 2, WINDOW))
    count = max(1, len(sound) // HOP)
    window = np.hanning(WINDOW).astype(np.float32)
    before: NDArray[np.float32] | None = None
    rise = np.zeros(count, np.float32)
    for first in range(0, count, 2048):  # a few seconds at a time
        at = np.arange(first, min(first + 2048, count))
        pieces = np.lib.stride_tricks.sliding_window_view(mono, WINDOW)[at * HOP] * window
        loud = np.log1p(100 * np.abs(np.fft.rfft(pieces, axis=1))).astype(np.float32)
        silent = np.zeros_like(loud[:1])
        earlier = np.vstack([silent if before is None else before[None], loud[:-1]])
        rise[at] = np.maximum(loud - earlier, 0).sum(axis=1)
        before = loud[-1]
    wide = SOUND_RATE // HOP // 2
    around = np.convolve(
        np.pad(rise, wide, mode="edge"), np.ones(2 * wide + 1) / (2 * wide + 1), "valid"
    )
    rise = np.maximum(rise - around, 0)
    return np.asarray(rise / (rise.std() + 1e-9), np.float32)


def _most_around(values: NDArray[Any], near: int) -> NDArray[Any]:
    """The most there is of something within so many places of each."""
    padded = np.pad(values, near)
    return np.asarray(np.lib.stride_tricks.sliding_window_view(padded, 2 * near + 1).max(axis=1))


def onsets(sound: Sound) -> list[float]:
    """Seconds at which something begins: a note, a strike, a word.

    The strongest of :func:`rises` in their surroundings, each put where the loudness rises most.
    """
    strength = rises(sound)
    near = round(APART * SOUND_RATE / HOP)
    most = _most_around(strength, near)
    looks = np.flatnonzero((strength >= most) & (strength > LEAST))
    times: list[float] = []
    for look in looks:
        time = risen(sound, int(look) * HOP) / SOUND_RATE
        if not times or time - times[-1] >= APART / 2:
            times.append(time)
    # a recording that only begins there, with its hiss, is no onset
    loud = [float(np.abs(sound[round(t * SOUND_RATE) :][:HISS]).max(initial=0)) for t in times]
    if len(times) > 1 and times[0] < APART and loud[0] < 0.25 * float(np.median(loud[1:])):
        times.pop(0)
    return times


def peaks(sound: Sound) -> list[float]:
    """Seconds of the loud moments: the middles of the twentieths of a second that are louder than all
    around them and at least half as loud as the loudest.

    >>> sound = np.zeros((96_000, 2), np.float32)
    >>> sound[24_000:26_400], sound[72_000:74_400], sound[40_000:42_400] = 0.8, 0.5, 0.1
    >>> [round(time, 1) for time in peaks(sound)]
    [0.5, 1.5]
    """
    hop = SOUND_RATE // 100
    count = len(sound) // hop
    if count < 5:
        return []
    power = (
        (sound[: count * hop].astype(np.float64) ** 2).mean(axis=1).reshape(count, hop).mean(axis=1)
    )
    level = np.sqrt(np.convolve(power, np.ones(5) / 5, "same"))
    near = round(AROUND * SOUND_RATE / hop)
    most = _most_around(level, near)
    found = np.flatnonzero((level >= most) & (level >= LOUD * level.max()) & (level > 1e-4))
    kept: list[int] = []
    for look in found.tolist():  # of a level that is held, the first moment
        if not kept or look - kept[-1] > near:
            kept.append(look)
    return [(look + 0.5) * hop / SOUND_RATE for look in kept]


def risen(sound: Sound, near: int) -> float:
    """The sample near a place from which the loudness rises most."""
    reach, short = 1200, 96  # 25 and 2 ms
    first = max(0, near - reach)
    # differences: an attack is brighter than what still rings
    loud = np.abs(np.diff(sound[first : near + reach], axis=0)).max(axis=1)
    if len(loud) < 4 * short:
        return float(near)
    level = np.convolve(loud, np.ones(short) / short, "same")
    rise = level[short:] - level[:-short]
    closer = np.hanning(len(rise) + 2)[1:-1]
    most = int(np.argmax(rise * closer))
    peak = float(level[most : most + 2 * short].max())
    floor = float(level[max(0, most - 4 * short) : most + 1].min())
    low = np.flatnonzero(level[: most + short] <= floor + 0.1 * (peak - floor))
    return float(first + (low[-1] if len(low) else most))
