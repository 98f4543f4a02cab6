"""The mix of a shot: sample-exact, and the same for play and for the render."""

from __future__ import annotations

from collections.abc import Callable, Collection
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.shot.layer import FootageSource, Heard, Span, TimeMap
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sound.decode import Sound
from velvet_seam.core.sound.speed import pitched, sampled, stretched
from velvet_seam.core.timing.animated import Animated, Keyframes, value_at
from velvet_seam.core.timing.rate import SOUND_RATE, frames_to_samples


def mix(
    shot: Shot,
    sound_of: Callable[[str], Sound | None],
    length_of: Callable[[str], Fraction] | None = None,
    only: Collection[str] = (),
) -> Sound:
    """All sounds of a shot, (samples, 2) float32, as long as the shot, limited to ±1.

    Args:
        sound_of: the decoded sound of a footage id, or None where it has none.
        length_of: seconds after which footage begins again where it is looped; else its sound's.
        only: ids of the only layers and sounds that are heard, where any are given.

    A sound's first sample lies exactly on the sample at which its first frame begins. Sounds of
    hidden layers are heard neither.
    """
    out = np.zeros((frames_to_samples(shot.length, shot.rate), 2), np.float32)

    def lay(identity: str, footage: str, span: Span, time: TimeMap, heard: Heard) -> None:
        sound = sound_of(footage) if not only or identity in only else None
        if sound is None:
            return
        length = length_of(footage) if length_of else Fraction(len(sound), SOUND_RATE)
        first = frames_to_samples(span.first, shot.rate)
        last = min(frames_to_samples(span.last + 1, shot.rate), len(out))
        piece = _piece(shot, sound, span, time, max(0, last - first), length, heard.pitch)
        level = _gain_curve(shot, heard.gain, len(piece)) * _fades(shot, span, heard, len(piece))
        out[first : first + len(piece)] += piece * level

    for layer in shot.layers:
        if isinstance(layer.source, FootageSource) and layer.sound.on and not layer.hidden:
            lay(layer.id, layer.source.footage, layer.span, layer.time, layer.sound)
    for track in shot.sounds:
        if track.on:
            lay(track.id, track.footage, track.span, track.time, track)
    return np.clip(out, -1, 1, out=out)


def _piece(
    shot: Shot, sound: Sound, span: Span, time: TimeMap, count: int, length: Fraction,
    pitch: Animated,
) -> Sound:  # fmt: skip
    """So many samples of a sound from the first frame of its span on, in its clip's own time."""
    plain = time.speed == 100 and time.ends == "hold" and time.source_in >= 0
    if (plain or time.sound == "stay") and pitch == 0:
        skip = round(time.source_in * SOUND_RATE)
        return (
            sound[skip : skip + count] if skip >= 0 else np.pad(sound, ((-skip, 0), (0, 0)))[:count]
        )
    frames = range(span.length + 1)
    first = frames_to_samples(span.first, shot.rate)
    at = [frames_to_samples(span.first + n, shot.rate) - first for n in frames]
    run = TimeMap(source_in=time.source_in) if time.sound == "stay" else time
    there = [float(run.at(n, shot.rate) * SOUND_RATE) for n in frames]
    positions = np.interp(np.arange(count), at, there)
    whole = round(length * SOUND_RATE)
    if time.ends == "loop" and whole > 0:
        sound, positions = _again(sound[:whole], positions, whole)
    elif time.ends == "bounce" and whole > 0:
        positions = np.abs((positions + whole) % (2 * whole) - whole)
    if pitch != 0:
        higher = _per_sample(shot, pitch, count)
        return pitched(sound, positions, higher, own=time.sound != "follow")
    return stretched(sound, positions) if time.sound == "keep-pitch" else sampled(sound, positions)


def _again(
    sound: Sound, positions: NDArray[np.float64], whole: int
) -> tuple[Sound, NDArray[np.float64]]:
    """A sound laid end to end as often as its positions need, from where they begin."""
    low = int(np.floor(positions.min(initial=0) / whole))
    times = int(np.ceil((positions.max(initial=0) + 1) / whole)) - low
    one = np.pad(sound, ((0, whole - len(sound)), (0, 0)))
    return np.tile(one, (min(times, 400), 1)), positions - low * whole


def _gain_curve(shot: Shot, gain: Animated, samples: int) -> Sound | np.float32:
    """Gain as a factor: one number, or a column that runs straight from frame to frame."""
    level = _per_sample(shot, gain, samples, lambda decibels: 10 ** (decibels / 20))
    return np.float32(level) if isinstance(level, float) else np.asarray(level, np.float32)[:, None]


def _per_sample(
    shot: Shot, value: Animated, samples: int,
    made: Callable[[float], float] = lambda one: one,
) -> NDArray[np.float64] | float:  # fmt: skip
    """What is made of a value, at every sample; one number where it stands still."""
    if not isinstance(value, Keyframes):
        return made(value)
    frames = range(int(samples * shot.rate / SOUND_RATE) + 2)
    at = [frames_to_samples(frame, shot.rate) for frame in frames]
    return np.interp(np.arange(samples), at, [made(value_at(value, frame)) for frame in frames])


def _fades(shot: Shot, span: Span, heard: Heard, samples: int) -> Sound | np.float32:
    """How a sound comes and goes, as a factor: a quarter of a sine, so that two that cross are as loud
    together as one."""
    if heard.fade_in == 0 and heard.fade_out == 0:
        return np.float32(1)
    per = float(SOUND_RATE / shot.rate)
    at = np.arange(samples) + 0.5
    level = np.ones(samples)
    for frames, away in ((heard.fade_in, at), (heard.fade_out, span.length * per - at)):
        if frames != 0:
            over = np.maximum(_per_sample(shot, frames, samples), 1e-9) * per
            level *= np.sin(np.pi / 2 * np.clip(away / over, 0, 1))
    return np.asarray(level, np.float32)[:, None]


def to_wav(sound: Sound) -> bytes:
    """A mix as the bytes of a 16-bit WAV file (RIFF, PCM)."""
    data = np.rint(sound * 32767).astype("<i2").tobytes()
    head = np.array([16, 1 | 2 << 16, SOUND_RATE, SOUND_RATE * 4, 4 | 16 << 16], "<u4").tobytes()
    size = (36 + len(data)).to_bytes(4, "little")
    return b"RIFF" + size + b"WAVEfmt " + head + b"data" + len(data).to_bytes(4, "little") + data
