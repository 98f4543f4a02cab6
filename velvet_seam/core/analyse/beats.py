"""Beats of a sound: where a foot would tap."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.analyse.onsets import HOP, risen, rises
from velvet_seam.core.sound.decode import Sound
from velvet_seam.core.timing.rate import SOUND_RATE

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


def beats(sound: Sound) -> Beats | None:
    """The beats of a sound; none where nothing begins, or too little of it is there.

    The tempo is where the onsets are most alike to themselves, weighted by how usual it is; the beats
    are the sequence that meets the strongest onsets at that pace, by dynamic programming (D. Ellis,
    *Beat Tracking by Dynamic Programming*, 2007). Each is then put where the loudness rises most.
    """
    strength = rises(sound)
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
    times = [risen(sound, int(mark) * HOP) / SOUND_RATE for mark in marks]
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
