"""First looks against drawn truth: a camera that moves as told, light that changes as told."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from bench import first_looks
from velvet_seam.core.analyse.first_look import FirstLook, Look, loudest, verdicts
from velvet_seam.core.analyse.steadiness import Steadiness

RNG = np.random.default_rng(8)
GROUND = cv2.GaussianBlur(RNG.integers(0, 256, (760, 620)).astype(np.float32), (0, 0), 3)
GROUND = np.clip((GROUND - GROUND.mean()) * 8 + 120, 20, 230).astype(np.float32)


def seen(x: float, y: float, *, gain: float = 1.0, mover: int | None = None) -> np.ndarray:
    """A picture of 270 × 480 through a camera at (x, y), with a block that moves by itself."""
    matrix = np.array([[1, 0, -60 - x], [0, 1, -60 - y]], float)
    grey = cv2.warpAffine(GROUND, matrix, (270, 480), flags=cv2.INTER_CUBIC)
    if mover is not None:
        left = 20 + 3 * mover
        grey[150:330, left : left + 80] = GROUND[300:480, 200:280]
    return np.clip(grey * gain, 0, 255).round().astype(np.uint8)


def rgba(grey: np.ndarray) -> np.ndarray:
    return np.dstack([grey, grey, grey, np.full_like(grey, 255)])


def test_a_camera_that_moves_as_told_past_something_that_moves_by_itself():
    times = np.arange(50)
    path = np.stack([times * 0.31, 2.5 * np.sin(times / 9)], 1)
    steadiness = Steadiness()
    for n, (x, y) in enumerate(path):
        steadiness.add(seen(x, y, mover=n))
    motion = steadiness.motion()
    assert motion.known == 1
    assert np.abs(motion.path + path).max() < 0.15  # the picture goes the other way
    assert steadiness.motion(4).drift == pytest.approx(4 * motion.drift)


def test_shake_and_drift_are_told_apart():
    jumps = np.random.default_rng(3).normal(0, 1.2, (60, 2))
    shaken, wandering = Steadiness(), Steadiness()
    for n in range(60):
        shaken.add(seen(*jumps[n]))
        wandering.add(seen(n * 0.4, 0))
    true = np.sqrt((jumps**2).sum(1).mean())
    assert shaken.motion().shake == pytest.approx(true, rel=0.12)
    assert wandering.motion().shake < 0.1
    assert wandering.motion().drift == pytest.approx(59 * 0.4, abs=0.5)


def test_a_camera_on_a_stand_is_said_to_stand_still_whatever_moves_before_it():
    look = Look(1080, 1920, 40)
    for n in range(40):
        noise = RNG.normal(0, 2, (480, 270))
        look.add(rgba(np.clip(seen(0, 0, mover=n) + noise, 0, 255).astype(np.uint8)))
    found = look.result()
    assert found.shake < 0.4
    assert found.drift < 1
    assert found.light < 0.05
    assert (found.cuts, found.frozen, found.repeated) == ([], [], 0)
    assert verdicts(found, 1080, 40, 1.6)[0] == ("fine", "the camera stands still")


@pytest.mark.parametrize("stops", [0.3, 0.8])
def test_light_that_drifts_is_measured_in_stops(stops):
    look = Look(270, 480, 40)
    for n in range(40):
        gain = 2 ** (-stops * n / 39 / 2.2)  # of the signal: light is its power of 2.2
        look.add(rgba(seen(0, 0, gain=gain, mover=n)))
    found = look.result()
    assert found.light == pytest.approx(stops, abs=0.06)
    grade = "fix" if stops > 0.5 else "look"
    assert any(g == grade and "light changes" in s for g, s in verdicts(found, 270, 40, 1.6))


def test_cuts_frozen_and_repeated_frames_the_brightest_and_what_is_burnt():
    look = Look(270, 480, 60)
    other = seen(40, -30)[::-1]
    for n in range(60):
        if n < 20:
            grey = seen(0, 0, mover=n)
        elif n < 40:
            grey = np.clip(other.astype(int) + (n % 7), 0, 255).astype(np.uint8)
        else:
            grey = other  # stands still from here on
        if n == 11:
            grey = seen(0, 0, mover=10)  # shown twice
        if n == 5:
            grey = grey.copy()
            grey[:120] = 255
        look.add(rgba(grey))
    found = look.result()
    assert found.cuts == [20]
    assert found.frozen == [(40, 59)]
    assert found.repeated == 1
    assert found.brightest == 5
    assert found.burnt == pytest.approx(0.25, abs=0.01)
    words = [sentence for _, sentence in verdicts(found, 270, 60, 2.4)]
    assert words[0] == "1 cut inside, at frame 20"
    assert "stands still from frame 40 to 59" in words


def test_a_screen_and_how_even_it_is():
    look = Look(270, 480, 5)
    ramp = np.linspace(1.0, 0.8, 270)[None, :, None]
    screen = np.clip(np.full((480, 270, 3), (50, 170, 60)) * ramp, 0, 255).astype(np.uint8)
    picture = np.dstack([screen, np.full((480, 270), 255, np.uint8)])
    picture[150:350, 90:180, :3] = (200, 150, 120)
    for _ in range(5):
        look.add(picture)
    found = look.result()
    assert found.screen_share > 0.9
    assert found.screen_uneven == pytest.approx(2.2 * np.log2(1 / 0.8), abs=0.08)
    assert int(found.screen[3:5], 16) == pytest.approx(153, abs=8)


def test_the_loudest_moment():
    sound = np.random.default_rng(2).normal(0, 0.01, (96_000, 2)).astype(np.float32)
    sound[60_000:60_800] += 0.5
    assert loudest(sound) == pytest.approx(60_400 / 48_000, abs=0.03)
    assert loudest(np.zeros((48_000, 2), np.float32)) is None
    assert loudest(np.zeros((10, 2), np.float32)) is None


def test_nothing_to_hold_on_to_is_said_so():
    look = Look(270, 480, 10)
    for _ in range(10):
        look.add(np.full((480, 270, 4), 128, np.uint8))
    found = look.result()
    assert found.followed < 0.7
    assert (
        "cannot be told"
        in verdicts(found, 270, 10, 0.4)[0][1] + verdicts(FirstLook(), 1, 1, 1)[0][1]
    )


CLIPS = {
    name: (truth, draw) for name, truth, draw in (*first_looks.clips(), *first_looks.later_clips())
}


@pytest.mark.parametrize(
    "name",
    ["a turning globe fills most of it", "two scenes of like light joined", "a zoom", "a hand, two cuts",
     "a stand, the light goes down", "clouds over a still ground"],
)  # fmt: skip
def test_drawn_clips_are_seen_as_they_are(name):
    """Some of those that ``bench/first_looks.py`` measures; through H.264 and grain."""
    truth, draw = CLIPS[name]
    look = Look(first_looks.WIDTH, first_looks.HEIGHT, first_looks.FRAMES)
    for picture in first_looks.through_codec(draw):
        look.add(picture)
    assert first_looks.right(truth, look.result()), look.result()


def test_silence_and_a_black_ground_are_named():
    look = Look(270, 480, 12)
    for n in range(12):
        sparks = np.full((480, 270), 4, np.uint8)
        sparks[200 + 3 * n : 220 + 3 * n, 120:140] = 240
        look.add(rgba(sparks))
    found = look.result(np.zeros((48_000, 2), np.float32))
    words = " ".join(sentence for _, sentence in verdicts(found, 270, 12, 0.5))
    assert (found.silent, found.ground, found.screen) == (True, "black", "")
    assert "on black" in words
    assert "all of it is silence" in words
    assert not look.result(None).silent
