"""*drum-roll*, *sheet-thunder*, *squeak*: what a puppet theatre keeps in a drawer, synthesised."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

RATE = 48_000
HIT = 2.4
"""Seconds into the roll at which it ends in one stroke."""


def _time(seconds: float) -> NDArray[np.float64]:
    return np.arange(round(RATE * seconds)) / RATE


def _even(
    left: NDArray[np.float64], right: NDArray[np.float64], peak: float
) -> NDArray[np.float32]:
    out = np.stack([left, right], 1)
    return np.asarray(peak * out / np.abs(out).max(), np.float32)


def drum_roll() -> NDArray[np.float32]:
    """(samples, 2) float32 at 48 kHz: strokes that come faster and louder, and a last one."""
    rng, out = np.random.default_rng(12), np.zeros(round(RATE * 3.2))
    times, at, apart = list[float](), 0.05, 0.085
    while at < HIT - 0.05:
        times.append(at)
        at, apart = at + apart * rng.uniform(0.9, 1.1), max(0.038, apart * 0.98)
    for when, loud in [*((w, 0.16 + 0.4 * w / HIT) for w in times), (HIT, 1.5)]:
        t = _time(0.6 if loud > 1 else 0.2)
        skin = np.sin(2 * np.pi * (150 * t + 18 * (1 - np.exp(-t * 40)))) * np.exp(
            -t * (9 if loud > 1 else 26)
        )
        wires = rng.normal(0, 1, t.size) * np.exp(-t * (11 if loud > 1 else 34)) * 0.5
        first = round(when * RATE)
        stroke = (loud * (skin + wires))[: out.size - first]
        out[first : first + stroke.size] += stroke
    return _even(out, np.roll(out, 31), 0.85)


def sheet_thunder() -> NDArray[np.float32]:
    """The same: a sheet of tin that is shaken."""
    rng, t = np.random.default_rng(13), _time(3.6)
    noise = np.fft.rfft(rng.normal(0, 1, t.size))
    pitch = np.fft.rfftfreq(t.size, 1 / RATE)
    body = np.fft.irfft(noise / (1 + (pitch / 90) ** 1.5) * (pitch > 24), t.size)
    shake = np.abs(np.sin(2 * np.pi * (5.2 * t - 0.4 * t * t))) ** 0.6
    loud = np.minimum(t / 0.05, 1) * np.exp(-t * 0.75) * (0.35 + 0.65 * shake)
    ring = sum(
        np.sin(2 * np.pi * f * t + 3 * np.sin(2 * np.pi * 5 * t)) / n
        for n, f in enumerate((171, 263, 407, 588), 2)
    )
    out = body / np.abs(body).max() * loud + 0.05 * ring * loud
    return _even(out, np.roll(out, 240) * 0.9, 0.85)


def squeak() -> NDArray[np.float32]:
    """The same: a hinge, three times."""
    out = np.zeros(round(RATE * 1.1))
    for when, low, high, long in (
        (0.05, 900, 1500, 0.22),
        (0.38, 1000, 1750, 0.18),
        (0.66, 1250, 820, 0.34),
    ):
        t = _time(long)
        pitch = low + (high - low) * (t / long) ** 0.7 + 40 * np.sin(2 * np.pi * 43 * t)
        phase = 2 * np.pi * np.cumsum(pitch) / RATE
        rough = 0.7 + 0.3 * np.sign(np.sin(2 * np.pi * 86 * t))
        tone = (np.sin(phase) + 0.4 * np.sin(2.01 * phase) + 0.2 * np.sin(3.03 * phase)) * rough
        first = round(when * RATE)
        out[first : first + t.size] += tone * np.sin(np.pi * t / long) ** 0.6
    return _even(out, np.roll(out, 12), 0.6)
