"""The mix of a shot: sample-exact, and the same for play and for the render."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

import numpy as np

from velvet_seam.core.shot.layer import FootageSource, Span
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sound.decode import Sound
from velvet_seam.core.timing.animated import Animated, Keyframes, value_at
from velvet_seam.core.timing.rate import SOUND_RATE, frames_to_samples


def mix(shot: Shot, sound_of: Callable[[str], Sound | None]) -> Sound:
    """All sounds of a shot, (samples, 2) float32, as long as the shot, limited to ±1.

    Args:
        sound_of: the decoded sound of a footage id, or None where it has none.

    A sound's first sample lies exactly on the sample at which its first frame begins. Sounds of
    hidden layers are heard neither.
    """
    out = np.zeros((frames_to_samples(shot.length, shot.rate), 2), np.float32)
    for layer in shot.layers:
        if isinstance(layer.source, FootageSource) and layer.sound.on and not layer.hidden:
            sound = sound_of(layer.source.footage)
            _lay(out, shot, sound, layer.span, layer.time.source_in, layer.sound.gain)
    for track in shot.sounds:
        if track.on:
            sound = sound_of(track.footage)
            _lay(out, shot, sound, track.span, track.time.source_in, track.gain)
    return np.clip(out, -1, 1, out=out)


def _lay(
    out: Sound, shot: Shot, sound: Sound | None, span: Span, source_in: Fraction, gain: Animated
) -> None:
    if sound is None:
        return
    first = frames_to_samples(span.first, shot.rate)
    last = min(frames_to_samples(span.last + 1, shot.rate), len(out))
    skip = round(source_in * SOUND_RATE)
    piece = sound[skip : skip + max(0, last - first)]
    out[first : first + len(piece)] += piece * _gain_curve(shot, gain, len(piece))


def _gain_curve(shot: Shot, gain: Animated, samples: int) -> Sound | np.float32:
    """Gain as a factor: one number, or a column that runs straight from frame to frame."""
    if not isinstance(gain, Keyframes):
        return np.float32(10 ** (gain / 20))
    frames = int(samples * shot.rate / SOUND_RATE) + 2
    at = [frames_to_samples(frame, shot.rate) for frame in range(frames)]
    values = [10 ** (value_at(gain, frame) / 20) for frame in range(frames)]
    return np.asarray(np.interp(np.arange(samples), at, values), np.float32)[:, None]


def to_wav(sound: Sound) -> bytes:
    """A mix as the bytes of a 16-bit WAV file (RIFF, PCM)."""
    data = np.rint(sound * 32767).astype("<i2").tobytes()
    head = np.array([16, 1 | 2 << 16, SOUND_RATE, SOUND_RATE * 4, 4 | 16 << 16], "<u4").tobytes()
    size = (36 + len(data)).to_bytes(4, "little")
    return b"RIFF" + size + b"WAVEfmt " + head + b"data" + len(data).to_bytes(4, "little") + data
