"""Line-up in time against pairs of takes whose offset is known: by sound, and by picture.

Two recorders in one room: each hears the same through echoes of its own, at its own level, with noise of its own.
Every third pair was unseen while thresholds were set. Run by ``python -m bench.in_time``.
"""

from __future__ import annotations

import os
import statistics
import time
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.by_picture import by_picture
from velvet_seam.core.register.by_sound import RATE, by_sound

Wave = NDArray[np.float64]
PAIRS = 60


def speech(rng: np.random.Generator, count: int) -> Wave:
    """Syllables: harmonics of a gliding voice, now and then a hiss."""
    out = np.zeros(count)
    at = 0
    while True:
        long = int(rng.uniform(0.05, 0.35) * RATE)
        if at + long >= count:
            return out
        t, pitch = np.arange(long) / RATE, rng.uniform(90, 260)
        voice = sum(
            np.sin(2 * np.pi * pitch * (1 + 0.05 * np.sin(5 * t)) * h * t + rng.uniform(0, 6))
            / h**1.2
            for h in range(1, 14)
        )
        shape = np.hanning(long)
        hiss = rng.normal(0, 0.6, long) * shape if rng.random() < 0.4 else 0.0
        out[at : at + long] += (voice * shape + hiss) * rng.uniform(0.1, 0.6)
        at += long + int(rng.exponential(0.12) * RATE)


def claps(rng: np.random.Generator, count: int) -> Wave:
    out = np.zeros(count)
    for at in np.sort(rng.integers(0, count, 6)):
        long = min(4800, count - at)
        out[at : at + long] += rng.normal(0, 1, long) * np.exp(-np.arange(long) / 600)
    return out


def surf(rng: np.random.Generator, count: int) -> Wave:
    noise = np.convolve(rng.normal(0, 1, count), np.hanning(9), "same")
    return np.asarray(noise * (1 + np.sin(np.arange(count) / RATE * 2 * np.pi * 0.7)))


def plucked(rng: np.random.Generator, count: int) -> Wave:
    """A tune of plucked strings, its bars alike but for some notes."""
    out = np.zeros(count)
    scale = 220 * 2 ** (np.array([0, 2, 4, 5, 7, 9, 11, 12]) / 12)
    beat = int(rng.uniform(0.18, 0.4) * RATE)
    for at in range(0, count - beat, beat):
        pitch = scale[int(rng.integers(len(scale)))]
        long = min(3 * beat, count - at)
        t = np.arange(long) / RATE
        out[at : at + long] += np.exp(-6 * t) * sum(
            np.sin(2 * np.pi * pitch * h * t) / h for h in (1, 2, 3, 4)
        )
    return out


KINDS: tuple[Callable[[np.random.Generator, int], Wave], ...] = (speech, plucked, claps, surf)


def heard(
    sound: Wave, rng: np.random.Generator, decibel: float, loss: float = 0.05
) -> NDArray[np.float32]:
    """Through a room, with noise so many decibel below it."""
    long = int(0.3 * RATE)
    echo = rng.normal(0, 1, long) * np.exp(-np.arange(long) / (long / 6.9))
    echo *= 0.075 / np.sqrt((echo**2).sum() / loss)
    room = np.zeros(long + 200)
    room[int(rng.integers(20, 200)) :][:long] = echo[: len(room[0:][:long])]
    room[0] = 1
    size = 1 << int(np.ceil(np.log2(len(sound) + len(room))))
    out = np.fft.irfft(np.fft.rfft(sound, size) * np.fft.rfft(room, size), size)[: len(sound)]
    noise = np.convolve(rng.normal(0, 1, len(out)), [0.5, 0.3, 0.2], "same")
    noise *= np.sqrt((out**2).mean() / (noise**2).mean()) * 10 ** (-decibel / 20)
    both = out + noise
    return np.asarray(both / np.abs(both).max() * rng.uniform(0.05, 0.9), np.float32)


def pair(
    seed: int, decibel: float, unrelated: bool = False
) -> tuple[NDArray[np.float32], NDArray[np.float32], int]:
    """Two takes, and the truth in samples: what is at t in the first is at t + truth in the second."""
    rng = np.random.default_rng(seed)
    count = int(rng.uniform(6, 25) * RATE)
    kind = KINDS[seed % 4]
    sound = kind(np.random.default_rng(seed + 100), count)
    other = kind(np.random.default_rng(seed + 900), count) if unrelated else sound
    long = int(0.6 * count)
    begin, begin_other = (int(one) for one in rng.integers(0, count - long, 2))
    first = heard(sound[begin : begin + long], rng, decibel)
    second = heard(other[begin_other : begin_other + long], rng, decibel)
    return first, second, begin - begin_other


def by_ear() -> None:
    for unseen in (False, True):
        seeds = [n for n in range(PAIRS) if (n % 3 == 2) == unseen]
        print(f"  {'unseen' if unseen else 'seen'}: {len(seeds)} pairs")
        for decibel in (20, 10, 3, 0):
            off, unsure, wrong, cpu, none = [], 0, 0, [], 0
            for seed in seeds:
                first, second, truth = pair(seed, decibel)
                begun = time.process_time()
                found = by_sound(first, second)
                cpu.append(time.process_time() - begun)
                if not found.found:
                    none += 1
                    continue
                off.append(abs(found.offset * RATE - truth))
                unsure += not found.sure
                wrong += found.sure and off[-1] > RATE / 25
            off.sort()
            print(f"    {decibel:3d} dB: median {statistics.median(off):.2f} samples, 95 % {off[int(0.95 * (len(off) - 1))]:.2f}, "
                  f"worst {off[-1]:.1f}; refused {none}, unsure {unsure}, sure and wrong {wrong}; CPU {1000 * statistics.median(cpu):.0f} ms")  # fmt: skip
        lost = [by_sound(*pair(seed, 10, unrelated=True)[:2]) for seed in seeds]
        print(f"    unrelated: refused {sum(not one.found for one in lost)} of {len(lost)}, unsure "
              f"{sum(one.found and not one.sure for one in lost)}, sure {sum(one.found and one.sure for one in lost)}")  # fmt: skip


def moved(rng: np.random.Generator, count: int) -> NDArray[np.float64]:
    """How much moves from frame to frame where somebody gestures: bursts of all lengths."""
    out = np.full(count, 0.1)
    at = 0
    while at < count:
        long = int(rng.integers(3, 30))
        part = slice(at, min(at + long, count))
        out[part] += rng.gamma(1.2, 1.2) * np.hanning(long + 2)[1:-1][: part.stop - at]
        at += long + int(rng.integers(0, 20))
    return out


def by_eye() -> None:
    for unseen in (False, True):
        seeds = [n for n in range(PAIRS) if (n % 3 == 2) == unseen]
        right = unsure = wrong = none = 0
        for seed in seeds:
            rng = np.random.default_rng([7, seed])
            count = int(rng.integers(120, 600))
            curve = moved(rng, count)
            long = int(0.6 * count)
            a, b = (int(one) for one in rng.integers(0, count - long, 2))
            takes = [
                (curve[at : at + long] * rng.uniform(0.4, 2.5) + rng.uniform(0, 0.3))
                * rng.lognormal(0, 0.25, long)
                for at in (a, b)
            ]
            found = by_picture(takes[0], takes[1], 25.0)
            if not found.found:
                none += 1
            elif abs(found.offset * 25 - (a - b)) < 1:
                right += 1
            elif found.sure:
                wrong += 1
            unsure += found.found and not found.sure
        other = [
            by_picture(
                moved(np.random.default_rng([8, s]), 200),
                moved(np.random.default_rng([9, s]), 200),
                25.0,
            )
            for s in seeds
        ]
        print(f"  {'unseen' if unseen else 'seen'}: right {right} of {len(seeds)}, refused {none}, unsure {unsure}, sure and wrong {wrong}; "
              f"unrelated: {sum(one.found for one in other)} of {len(other)} found, {sum(one.found and one.sure for one in other)} sure")  # fmt: skip


def main() -> None:
    print(f"Line-up in time; load {os.getloadavg()[0]:.1f}")
    print("by sound")
    by_ear()
    print("by picture")
    by_eye()


if __name__ == "__main__":
    main()
