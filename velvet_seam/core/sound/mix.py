"""The mix of a shot: sample-exact, and the same for play and for the render."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.shot.layer import Heard, Span, TimeMap
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sound.decode import Sound
from velvet_seam.core.sound.speed import Pitched, Positions, Recorded, Sampled, Source, Stretched
from velvet_seam.core.timing.animated import Animated, Keyframes
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.rate import SOUND_RATE, frames_to_samples

BLOCK = 1 << 18
"""Samples that are mixed at a time: some five seconds."""

Heights = NDArray[np.float64] | float


@dataclass(frozen=True)
class Sounds:
    """What the mix asks of footage.

    Args:
        sound: the decoded sound of a footage id, or None where it has none.
        length: seconds after which footage begins again where it is looped. What a file claims of itself
            may be anything; a sound by itself is as long as what there is of it.
    """

    sound: Callable[[str], Sound | None]
    length: Callable[[str], Fraction]


def mix(shot: Shot, sounds: Sounds, only: Collection[str] = ()) -> Sound:
    """All of :func:`mixed` in one piece: (samples, 2) float32."""
    blocks = list(mixed(shot, sounds, only))
    return np.concatenate(blocks) if len(blocks) > 1 else blocks[0]


def mixed(shot: Shot, sounds: Sounds, only: Collection[str] = ()) -> Iterator[Sound]:
    """All sounds of a shot, a block after the other, together as long as the shot, limited to ±1. However
    long it is, no more than some blocks are held.

    Args:
        only: ids of the only layers and sounds that are heard, where any are given.

    A sound's first sample lies exactly on the sample at which its first frame begins. Sounds of
    hidden layers are heard neither.
    """
    length = frames_to_samples(shot.length, shot.rate)
    voices = [voice for voice in _voices(shot, sounds, only) if voice.first < length]
    for begin in range(0, length, BLOCK):
        out = np.zeros((min(BLOCK, length - begin), 2), np.float32)
        for voice in voices:
            voice.lay(out, begin)
        yield np.clip(out, -1, 1, out=out)


def _voices(shot: Shot, sounds: Sounds, only: Collection[str]) -> Iterator[_Voice]:
    heard: list[tuple[str, str, Span, TimeMap, Heard]] = [
        (layer.id, shows, layer.span, layer.time, layer.sound)
        for layer in shot.layers
        if (shows := layer.source.shows) is not None and layer.sound.on and not layer.hidden
    ]
    heard += [(one.id, one.footage, one.span, one.time, one) for one in shot.sounds if one.on]
    for identity, footage, span, time, how in heard:
        if only and identity not in only:
            continue
        sound = sounds.sound(footage)
        if sound is not None and len(sound):
            yield _Voice(shot, sound, sounds.length(footage), span, time, how)


class _Voice:
    """One thing that is heard, from the first sample of its span on."""

    def __init__(
        self, shot: Shot, sound: Sound, length: Fraction, span: Span, time: TimeMap, heard: Heard
    ) -> None:
        self._shot, self._span, self._heard = shot, span, heard
        self.first = frames_to_samples(span.first, shot.rate)
        self._count = frames_to_samples(span.last + 1, shot.rate) - self.first
        self._source = self._read(sound, time, max(1, round(length * SOUND_RATE)))

    def lay(self, out: Sound, begin: int) -> None:
        """Add what is heard of it to a block that begins at a sample of the mix."""
        first = max(begin - self.first, 0)
        end = min(begin + len(out) - self.first, self._count)
        if end <= first:
            return
        level = self._level(first, end)
        at = self.first + first - begin
        out[at : at + end - first] += self._source.take(first, end) * level

    def _read(self, sound: Sound, time: TimeMap, whole: int) -> Source:
        """The sound in its clip's own time, counted from the first sample of the span."""
        pitch = self._heard.pitch
        plain = time.speed == 100 and time.ends == "hold" and time.source_in >= 0
        stays = time.sound == "stay"
        begin = time.source_in + (time.ahead if stays else 0)
        if (plain or stays) and pitch == 0:
            return _Later(Recorded(sound), round(begin * SOUND_RATE))
        run = TimeMap(source_in=begin) if stays else time
        positions = self._positions(run)
        source = Recorded(sound, whole if time.ends == "loop" else None)
        if time.ends == "bounce":
            straight = positions
            positions = lambda a, b: np.abs((straight(a, b) + whole) % (2 * whole) - whole)  # noqa: E731
        if pitch != 0:
            own = time.sound != "follow"
            return Pitched(source, positions, self._count, self._semitones, own=own)
        how = Stretched if time.sound == "keep-pitch" else Sampled
        return how(source, positions, self._count)

    def _positions(self, time: TimeMap) -> Positions:
        """Where samples of the span lie in the source: exact at every frame, straight between."""
        shot, span = self._shot, self._span

        def positions(first: int, end: int) -> NDArray[np.float64]:
            frames = self._frames(first, end)
            at = [frames_to_samples(span.first + n, shot.rate) - self.first for n in frames]
            there = [float(time.at(n, shot.rate) * SOUND_RATE) for n in frames]
            return np.interp(np.arange(first, end), at, there)

        return positions

    def _frames(self, first: int, end: int) -> range:
        """The frames of the span about some samples of it."""
        low = int(first * self._shot.rate / SOUND_RATE) - 1
        high = int(end * self._shot.rate / SOUND_RATE) + 2
        return range(max(low, 0), min(high, self._span.length) + 1)

    def _semitones(self, first: int, end: int) -> NDArray[np.float64]:
        heights = self._along(self._heard.pitch, first, end)
        return np.broadcast_to(np.asarray(heights, np.float64), (end - first,))

    def _level(self, first: int, end: int) -> Sound | np.float32:
        """Gain and fades as a factor: one number, or a column."""
        heard = self._heard
        level = self._along(heard.gain, first, end, lambda decibels: 10 ** (decibels / 20))
        if heard.fade_in == 0 and heard.fade_out == 0:
            return _column(level)
        # a quarter of a sine, so that two that cross are as loud together as one
        per = float(SOUND_RATE / self._shot.rate)
        begun = np.arange(first, end) + 0.5
        left = self._span.length * per - begun + heard.faded_out * per
        for frames, away in ((heard.fade_in, begun + heard.faded_in * per), (heard.fade_out, left)):
            if frames != 0:
                over = np.maximum(self._along(frames, first, end), 1e-9) * per
                level = level * np.sin(np.pi / 2 * np.clip(away / over, 0, 1))
        return _column(level)

    def _along(
        self, value: Animated, first: int, end: int,
        made: Callable[[float], float] = lambda one: one,
    ) -> Heights:  # fmt: skip
        """What is made of a value, straight from frame to frame; one number where it stands still."""
        if not isinstance(value, Keyframes):
            return made(value)
        shot, frames = self._shot, self._frames(first, end)
        at = [frames_to_samples(n, shot.rate) for n in frames]
        return np.interp(np.arange(first, end), at, [made(At(n)(value)) for n in frames])


class _Later:
    """A source from a sample of it on."""

    def __init__(self, source: Source, skip: int) -> None:
        self._source, self._skip = source, skip
        self.length = source.length

    def take(self, first: int, end: int) -> Sound:
        return self._source.take(first + self._skip, end + self._skip)


def _column(level: Heights) -> Sound | np.float32:
    return np.float32(level) if isinstance(level, float) else np.asarray(level, np.float32)[:, None]


MOST_WAV = 2**32 - 4096
"""Bytes that the head of a WAV file can speak of."""


def wav_head(samples: int) -> bytes:
    """The head of a 16-bit stereo WAV file (RIFF, PCM) of so many samples."""
    size = samples * 4
    head = np.array([16, 1 | 2 << 16, SOUND_RATE, SOUND_RATE * 4, 4 | 16 << 16], "<u4").tobytes()
    whole = (36 + size).to_bytes(4, "little")
    return b"RIFF" + whole + b"WAVEfmt " + head + b"data" + size.to_bytes(4, "little")


def wav_samples(sound: Sound) -> bytes:
    """A stretch of a mix as 16-bit samples."""
    return np.rint(sound * 32767).astype("<i2").tobytes()
