"""Beats: of the drawn waltz, whose times are known, and of sounds made here."""

from __future__ import annotations

import numpy as np
import pytest

from velvet_seam.core.analyse.beats import beats
from velvet_seam.core.sound.decode import decode_sound
from velvet_seam.demo import waltz
from velvet_seam.demo.draw import FOLDER

SECONDS = 20


def strikes(tempo: float, start: float) -> tuple[np.ndarray, np.ndarray]:
    """Short noises at a tempo in a little noise; and when."""
    rng = np.random.default_rng(3)
    times = np.arange(start, SECONDS, 60 / tempo)
    sound = rng.normal(0, 0.01, (48000 * SECONDS, 2)).astype(np.float32)
    for time in times:
        piece = sound[round(time * 48000) :][:2000]
        piece += rng.normal(0, 0.4, piece.shape) * np.exp(-np.arange(len(piece)) / 300)[:, None]
    return sound, times


def test_the_waltz_has_its_beats_within_twenty_milliseconds():
    found = beats(decode_sound(FOLDER / "tin-waltz.wav"))
    truth = np.array(waltz.beats())
    assert found is not None
    assert found.tempo == pytest.approx(waltz.TEMPO, rel=0.005)
    away = [np.abs(truth - time).min() for time in found.times]
    assert max(away) < 0.020
    assert len(found.times) >= len(truth) - 1
    assert found.confidence > 0.6


@pytest.mark.parametrize(("tempo", "start"), [(72, 0.5), (97, 0.31), (126, 0.0), (151, 1.2)])
def test_tempo_and_times_of_strikes(tempo, start):
    sound, times = strikes(tempo, start)
    found = beats(sound)
    assert found is not None
    assert found.tempo == pytest.approx(tempo, rel=0.01)
    assert max(np.abs(times - time).min() for time in found.times) < 0.01
    assert len(found.times) >= len(times) - 2


def test_noise_and_silence_are_no_music():
    noise = np.random.default_rng(0).normal(0, 0.1, (48000 * 8, 2)).astype(np.float32)
    found = beats(noise)
    assert found is None or found.confidence < 0.2
    for still in (np.zeros((48000 * 8, 2), np.float32), np.zeros((10, 2), np.float32)):
        assert beats(still) is None
