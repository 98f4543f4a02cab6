"""Passes of a repeated camera move: found in made-up takes, matched frame by frame, refused where there are none."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bench.passes import judged, take
from bench.register import drawn
from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.register.passes import Pass, camera_path, matched, passes_of
from velvet_seam.core.shot.layer import TimeMap
from velvet_seam.core.shot.pass_layers import shows
from velvet_seam.demo import parade


class Frames:
    moving, frames, length = True, 400, Fraction(400, 25)

    def begins(self, number: int) -> Fraction:
        return Fraction(number, 25)

    def frame_at(self, time: Fraction) -> int:
        return min(max(int(time * 25), 0), 399)


@pytest.mark.parametrize(("seed", "deep", "wide"), [(3, True, False), (8, False, True)])
def test_passes_are_found_and_their_frames_matched(seed: int, deep: bool, wide: bool):
    """Of unequal length and pace, with depth, players elsewhere on each, back and forth or always the same way."""
    far, near, player = (drawn(n)[:700, :900, 1] for n in (seed, seed + 50, seed + 90))
    made = take("drawn", far, near, player, seed, count=3, deep=deep, wide=wide)
    found, there, errors, _ = judged(made)
    assert found == there == 3
    assert np.median(errors) < 0.15
    assert np.quantile(errors, 0.95) < 0.6


def test_the_camera_of_the_parade_gives_its_passes():
    path, legs = parade.camera()
    found = passes_of(np.column_stack([-parade.WAY * path / 4, 0 * path]), (270, 480))
    assert [one.way for one in found] == [1, -1, 1, -1, 1]
    for one, (first, last) in zip(found, legs, strict=True):
        assert abs(one.first - first) <= 4
        assert abs(one.last - last) <= 4


def test_what_goes_nowhere_or_one_way_only_has_no_passes():
    still = np.random.default_rng(1).normal(0, 0.5, (90, 2))
    once = np.column_stack([np.linspace(0, 400, 90), np.zeros(90)])
    assert passes_of(still, (270, 480)) == []
    assert passes_of(once, (270, 480)) == []
    assert passes_of(np.full((50, 2), np.nan), (270, 480)) == []
    frame = np.full((480, 270), 90, np.uint8)
    path = camera_path(lambda _: frame, range(12))
    assert passes_of(path, (270, 480)) == []


def test_a_quick_return_is_no_pass():
    there = [np.linspace(0, 300, 60), np.linspace(300, 0, 9)] * 3
    along = np.concatenate(there)
    found = passes_of(np.column_stack([along, 0 * along]), (270, 480))
    assert len(found) == 3
    assert {one.way for one in found} == {1}
    assert all(one.length > 50 for one in found)


@settings(max_examples=30, deadline=None)
@given(st.integers(12, 60), st.floats(0.5, 2.0), st.integers(0, 1000))
def test_the_best_way_through_a_likeness_never_goes_back(n: int, pace: float, seed: int):
    rng = np.random.default_rng(seed)
    m = max(8, int(n * pace))
    truth = np.sort(rng.uniform(0, m - 1, n))
    truth = np.convolve(np.pad(truth, 4, "edge"), np.ones(9) / 9, "valid")
    like = np.exp(-((np.arange(m)[None] - truth[:, None]) ** 2) / 4)
    at, score = matched(like)
    assert (np.diff(at) >= 0).all()
    assert score > 0.5
    assert np.median(np.abs(at - truth)) < 0.8


@settings(max_examples=40, deadline=None)
@given(
    st.integers(5, 80),
    st.floats(0.3, 3),
    st.booleans(),
    st.integers(0, 999),
    st.sampled_from([24, 25, 30, 50]),
)
def test_a_time_map_shows_the_frame_that_is_wanted(
    count: int, pace: float, back: bool, seed: int, rate: int
):
    """Nearest to it, forward or backward, whatever the rate of the shot."""
    rng = np.random.default_rng(seed)
    steps = pace * (1 + 0.5 * np.sin(np.arange(count) / 7 + rng.uniform(0, 6)))
    wanted = 20 + np.cumsum(steps)
    wanted = wanted[::-1] if back else wanted
    made = shows(Frames(), [float(one) for one in wanted], TimeMap(), Fraction(rate))
    seen = [frame_shown(Frames(), made, n, Fraction(rate)) for n in range(count)]
    assert np.abs(np.array(seen) - wanted).max() <= 0.65


def test_a_pass_knows_its_length():
    assert Pass(3, 7, 1).length == 5
