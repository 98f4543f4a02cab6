"""Loudness against FFmpeg's own meter, and mixes brought to one."""

from __future__ import annotations

from fractions import Fraction

import av
import av.filter
import numpy as np
import pytest

from velvet_seam.core.sound.decode import decode_sound
from velvet_seam.core.sound.loudness import CEILING, brought_to, loudness
from velvet_seam.demo.draw import FOLDER


def by_the_library(sound: np.ndarray) -> float:
    """Integrated loudness as FFmpeg's ebur128 filter says it."""
    graph = av.filter.Graph()
    source = graph.add_abuffer(
        sample_rate=48000, format="flt", layout="stereo", time_base=Fraction(1, 48000)
    )
    meter = graph.add("ebur128", "metadata=1:framelog=quiet")
    sink = graph.add("abuffersink")
    source.link_to(meter)
    meter.link_to(sink)
    graph.configure()
    found = float("-inf")
    for start in range(0, len(sound), 4800):
        piece = np.ascontiguousarray(sound[start : start + 4800]).reshape(1, -1)
        frame = av.AudioFrame.from_ndarray(piece, format="flt", layout="stereo")
        frame.sample_rate, frame.pts, frame.time_base = 48000, start, Fraction(1, 48000)
        graph.push(frame)
        while True:
            try:
                seen = graph.pull()
            except (av.BlockingIOError, av.EOFError):
                break
            found = float(seen.metadata.get("lavfi.r128.I", found))
    return found


def music(loud: float) -> np.ndarray:
    """Ten seconds of tones, noise and a pause."""
    rng = np.random.default_rng(9)
    time = np.arange(480_000) / 48_000
    tones = sum(np.sin(2 * np.pi * f * time) / n for n, f in enumerate((110, 440, 1500, 6000), 1))
    sound = np.stack([tones, 0.7 * tones], 1) + rng.normal(0, 0.2, (480_000, 2))
    sound[200_000:330_000] *= 0.003
    return (loud * sound / np.abs(sound).max()).astype(np.float32)


@pytest.mark.parametrize("loud", [0.9, 0.1, 0.01])
def test_it_is_as_loud_as_the_library_says(loud):
    sound = music(loud)
    try:
        reference = by_the_library(sound)
    except (ValueError, LookupError):
        pytest.skip("this build of the library has no meter")
    assert loudness(sound) == pytest.approx(reference, abs=0.15)


@pytest.mark.parametrize("which", ["waltz", "quiet", "peaks"])
def test_a_mix_is_brought_to_a_loudness_and_never_clips(which):
    sound = decode_sound(FOLDER / "tin-waltz.wav") if which == "waltz" else music(0.02)
    if which == "peaks":
        sound = sound.copy()
        sound[::24_000] = 1.0  # far louder than all else
    made = brought_to(sound, -14)
    assert loudness(made) == pytest.approx(-14, abs=0.3)
    assert np.abs(made).max() <= CEILING + 1e-4
    if which == "quiet":  # nothing had to be held back: only a gain
        gain = made[1000:2000] / sound[1000:2000]
        assert gain.std() / gain.mean() < 0.2


def test_silence_stays_silence():
    still = np.zeros((48_000, 2), np.float32)
    assert loudness(still) == float("-inf")
    assert not brought_to(still, -14).any()
    assert loudness(still[:100]) == float("-inf")
