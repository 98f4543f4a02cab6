"""Onsets and loud moments: of the drawn waltz, whose notes are known, and of sounds made here."""

from __future__ import annotations

import numpy as np
import pytest

from tests.core.test_beats import strikes
from velvet_seam.core.analyse.onsets import onsets, peaks
from velvet_seam.core.sound.decode import decode_sound
from velvet_seam.demo import waltz
from velvet_seam.demo.draw import FOLDER


def test_every_note_of_the_waltz_begins_where_it_was_struck():
    found = np.array(onsets(decode_sound(FOLDER / "tin-waltz.wav")))
    tune = [(3 * bar + at) * waltz.BEAT for bar, notes in enumerate(waltz._TUNE) for at, _ in notes]
    truth = np.array(sorted({*waltz.beats(), *tune}))
    away = np.abs(found[:, None] - truth[None]).min(1)
    assert away.max() < 0.02
    missed = [t for t in truth if np.abs(found - t).min() > 0.02]
    assert len(missed) <= 0.1 * len(truth)


@pytest.mark.parametrize("tempo", [72, 151, 400])
def test_strikes_are_found_each_once_at_any_pace(tempo):
    sound, times = strikes(tempo, 0.5)
    found = np.array(onsets(sound))
    assert np.abs(found[:, None] - times[None]).min(1).max() < 0.01
    assert abs(len(found) - len(times)) <= 1


def test_loud_moments_are_those_within_six_decibels():
    rng = np.random.default_rng(4)
    sound = rng.normal(0, 0.003, (48000 * 4, 2)).astype(np.float32)
    for time, level in ((0.6, 0.8), (1.4, 0.5), (2.2, 0.3), (3.0, 0.79)):
        at = round(time * 48000)
        sound[at - 1200 : at + 1200] += level * np.sin(np.arange(2400) * 0.3)[:, None]
    assert peaks(sound) == pytest.approx([0.6, 1.4, 3.0], abs=0.02)


def test_silence_has_neither():
    still = np.zeros((48000, 2), np.float32)
    assert onsets(still) == [] == peaks(still)
