"""*tin-waltz*: a music box in three-four time, synthesised; its beats are known."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

RATE = 48_000
TEMPO = 150
"""Beats a minute: one every 0.4 seconds, ten frames at 25 frames a second."""

BEAT = 60 / TEMPO
BARS = 12

_CHORDS = ["C", "G7", "C", "F", "C", "G7", "C", "C", "F", "C", "G7", "C"]
_NOTES = {"C": (48, 64, 67), "G7": (43, 62, 65), "F": (41, 60, 69)}
_TUNE = [
    [(0, 79), (1, 84), (2, 83)], [(0, 81), (1, 79), (2, 77)], [(0, 76), (1, 79), (2, 84)],
    [(0, 81), (1.5, 79), (2, 77)], [(0, 79), (1, 76), (2, 72)], [(0, 74), (1, 77), (2, 83)],
    [(0, 84), (1, 83), (2, 81)], [(0, 79)], [(0, 81), (1, 84), (2, 89)],
    [(0, 88), (1, 84), (2, 79)], [(0, 77), (1, 83), (2, 86)], [(0, 84)],
]  # fmt: skip


def beats() -> list[float]:
    """The true times of all beats, in seconds."""
    return [n * BEAT for n in range(3 * BARS)]


def _bell(note: float, seconds: float, loud: float, bright: float) -> NDArray[np.float64]:
    """A struck tine: a few inharmonic partials that die away, the high ones sooner."""
    t = np.arange(int(seconds * RATE)) / RATE
    f = 440 * 2 ** ((note - 69) / 12)
    out = np.zeros_like(t)
    for ratio, level, decay in ((1, 1.0, 2.6), (2.0, 0.35, 4.2), (3.93, 0.22 * bright, 8.0),
                                (6.5, 0.12 * bright, 14.0)):  # fmt: skip
        if f * ratio < RATE / 2.2:
            out += level * np.sin(2 * np.pi * f * ratio * t) * np.exp(-decay * t)
    attack = np.minimum(1, t / 0.003)
    tail = np.minimum(1, (t[-1] - t) / 0.02)
    return loud * out * attack * tail


def sound() -> NDArray[np.float32]:
    """(samples, 2) float32 at 48 kHz, about 15 seconds."""
    out = np.zeros((int((BARS * 3 * BEAT + 1.2) * RATE), 2))

    def strike(at: float, note: float, seconds: float, loud: float, bright: float, pan: float):
        tone = _bell(note, seconds, loud, bright)
        start = round(at * RATE)
        tone = tone[: len(out) - start]
        out[start : start + len(tone), 0] += tone * np.cos((pan + 1) * np.pi / 4)
        out[start : start + len(tone), 1] += tone * np.sin((pan + 1) * np.pi / 4)

    for bar, chord in enumerate(_CHORDS):
        low, *high = _NOTES[chord]
        begin = bar * 3 * BEAT
        strike(begin, low, 1.4, 0.34, 0.3, -0.1)
        strike(begin, low + 12, 1.0, 0.16, 0.5, -0.1)
        for beat in (1, 2):
            for note in high:
                strike(begin + beat * BEAT, note, 0.7, 0.10, 0.6, 0.35)
        for beat, note in _TUNE[bar]:
            strike(begin + beat * BEAT, note, 1.6, 0.26, 1.0, -0.25)
    room = np.zeros_like(out)
    for delay, level in ((0.031, 0.22), (0.053, 0.16), (0.089, 0.10)):
        n = round(delay * RATE)
        room[n:] += level * out[:-n, ::-1]
    out += room
    return (out / np.abs(out).max() * 0.7).astype(np.float32)
