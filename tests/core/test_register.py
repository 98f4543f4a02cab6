"""Line-up: takes made from one picture by known warps, in other light, with other subjects before it; and what cannot be
lined up, said to be so."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bench.in_time import pair as sounds
from bench.register import coded, covered, drawn, grey, lit, off, seen, warp_of
from velvet_seam.core.register.by_picture import by_picture
from velvet_seam.core.register.by_sound import RATE, by_sound
from velvet_seam.core.register.holding import Held
from velvet_seam.core.register.in_place import line_up, moves
from velvet_seam.core.register.levels import levels_of, normalised
from velvet_seam.core.register.warps import (
    GENERATORS,
    Model,
    apart,
    grid,
    mapped,
    moved_along,
    scaled,
    within,
)

MODELS: tuple[Model, ...] = ("shift", "turn", "stretch", "plane")
SCENE, OTHER = drawn(901), drawn(902)


def takes(
    model: Model, seed: int, common: float = 0.7, elsewhere: bool = False
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Two takes of one scene, and the truth between them."""
    rng = np.random.default_rng(seed)
    first, between = warp_of("turn", rng, 0.3), warp_of(model, rng, elsewhere=elsewhere)
    views = [seen(SCENE, first, rng), seen(SCENE, between @ first, rng)]
    part = (1 - common) / 2
    made = [lit(covered(view, part, OTHER, rng)[0], rng) for view in views]
    return made[0], made[1], between


@pytest.mark.parametrize("model", MODELS)
def test_a_take_is_lined_up_to_a_part_of_a_pixel_whatever_stands_before_it(model: Model):
    for seed in (1, 2):
        first, second, truth = takes(model, seed)
        found = line_up(grey(coded(first)), grey(coded(second)), model)
        assert found.found, found.why
        error = off(found.warp, truth)
        assert error < (0.15 if model == "plane" else 0.1), (seed, error)
        assert error < 2.5 * found.residual
        assert found.residual < 0.3
        assert 0.25 < found.agrees < 0.95


@pytest.mark.parametrize("seed", range(3))
def test_a_wall_seen_from_elsewhere_is_lined_up_as_a_plane(seed: int):
    """By 20 to 40 degrees: no shift, turn or stretch comes near."""
    first, second, truth = takes("plane", seed, 0.8, elsewhere=True)
    found = line_up(grey(first), grey(second), "plane")
    assert found.found, found.why
    assert off(found.warp, truth) < 0.25


def test_little_in_common_is_enough():
    first, second, truth = takes("turn", 5, common=0.2)
    found = line_up(grey(first), grey(second), "turn")
    assert found.found, found.why
    assert off(found.warp, truth) < 0.2


@pytest.mark.parametrize("size", [(540, 960), (961, 541), (541, 959), (360, 640), (500, 500)])
def test_pictures_of_any_shape_are_lined_up(size: tuple[int, int]):
    """Also where each side is odd, so that halves leave a row over."""
    shift = np.array([[1, 0, 4.3], [0, 1, -2.6], [0, 0, 1.0]])
    views = [
        cv2.warpPerspective(SCENE, move, size, flags=cv2.INTER_CUBIC) for move in (np.eye(3), shift)
    ]
    found = line_up(grey(views[0]), grey(views[1]), "shift")
    assert found.found
    assert np.abs(found.warp[:2, 2] - [4.3, -2.6]).max() < 0.06
    assert np.abs(moves(found.warp, size)[0] - [4.3, -2.6]).max() < 0.06


def test_what_shows_nothing_is_left_out():
    """A smaller take lies on the canvas; beside it nothing is seen, and its edge is no line of the scene."""
    rng = np.random.default_rng(3)
    first, second = seen(SCENE, np.eye(3), rng), seen(SCENE, warp_of("shift", rng), rng)
    truth = warp_of("shift", np.random.default_rng(3))
    valid = np.zeros(first.shape[:2], np.uint8)
    valid[200:760, 100:420] = 255
    second[valid == 0] = 0
    first_shown = np.zeros_like(valid)
    first_shown[150:900, 60:500] = 255
    first[first_shown == 0] = 0
    pictures = [grey(np.clip(one, 0, 255).astype(np.uint8)) for one in (first, second)]
    found = line_up(pictures[0], pictures[1], "shift", first_shown, valid)
    assert found.found, found.why
    assert off(found.warp, truth) < 0.05


def test_what_cannot_be_lined_up_is_refused_with_the_reason():
    rng = np.random.default_rng(4)
    y, x = np.mgrid[:640, :360].astype(np.float32)
    one = grey(lit(seen(SCENE, np.eye(3), rng), rng))
    other = grey(lit(seen(OTHER, np.eye(3), rng), rng))
    assert line_up(one, other, "turn").why == "common"
    flat = np.clip(120 + x / 9 + rng.normal(0, 2, x.shape), 0, 255).astype(np.uint8)
    assert line_up(flat, flat[::-1].copy(), "turn").why == "structure"
    black = np.zeros((640, 360), np.uint8)
    assert line_up(black, black, "turn").why == "structure"
    line = np.cumsum(rng.normal(0, 6, 360))
    stripes = np.tile((120 + line - line.mean()).clip(5, 250), (640, 1))
    pair = [np.clip(stripes + rng.normal(0, 2, x.shape), 0, 255).astype(np.uint8) for _ in (1, 2)]
    assert line_up(pair[0], pair[1], "turn").why == "direction"
    tiles = 120 + 45 * np.sin(x / 4) + 45 * np.sin(y / 5)
    pair = [np.clip(tiles + rng.normal(0, 3, x.shape), 0, 255).astype(np.uint8) for _ in (1, 2)]
    assert line_up(pair[0], pair[1], "turn").why == "repeats"
    tiny = np.zeros((3, 2), np.uint8)
    assert line_up(tiny, tiny, "turn").why == "structure"


def test_a_subject_that_fills_the_picture_does_not_drag_the_background_along():
    """Half of the picture is one thing that has moved by itself, elsewhere than the camera."""
    rng = np.random.default_rng(8)
    truth = np.array([[1, 0, 3.4], [0, 1, -1.7], [0, 0, 1.0]])
    views = [seen(SCENE, np.eye(3), rng), seen(SCENE, truth, rng)]
    body = cv2.resize(OTHER, (300, 560)).astype(np.float32)
    views[0][200:760, 60:360] = body
    views[1][215:775, 78:378] = body
    found = line_up(*(grey(lit(one, rng)) for one in views), "shift")
    assert found.found
    assert off(found.warp, truth) < 0.06


@given(st.sampled_from(MODELS), st.integers(0, 10_000))
@settings(max_examples=60)
def test_a_warp_of_a_model_is_within_it_and_others_are_brought_there(model: Model, seed: int):
    rng = np.random.default_rng(seed)
    count = len(GENERATORS[model])
    step = rng.normal(0, 0.05, count)
    size = (540, 960)
    unit = np.array([[1, 0, -270], [0, 1, -480], [0, 0, 480.0]]) / 480
    warp = np.linalg.inv(unit) @ moved_along(model, step) @ unit
    assert apart(within(model, warp, size), warp / warp[2, 2], size) < 1e-6
    back = np.linalg.inv(unit) @ moved_along(model, -step) @ unit
    assert apart(warp @ back, np.eye(3), size) < 1e-4
    half = scaled(warp, 0.5)
    places = grid(size)
    assert np.abs(mapped(half, places / 2) - mapped(warp, places) / 2).max() < 1e-6


def test_light_and_shade_are_gone_from_a_level():
    rng = np.random.default_rng(2)
    view = seen(SCENE, np.eye(3), rng)
    x = np.arange(view.shape[1])[None]
    darker = view * (0.5 + 0.3 * x / view.shape[1])[..., None]
    plain = normalised(grey(np.clip(view, 0, 255).astype(np.uint8)))
    shaded = normalised(grey(np.clip(darker, 0, 255).astype(np.uint8)))
    assert np.corrcoef(plain.ravel(), shaded.ravel())[0, 1] > 0.97
    sizes = [one.size for one in levels_of(np.zeros((961, 541), np.uint8))]
    assert sizes == [(541, 961), (270, 480), (135, 240)]


# in time


@pytest.mark.parametrize("seed", [0, 1, 2, 3, 5, 8])
def test_what_is_heard_in_both_puts_them_in_time_to_a_sample(seed: int):
    first, second, truth = sounds(seed, 10)
    found = by_sound(first, second)
    assert found.found
    assert found.sure
    assert abs(found.offset * RATE - truth) <= 1
    back = by_sound(second, first)
    assert abs(back.offset + found.offset) * RATE < 1


def test_sounds_that_have_nothing_in_common_are_never_surely_in_time():
    for seed in (0, 1, 2, 3):
        found = by_sound(*sounds(seed, 10, unrelated=True)[:2])
        assert not found.sure
        assert found.why == "common" or found.other is not None
    noise = np.random.default_rng(1).normal(0, 0.1, RATE).astype(np.float32)
    assert by_sound(noise, np.zeros(RATE, np.float32)).why == "silent"
    assert by_sound(noise, noise[:100]).why == "short"
    assert by_sound(noise, noise[:0]).why == "silent"


def test_a_sound_that_repeats_itself_offers_both_places():
    rng = np.random.default_rng(6)
    bar = rng.normal(0, 0.1, RATE).astype(np.float32)
    found = by_sound(np.concatenate([bar, bar, bar, bar]), np.concatenate([bar, bar]))
    assert not found.sure
    assert found.why or found.other is not None


def test_movement_puts_takes_in_time_and_says_when_it_is_not_sure():
    rng = np.random.default_rng(11)
    curve = np.convolve(rng.gamma(0.7, 1, 400), np.hanning(5), "same")
    found = by_picture(curve[60:300], 1.7 * curve[20:320] + 0.1, 25)
    assert found.sure
    assert found.offset * 25 == pytest.approx(40, abs=0.2)
    assert by_picture(curve[:10], curve, 25).why == "short"
    assert by_picture(np.zeros(100), curve, 25).why == "still"
    other = np.convolve(np.random.default_rng(12).gamma(0.7, 1, 400), np.hanning(5), "same")
    assert not by_picture(curve, other, 25).sure


def test_what_is_only_roughly_known_is_told_with_how_roughly():
    """Far out of focus: nothing fine is left to go by, so it is not taken by itself, but may be."""
    rng = np.random.default_rng(12)
    truth = np.array([[1, 0, 3.0], [0, 1, -2.0], [0, 0, 1.0]])
    views = [cv2.GaussianBlur(seen(SCENE, one, rng), (0, 0), 11) for one in (np.eye(3), truth)]
    noisy = [
        np.clip(view + rng.normal(0, 3, view.shape), 0, 255).astype(np.uint8) for view in views
    ]
    found = line_up(grey(noisy[0]), grey(noisy[1]), "plane")
    assert found.why == "unsure"
    assert found.warp is None
    assert off(found.rough, truth) < 2 * found.residual


def test_no_frame_of_a_jumping_hand_is_taken_for_another():
    """Between two frames it may jump by three times what the smallest level can be led over at one go."""
    size, half = (360, 640), np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    lay = np.array([[1, 0, -300.0], [0, 1, -280.0], [0, 0, 1.0]])
    middle = np.array([[1, 0, 180.0], [0, 1, 320.0], [0, 0, 1.0]])
    rng = np.random.default_rng(27)
    held, worst = None, 0.0
    for n in range(24):
        turn, grow = np.radians(rng.uniform(-1.5, 1.5)), np.exp(rng.uniform(-0.01, 0.01))
        c, s = grow * np.cos(turn), grow * np.sin(turn)
        shake = middle @ np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]) @ np.linalg.inv(middle)
        shake[:2, 2] += rng.uniform(-13, 13, 2)
        shake = np.eye(3) if n == 0 else shake
        view = cv2.warpPerspective(SCENE, np.linalg.inv(half) @ shake @ lay @ half, size)
        view[260:520, 5 * n : 5 * n + 100] = cv2.resize(OTHER, (100, 260))
        held = Held(grey(view)) if held is None else held
        found = held.warp_to(grey(coded(view)))
        assert found is not None, n
        worst = max(worst, apart(found, shake, size))
    assert worst < 0.2


@pytest.mark.parametrize("seed", [980, 982, 991])
def test_the_held_frame_is_no_measure_for_frames_under_another_light(seed: int):
    """Soft, coded, and under light that rolls down the picture, frames agree with the held one far less than it does
    with itself, which is no reason to refuse them: nothing has moved."""
    scene, rng = drawn(seed)[380:650, 400:880], np.random.default_rng(seed)
    scene = cv2.GaussianBlur(scene, (0, 0), 1.5).astype(float)
    y = np.arange(270)[:, None, None] / 90
    frames = []
    for n in range(10):
        lit_scene = scene * (1 + 0.12 * np.sin(2 * np.pi * (y - 0.31 * n)))
        noisy = lit_scene + rng.normal(0, 1.5, scene.shape)
        frames.append(grey(coded(np.clip(noisy, 0, 255).astype(np.uint8))))
    held = Held(frames[0])
    found = [warp for warp in map(held.warp_to, frames) if warp is not None]
    assert len(found) >= 8
    assert max(apart(warp, np.eye(3), (480, 270)) for warp in found) < 0.5
