"""Sound: sample-exact placing, levels, and the beats of the drawn waltz where they are said to be."""

from __future__ import annotations

import io
import wave
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from velvet_seam.core.shot.layer import SoundTrack, Span, TimeMap
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sound.decode import decode_sound
from velvet_seam.core.sound.mix import mix, to_wav
from velvet_seam.core.timing.animated import Keyframe, Keyframes
from velvet_seam.core.timing.rate import frames_to_samples
from velvet_seam.demo import waltz
from velvet_seam.demo.draw import FOLDER

CLICK = np.zeros((4800, 2), np.float32)
CLICK[0] = 0.5


def shot_with(rate: str, *tracks: SoundTrack, length: int = 100) -> Shot:
    canvas = Canvas(width=64, height=64)
    return Shot(name="s", canvas=canvas, rate=rate, length=length, sounds=tracks)


@given(st.sampled_from(["25", "30000/1001", "24000/1001", "60"]), st.integers(0, 98))
def test_a_click_lies_on_the_sample_at_which_its_frame_begins(rate, frame):
    track = SoundTrack(id="t", name="t", footage="c", span=Span(first=frame, last=99))
    shot = shot_with(rate, track)
    out = mix(shot, lambda _: CLICK)
    assert np.flatnonzero(out[:, 0]).tolist() == [round(frame * 48000 / Fraction(rate))]
    assert len(out) == frames_to_samples(100, shot.rate)


def test_trimmed_gained_silenced_and_limited():
    ramp = np.linspace(0, 1, 48000, dtype=np.float32)[:, None].repeat(2, 1)
    span = Span(first=5, last=9)
    track = SoundTrack(id="t", name="t", footage="c", span=span, gain=-6.0206,
                       time=TimeMap(source_in=Fraction(1, 2)))  # fmt: skip
    out = mix(shot_with("25", track), lambda _: ramp)
    assert out[9600 - 1, 0] == 0
    assert np.allclose(out[9600:19200], ramp[24000:33600] / 2, atol=1e-5)
    assert out[19200:].max() == 0
    loud = track.model_copy(update={"gain": 24.0})
    assert mix(shot_with("25", loud), lambda _: ramp).max() == 1
    off = track.model_copy(update={"on": False})
    assert mix(shot_with("25", off), lambda _: ramp).max() == 0


def test_gain_may_move():
    level = Keyframes(keys=[Keyframe(frame=0, value=0), Keyframe(frame=10, value=-20)])
    track = SoundTrack(id="t", name="t", footage="c", span=Span(first=0, last=24), gain=level)
    out = mix(shot_with("25", track), lambda _: np.ones((48000, 2), np.float32))
    assert out[0, 0] == pytest.approx(1)
    assert out[frames_to_samples(5, Fraction(25)), 0] == pytest.approx(10**-0.5, rel=1e-3)
    assert out[frames_to_samples(20, Fraction(25)), 0] == pytest.approx(0.1, rel=1e-3)


def test_the_file_holds_the_mix():
    tone = (0.4 * np.sin(np.arange(9600) / 20))[:, None].repeat(2, 1).astype(np.float32)
    with wave.open(io.BytesIO(to_wav(tone))) as file:
        assert (file.getframerate(), file.getnchannels(), file.getnframes()) == (48000, 2, 9600)
        back = np.frombuffer(file.readframes(9600), "<i2").reshape(-1, 2) / 32767
    assert np.abs(back - tone).max() < 2e-5


def test_other_rates_and_channels_become_48_khz_stereo(tmp_path: Path):
    with wave.open(str(tmp_path / "mono.wav"), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(22050)
        tone = 0.5 * np.sin(2 * np.pi * 440 * np.arange(22050) / 22050)
        file.writeframes(np.rint(tone * 32767).astype("<i2").tobytes())
    sound = decode_sound(tmp_path / "mono.wav")
    assert abs(len(sound) - 48000) <= 32
    spectrum = np.abs(np.fft.rfft(sound[:48000, 0]))
    assert spectrum.argmax() == 440


def test_the_waltz_strikes_on_its_beats():
    sound = decode_sound(FOLDER / "tin-waltz.wav")
    energy = np.square(sound).sum(1)
    for beat in waltz.beats()[:12]:
        at = round(beat * 48000)
        before, after = energy[max(0, at - 960) : at].sum(), energy[at : at + 960].sum()
        assert after > 1.3 * before
