"""A sound at another speed: with the pitch that goes with it, or in its own.

What is made here is asked for a stretch at a time and in order, so that a sound of hours takes no more room than
one of seconds.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
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

Positions = Callable[[int, int], NDArray[np.float64]]
"""For the samples from one number up to another of an answer, where each lies in what it is made of."""


class Source(Protocol):
    """A sound, of which any stretch can be had."""

    @property
    def length(self) -> int | None:
        """Samples; None where it goes on for ever."""

    def take(self, first: int, end: int) -> Sound:
        """(end − first, 2) float32; silent where there is nothing, also before 0."""


class Recorded:
    """A sound as it was recorded; with ``again``, its first so many samples over and over."""

    def __init__(self, sound: Sound, again: int | None = None) -> None:
        self._sound, self._again = sound, again
        self.length = None if again else len(sound)

    def take(self, first: int, end: int) -> Sound:
        """
        >>> ramp = np.arange(4, dtype=np.float32)[:, None].repeat(2, 1)
        >>> Recorded(ramp).take(-1, 2)[:, 0].tolist(), Recorded(ramp, 5).take(3, 7)[:, 0].tolist()
        ([0.0, 0.0, 1.0], [3.0, 0.0, 0.0, 1.0])
        """
        out = np.zeros((end - first, 2), np.float32)
        if self._again:
            places = np.arange(first, end) % self._again
            there = places < len(self._sound)
            out[there] = self._sound[places[there]]
            return out
        begin, stop = max(first, 0), min(end, len(self._sound))
        if stop > begin:
            out[begin - first : stop - first] = self._sound[begin:stop]
        return out


class Sampled:
    """A source read at places of it, between samples too, band-limited to what its speed there allows."""

    def __init__(self, source: Source, positions: Positions, count: int) -> None:
        self._source, self._positions, self.length = source, positions, count

    def take(self, first: int, end: int) -> Sound:
        out = np.zeros((end - first, 2), np.float32)
        begin, stop = max(first, 0), min(end, self.length)
        if stop <= begin:
            return out
        # its neighbours say how fast it runs at the outer samples, too
        lead, tail = min(1, begin), min(1, self.length - stop)
        places = self._positions(begin - lead, stop + tail)
        fastest = float(np.abs(np.diff(places)).max(initial=1.0))
        reach = int(LOBES * max(fastest, 1.0)) + 2
        low, high = int(np.floor(places.min())) - reach, int(np.ceil(places.max())) + reach + 1
        made = sampled(self._source.take(low, high), places - low)
        out[begin - first : stop - first] = made[lead : lead + stop - begin]
        return out


class Stretched:
    """A source as fast as its positions say, in its own pitch.

    Pieces of it are laid over one another at an even pace, each taken from about where it should
    be, there where it goes on best from the piece before (WSOLA: W. Verhelst and M. Roelands, 1993).
    A stretch may begin no earlier than the one asked for before.
    """

    def __init__(self, source: Source, positions: Positions, count: int) -> None:
        self._source, self._positions, self.length = source, positions, count
        self._window = np.hanning(SEGMENT + 1)[:SEGMENT].astype(np.float32)[:, None]
        self._before: int | None = None
        self._begin = -HOP  # of the next piece
        self._from = -HOP  # of what is held
        self._held = np.zeros((SEGMENT, 2), np.float32)

    def take(self, first: int, end: int) -> Sound:
        while self._begin < min(end, self.length):
            self._lay()
        out = np.zeros((end - first, 2), np.float32)
        begin, stop = max(first, self._from, 0), min(end, self.length)
        if stop > begin:
            out[begin - first : stop - first] = self._held[begin - self._from : stop - self._from]
        self._let_go(first)
        return out

    def _lay(self) -> None:
        begin = self._begin
        self._begin += HOP
        rest = begin - self._from + SEGMENT - len(self._held)
        if rest > 0:
            self._held = np.concatenate([self._held, np.zeros((rest, 2), np.float32)])
        middle = min(max(begin + HOP, 0), self.length - 1)
        at = round(float(self._positions(middle, middle + 1)[0])) - HOP
        known = self._source.length
        if at < -SEGMENT or (known is not None and at >= known + SEGMENT):
            self._before = None
            return
        if self._before is not None:
            follow = _mono(self._source.take(self._before + HOP, self._before + HOP + SEGMENT))
            around = _mono(self._source.take(at - SEARCH, at + SEARCH + SEGMENT))
            fits = cv2.matchTemplate(around[None], follow[None], cv2.TM_CCORR_NORMED)[0]
            at += int(np.argmax(fits)) - SEARCH
        piece = self._source.take(at, at + SEGMENT) * self._window
        self._held[begin - self._from : begin - self._from + SEGMENT] += piece
        self._before = at

    def _let_go(self, first: int) -> None:
        """What lies before a stretch is not asked for again."""
        gone = min(first, self._begin) - self._from
        if gone > 1 << 16:
            self._held = self._held[gone:].copy()
            self._from += gone


def _mono(sound: Sound) -> NDArray[np.float32]:
    return np.ascontiguousarray(sound.mean(axis=1), np.float32)


class Pitched:
    """A source as fast as its positions say, higher by some semitones than it is by itself, or, unless
    ``own``, than it becomes by its speed.

    It is made longer without another pitch, and then read as much faster as it is to be higher.
    """

    STRIDE = 4800
    """Samples from one known place in the longer sound to the next."""

    def __init__(
        self, source: Source, positions: Positions, count: int,
        semitones: Callable[[int, int], NDArray[np.float64]], *, own: bool,
    ) -> None:  # fmt: skip
        self.length, self._semitones = count, semitones
        places = [0.0]
        for first in range(0, count, self.STRIDE):
            places.append(places[-1] + float(self._higher(first, first + self.STRIDE).sum()))
        self._places = np.array(places)
        long = int(np.ceil(places[-1])) + 1

        def now(first: int, end: int) -> NDArray[np.float64]:
            """For samples of the longer sound, at which sample of the answer they are read."""
            strides = len(places) - 2
            low = min(max(int(np.searchsorted(self._places, first, "right")) - 1, 0), strides)
            high = (int(np.searchsorted(self._places, end, "left")) + 1) * self.STRIDE
            low *= self.STRIDE
            samples = np.arange(low, min(high, count))
            return np.interp(np.arange(first, end), self._read_at(low, len(samples)), samples)

        if own:
            inner: Source = source

            def there(first: int, end: int) -> NDArray[np.float64]:
                when = now(first, end)
                low, high = int(when.min()), int(when.max()) + 2
                near = np.arange(low, min(high, count))
                return np.interp(when, near, positions(low, low + len(near)))
        else:
            inner, there = Sampled(source, positions, count), now
        longer = Stretched(inner, there, long)
        self._out = Sampled(longer, lambda first, end: self._read_at(first, end - first), count)

    def _higher(self, first: int, end: int) -> NDArray[np.float64]:
        """How much faster the longer sound is read at each sample."""
        return np.asarray(2 ** (self._semitones(first, min(end, self.length)) / 12))

    def _read_at(self, first: int, count: int) -> NDArray[np.float64]:
        """Where samples of the answer lie in the longer sound."""
        stride = first // self.STRIDE
        higher = self._higher(stride * self.STRIDE, first + count)
        places = self._places[stride] + np.cumsum(higher) - higher
        return np.asarray(places[first - stride * self.STRIDE :])

    def take(self, first: int, end: int) -> Sound:
        return self._out.take(first, end)


@kernel(parallel=True)
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
