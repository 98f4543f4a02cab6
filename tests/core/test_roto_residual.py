"""What the camera's movement leaves over, and what strokes make of it."""

from __future__ import annotations

from fractions import Fraction

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_roto import KEEP, Filmed
from tests.lobes import iou, texture
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.mattes.roto import RotoMatte
from velvet_seam.core.mattes.roto_looks import RotoLooks
from velvet_seam.core.roto.camera import camera_move
from velvet_seam.core.roto.carry import carried
from velvet_seam.core.roto.first import Marks, found, inside_of
from velvet_seam.core.roto.moved import coded, looked
from velvet_seam.core.roto.residual import LEAST, MANY, MOST, around, residual
from velvet_seam.core.roto.seen import Seen, seen
from velvet_seam.core.roto.telling import painted_sample

WIDTH, HEIGHT = 270, 400
TONE = (0.45, 0.4, 0.35)
TIMES = (4, 8, 12, 16, 20, 24)


def film(t: float, moves: float, pan: float = 0, passing: bool = False) -> tuple[Seen, np.ndarray]:
    """A bar of the ground's own tones before it, drifting, the camera panning; perhaps a disc passes by."""
    ground = texture(HEIGHT, WIDTH + 200, 3, TONE)[:, round(100 + pan * t) :][:, :WIDTH]
    own = texture(HEIGHT, WIDTH, 5, TONE)
    cover = np.zeros((HEIGHT, WIDTH), np.float32)
    cv2.rectangle(cover, (60, 150), (200, 220), 1, -1)
    to = np.array([[1, 0, (moves - pan) * t], [0, 1, 0.5 * moves * t]])
    cover, own = (cv2.warpAffine(one, to, (WIDTH, HEIGHT)) for one in (cover, own))
    mixed = np.where(cover[..., None] > 0.5, own, ground)
    if passing:
        cv2.circle(mixed, (round(40 + 7 * t), 330), 30, (0.9, 0.2, 0.2), -1)
    mixed = mixed + np.random.default_rng(int(t)).normal(0, 0.01, mixed.shape)
    picture = np.dstack([np.clip(mixed, 0, 1) * 255, np.full((HEIGHT, WIDTH), 255)])
    return seen(np.rint(picture).astype(np.uint8)), cover > 0.5


def strokes() -> Marks:
    keep, drop = np.zeros((2, HEIGHT, WIDTH), bool)
    keep[183:187, 80:180] = True
    drop[60:64, 20:250], drop[300:304, 20:250] = True, True
    return Marks.of(keep, drop)


@pytest.mark.parametrize("pan", [0, 2.5])
def test_what_has_the_colours_of_its_ground_is_found_by_its_own_movement(pan: float):
    here, truth = film(0, 3, pan)
    left = residual(here, [], [film(t, 3, pan)[0] for t in TIMES])
    assert iou(found(here.f, strokes(), moved=coded(left)) > 0, truth) > 0.75
    assert iou(found(here.f, strokes()) > 0, truth) < 0.5
    assert np.median(left[truth]) > 1.2  # more than three times what is usual
    assert np.median(left[~truth]) < 0.2


def test_what_moves_elsewhere_is_not_taken_for_a_subject_that_stands_still():
    here, _ = film(0, 0, passing=True)
    disc = np.zeros((HEIGHT, WIDTH), bool)
    disc[300:361, 10:71] = True
    for others in (TIMES[:1], TIMES):
        left = residual(here, [], [film(t, 0, passing=True)[0] for t in others])
        assert np.median(left[310:350, 20:60]) > 1.2
        assert not (found(here.f, strokes(), moved=coded(left)) > 0)[disc].any()


def arm(t: int, width: int) -> tuple[Seen, np.ndarray]:
    """A body that stands still with an arm that swings, both of the ground's own tones."""
    ground, own = (texture(HEIGHT, WIDTH, seed, TONE) for seed in (3, 5))
    cover, angle = np.zeros((HEIGHT, WIDTH), np.float32), 0.9 * np.sin(0.12 * t) - 1.2
    cv2.circle(cover, (135, 200), 35, 1, -1)
    end = (round(135 + 110 * np.cos(angle)), round(200 + 110 * np.sin(angle)))
    cv2.line(cover, (135, 200), end, 1, width)
    turn = cv2.getRotationMatrix2D((135.0, 200.0), -np.degrees(angle), 1)
    own = cv2.warpAffine(own, turn, (WIDTH, HEIGHT), borderMode=cv2.BORDER_REFLECT)
    mixed = np.where(cover[..., None] > 0.5, own, ground)
    mixed = mixed + np.random.default_rng(t).normal(0, 0.01, mixed.shape)
    picture = np.dstack([np.clip(mixed, 0, 1) * 255, np.full((HEIGHT, WIDTH), 255)])
    return seen(np.rint(picture).astype(np.uint8)), cover > 0.5


@pytest.mark.parametrize("width", [4, 12])
def test_an_arm_that_swings_before_its_own_colours_is_followed(width: int):
    frames = [arm(t, width) for t in range(25)]
    bare = [one for one, _ in frames]
    overlaps = []
    for other in (False, True):
        looks = list(bare)
        for n in range(0, 17, 2) if other else ():
            sides = around(n, 0, 24, Fraction(25))
            looks[n] = looked(bare[n], *([bare[m] for m in side] for side in sides))
        region = inside_of(frames[0][1])
        painted = painted_sample(region, looks[0])
        for n in range(2, 17, 2):
            region = carried(region, looks[n - 2], looks[n], painted)
        overlaps.append(iou(region > 0, frames[16][1]))
    assert overlaps[0] < 0.94
    assert overlaps[1] > 0.96


def test_where_nothing_moves_it_says_nothing():
    here, truth = film(0, 0)
    left = residual(here, [], [film(t, 0)[0] for t in TIMES])
    assert abs(float(np.median(left[truth]) - np.median(left[~truth]))) < 0.2
    assert (residual(here, [], []) == 0).all()
    flat = Seen(np.full((HEIGHT, WIDTH, 3), 90, np.uint8))
    assert (residual(flat, [flat], [flat]) <= 0).all()


def test_what_is_uncovered_in_some_frames_counts_as_ground():
    here, truth = film(12, 3)
    before, after = ([film(t, 3)[0] for t in some] for some in ((8, 4, 0), (16, 20, 24)))
    left = residual(here, before, after)
    assert (left[truth] > 0.7).mean() > 0.85
    assert (left[~truth] > 0.7).mean() < 0.08


@given(st.integers(1, 40), st.integers(1, 40), st.integers(0, 6), st.integers(0, 2**32))
def test_any_frames_give_a_sound_answer(height: int, width: int, many: int, seed: int):
    rng = np.random.default_rng(seed)
    looks = [Seen(rng.integers(0, 256, (height, width, 3), np.uint8)) for _ in range(many + 1)]
    left = residual(looks[0], looks[1 : 1 + many // 2], looks[1 + many // 2 :])
    assert left.shape == (height, width)
    assert left.dtype == np.float32
    assert ((left >= LEAST - 1e-5) & (left <= MOST + 1e-5)).all()


@given(st.integers(0, 300), st.integers(0, 300), st.integers(0, 300), st.integers(1, 120))
def test_the_frames_compared_are_of_the_same_scene(a: int, b: int, c: int, rate: int):
    first, frame, last = sorted((a, b, c))
    before, after = around(frame, first, last, Fraction(rate))
    apart = max(1, round(rate * 4 / 25))
    assert [frame - one for one in before] == [apart * (n + 1) for n in range(len(before))]
    assert [one - frame for one in after] == [apart * (n + 1) for n in range(len(after))]
    assert all(first <= one <= last for one in (*before, *after))
    could = min(MANY, (frame - first) // apart) + min(MANY, (last - frame) // apart)
    assert len(before) + len(after) == min(MANY, could)


def test_a_camera_that_turns_and_grows_is_found_beside_what_moves():
    angle, size = 0.01, (240, 320)
    turn = 1.02 * np.array([[np.cos(angle), -np.sin(angle), 2], [np.sin(angle), np.cos(angle), -1]])
    y, x = np.mgrid[: size[0], : size[1]].astype(np.float64)
    way = np.stack([x, y, np.ones(size)], -1) @ turn.T - np.stack([x, y], -1)
    way[60:160, 80:200] += 9
    assert np.abs(camera_move(way.astype(np.float32)) - turn).max() < 1e-3
    assert (camera_move(np.zeros((3, 3, 2), np.float32)) == np.eye(2, 3)).all()


def test_a_roto_looks_at_the_frames_between_the_same_two_cuts():
    class Read(Filmed):
        digest = "read"
        read_of: list[int]

        def read(self, number: int) -> np.ndarray:
            self.read_of.append(number)
            return super().read(number)

    for cuts, asked in (((), {7, 3, 11, 15, 19}), ((5, 12), {7, 11}), ((7, 8), {7})):
        footage = Read()
        footage.read_of, footage.frames, footage.length = [], 20, Fraction(20, 25)
        strokes = [{**KEEP, "frame": 7}]
        matte = RotoMatte.model_validate({"id": "k-a", "strokes": strokes, "cuts": cuts})
        Engine(lambda _, only=footage: only).result(matte.frames(footage).at(7))
        assert set(footage.read_of) == asked


def test_a_movement_of_the_camera_is_found_once():
    class Long(Filmed):
        digest, frames, length = "long", 30, Fraction(30, 25)

        def read(self, number: int) -> np.ndarray:
            return super().read(number % 9)

    looks, engine = RotoLooks(Long(), ()), Engine(lambda _: Long())
    for frame, moves in ((8, 6), (12, 6), (9, 12)):  # those of 12 are known from 8
        look = engine.result(looks.at(frame))
        assert engine.counts["roto-camera"] == moves
        assert look.moved.shape == look.light.shape
    assert looks.at(8) is looks.at(8)
    assert RotoLooks(Long(), (8, 9)).at(8).kind == "roto-seen"  # a frame all by itself
