"""Beats of a sound: where a foot would tap."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.sound.decode import Sound
from velvet_seam.core.timing.rate import SOUND_RATE

HOP = 240
"""Samples from one look to the next: 5 ms."""

WINDOW = 1024
SLOWEST, FASTEST = 50.0, 220.0
"""Beats a minute."""

USUAL, OCTAVES = 120.0, 0.9
"""The tempo that people tap by themselves, and how far others are from it."""

TIGHT = 100.0
"""How dear it is to leave the tempo, against how loud the beats are."""


@dataclass(frozen=True)
class Beats:
    """``tempo`` in beats a minute, ``times`` in seconds, ``confidence`` 0 to 1: how alike the sound is
    to itself a beat later."""

    tempo: float
    times: tuple[float, ...]
    confidence: float


def onsets(sound: Sound) -> NDArray[np.float32]:
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


def beats(sound: Sound) -> Beats | None:
    """The beats of a sound; none where nothing begins, or too little of it is there.

    The tempo is where the onsets are most alike to themselves, weighted by how usual it is; the beats
    are the sequence that meets the strongest onsets at that pace, by dynamic programming (D. Ellis,
    *Beat Tracking by Dynamic Programming*, 2007). Each is then put where the loudness rises most.
    """
    strength = onsets(sound)
    per_second = SOUND_RATE / HOP
    shortest, longest = (int(60 * per_second / tempo) for tempo in (FASTEST, SLOWEST))
    if len(strength) < 3 * longest or strength.max(initial=0) < 2:
        return None
    smooth = np.convolve(strength, np.hanning(9) / np.hanning(9).sum(), "same")
    spectrum = np.abs(np.fft.rfft(smooth - smooth.mean(), 2 * len(smooth))) ** 2
    alike = np.fft.irfft(spectrum)[: longest + 1]
    alike /= alike[0] + 1e-9
    lags = np.arange(shortest, longest + 1)
    usual = np.exp(-0.5 * (np.log2(60 * per_second / lags / USUAL) / OCTAVES) ** 2)
    period = int(lags[np.argmax(alike[lags] * usual)])
    marks = _sequence(smooth / (smooth.std() + 1e-9), period)
    times = [_risen(sound, int(mark) * HOP) / SOUND_RATE for mark in marks]
    if len(times) < 3:
        return None
    pace = float(np.median(np.diff(times)))
    return Beats(60 / pace, tuple(times), float(np.clip(alike[period], 0, 1)))


def _sequence(strength: NDArray[np.float64], period: int) -> list[int]:
    """The looks on which beats lie."""
    back = np.arange(-2 * period, -period // 2)
    dear = -TIGHT * np.log(-back / period) ** 2
    score, link = strength.copy(), np.full(len(strength), -1)
    for n in range(period // 2 + 1, len(strength)):
        at = n + back
        inside = at >= 0
        if not inside.any():
            continue
        reached = score[at[inside]] + dear[inside]
        best = int(np.argmax(reached))
        if reached[best] > 0:
            score[n] = strength[n] + reached[best]
            link[n] = at[inside][best]
    final = len(score) - period + int(np.argmax(score[-period:]))
    marks = []
    while final >= 0:
        marks.append(final)
        final = int(link[final])
    marks.reverse()
    # beats begin where two in a row are strong, not where the sound comes out of silence
    weak = 0.3 * float(np.median(strength[marks]))
    while len(marks) > 1 and strength[marks[:2]].min() < weak:
        marks.pop(0)
    while len(marks) > 1 and strength[marks[-2:]].min() < weak:
        marks.pop()
    return marks


def _risen(sound: Sound, near: int) -> float:
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
