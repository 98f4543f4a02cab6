"""Two takes lined up in time by what is heard in both: to a sample."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.in_time import InTime, nothing

Mono = NDArray[np.float32]

RATE = 48_000
COARSE = 4
"""The whole is compared at a quarter of the rate."""

LOW, HIGH = 120.0, 4500.0
"""Hz: between rumble and hiss."""

SOFT = 0.3
"""How much of the spectrum's own shape is left: whitened wholly, what is only noise would count as much as sound."""

QUIET = 3e-4
"""Of full scale, root mean square: what is quieter is silent."""

LEAST = 0.4
"""Seconds that a take must last."""

APART = 0.012
"""Seconds: peaks nearer than this are one, with its echoes."""

CLEAR, SURE = 1.15, 2.2
"""How much higher the highest peak must be than the next to be believed, and to be sure of."""

STANDS_OUT, SURELY = 7.0, 9.0
"""Times the spread of all that is no peak, for the same."""

LEAST_OVERLAP = 0.25
"""Of the shorter take: where less overlaps, a likeness counts less."""

WINDOW = 20
"""Seconds that are looked at again to the sample."""


def by_sound(first: Mono, second: Mono) -> InTime:
    """When the second take sounds as the first does.

    Generalised cross-correlation with a softened phase transform (C. Knapp and G. Carter, 1976): of the whole at
    12 kHz, then, where both are loudest together, at 48 kHz, and between samples by a parabola.

    Args:
        first, second: mono at 48 kHz, full scale at ±1.

    >>> noise = np.random.default_rng(1).normal(0, 0.1, 96_000).astype(np.float32)
    >>> found = by_sound(noise[4800:], noise)
    >>> round(found.offset, 6), found.sure
    (0.1, True)
    """
    if min(len(first), len(second)) < LEAST * RATE:
        return nothing("silent" if not len(first) or not len(second) else "short")
    if min(_loud(first), _loud(second)) < QUIET:
        return nothing("silent")
    small = [_decimated(one) for one in (first, second)]
    whole, zero = _correlated(small[0], small[1], RATE / COARSE)
    whole = whole / _overlap(len(small[0]), len(small[1]))
    spread = 1.4826 * float(np.median(np.abs(whole)))
    at = int(whole.argmax())
    best = float(whole[at])
    near = round(APART * RATE / COARSE)
    rest = whole.copy()
    rest[max(0, at - near) : at + near + 1] = -np.inf
    beside = int(rest.argmax())
    ratio = best / max(float(rest[beside]), 1e-9)
    stands = best / max(spread, 1e-12)
    if ratio < CLEAR or stands < STANDS_OUT:
        return nothing("common")
    offset = (at - zero) * COARSE
    sure = ratio >= SURE and stands >= SURELY
    exact = _exactly(first, second, offset)
    likeness = min(1.0, (ratio - 1) / (SURE - 1) / 2 + 0.25)
    other = None if sure else (beside - zero) * COARSE / RATE
    return InTime(exact / RATE, sure, other, likeness)


def _loud(sound: Mono) -> float:
    return float(np.sqrt(np.mean(np.square(sound, dtype=np.float64))))


def _decimated(sound: Mono) -> NDArray[np.float64]:
    """At a quarter of the rate; what lies above a quarter of the band is cut off by a windowed sinc."""
    n = np.arange(-24, 25)
    taps = np.sinc(n / COARSE * 0.9) * np.hamming(len(n))
    taps /= taps.sum()
    return np.asarray(np.convolve(sound, taps, "same")[::COARSE], np.float64)


def _correlated(
    first: NDArray[np.float64], second: NDArray[np.float64], rate: float
) -> tuple[NDArray[np.float64], int]:
    """How alike two sounds are at every offset of the second, and which place is offset 0."""
    size = _good_size(len(first) + len(second))
    a, b = np.fft.rfft(first - first.mean(), size), np.fft.rfft(second - second.mean(), size)
    cross = np.conj(a) * b
    strength = np.abs(cross)
    around = _mean_around(strength, max(3, round(size * 40 / rate)))
    hertz = np.fft.rfftfreq(size, 1 / rate)
    band = (hertz > LOW) & (hertz < min(HIGH, rate * 0.45))
    weighted = np.where(band, cross / (strength + SOFT * around + 1e-12), 0)
    whole = np.fft.irfft(weighted, size)
    back = len(first) - 1
    return np.concatenate([whole[size - back :], whole[: len(second)]]), back


def _overlap(first: int, second: int) -> NDArray[np.float64]:
    """What a likeness is to be divided by at each offset, so that what repeats itself is as like everywhere."""
    offset = np.arange(1 - first, second)
    long = np.minimum(first, second - offset) - np.maximum(0, -offset)
    return np.asarray(np.sqrt(np.clip(long / min(first, second), LEAST_OVERLAP, 1)))


def _good_size(least: int) -> int:
    """The next size whose transform is quick: 2, 3 and 5 alone divide it."""
    size = least
    while True:
        left = size
        for prime in (2, 3, 5):
            while left % prime == 0:
                left //= prime
        if left == 1:
            return size
        size += 1


def _mean_around(values: NDArray[np.float64], width: int) -> NDArray[np.float64]:
    sums = np.concatenate([[0.0], np.cumsum(values)])
    at = np.arange(len(values))
    low, high = np.maximum(at - width // 2, 0), np.minimum(at + width // 2 + 1, len(values))
    return np.asarray((sums[high] - sums[low]) / (high - low))


def _exactly(first: Mono, second: Mono, offset: int) -> float:
    """An offset in samples, to a part of one, near one that is known to four."""
    begin, end = max(0, -offset), min(len(first), len(second) - offset)
    if end - begin < RATE // 8:
        return float(offset)
    a = first[begin:end].astype(np.float64)
    b = second[begin + offset : end + offset].astype(np.float64)
    length = min(len(a), WINDOW * RATE)
    if len(a) > length:  # where both are loud together
        both = np.cumsum(np.concatenate([[0.0], np.abs(a * b)]))
        at = int((both[length:] - both[:-length]).argmax())
        a, b = a[at : at + length], b[at : at + length]
    whole, zero = _correlated(a, b, RATE)
    reach = RATE // 200
    near = whole[zero - reach : zero + reach + 1]
    at = int(near.argmax())
    part = 0.0
    if 0 < at < len(near) - 1:
        low, top, high = near[at - 1 : at + 2]
        bend = low - 2 * top + high
        part = 0.5 * (low - high) / bend if bend < 0 else 0.0
    return offset + at - reach + float(part)
