"""A clean plate from takes in which somebody stands still for long: against the scene without him, and a median."""

from __future__ import annotations

from collections.abc import Collection

import cv2
import numpy as np
import pytest

from bench.register import drawn, seen
from velvet_seam.core.analyse.plate import clean_plate, light_of, spread_over
from velvet_seam.core.looks.light import Light
from velvet_seam.core.register.locked_frames import locked_frames
from velvet_seam.core.shot.layer import Layer, Place, Span
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.motion import Stir
from velvet_seam.core.shot.pins import Pins
from velvet_seam.core.shot.plate_layer import plate_layer
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.sources import FootageSource
from velvet_seam.core.timing.animated import Keyframe, Keyframes

SIZE = (180, 320)


def scene(seed: int) -> np.ndarray:
    view = np.clip(seen(drawn(seed), np.eye(3), np.random.default_rng(0)), 0, 255)
    return cv2.resize(view, SIZE, interpolation=cv2.INTER_AREA)


def take(
    seed: int, away: Collection[int], flicker: float = 0.06, count: int = 60
) -> tuple[np.ndarray, np.ndarray]:
    """Frames of a scene in which somebody stands at one place but for some frames, and walks about then; the scene."""
    rng = np.random.default_rng(seed)
    wall, body = scene(960 + seed), cv2.resize(drawn(970 + seed), (44, 150)).astype(np.float32)
    frames = []
    for n in range(count):
        view = wall.copy()
        x = 110 if n not in away else int(rng.integers(0, 60))
        view[120:270, x : x + 44] = body
        view = view * (1 + rng.uniform(-flicker, flicker)) + rng.normal(0, 2.5, view.shape)
        frames.append(np.clip(view, 0, 255).astype(np.uint8))
    return np.stack(frames), wall


def wrong(made: np.ndarray, wall: np.ndarray) -> np.ndarray:
    """Where a picture is off by more than 20 levels, once it is in the scene's own light."""
    gain = np.median(wall / np.maximum(made, 4), axis=(0, 1))
    return np.abs(made * gain - wall).max(-1) > 20


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_who_stands_still_for_most_of_a_take_is_not_in_its_plate(seed: int):
    """For seven tenths of it: seen before and after him, the wall comes back."""
    frames, wall = take(seed, [*range(9), *range(51, 60)])
    made = clean_plate(frames)
    median = np.median(frames, axis=0)
    assert wrong(median, wall).mean() > 0.08
    assert wrong(made.picture.astype(float), wall).mean() < 0.01


def test_what_is_seen_only_late_is_marked_and_filled_from_a_frame():
    """He is there from the first frame on and leaves for the last third: nothing says which of both is the wall."""
    frames, wall = take(4, range(42, 60))
    made = clean_plate(frames)
    bad = wrong(made.picture.astype(float), wall)
    assert bad.mean() > 0.03
    assert (made.unsure & bad).sum() > 0.8 * bad.sum()
    assert made.unsure.mean() < 0.2
    filled = clean_plate(frames, frames[59:60])
    assert wrong(filled.picture.astype(float), wall)[120:270, 110:154].mean() < 0.02
    assert not filled.unsure.any()


def test_light_that_flickers_is_evened():
    frames, _ = take(5, range(60), flicker=0.12)
    gains = light_of(frames)
    frames = frames[:, :110]  # above whoever walks about
    level = (frames.astype(float) * gains[:, None, None]).mean((1, 2, 3))
    assert level.std() / level.mean() < 0.01
    assert frames.mean((1, 2, 3)).std() / frames.mean() > 0.04


def test_frames_are_spread_over_the_take():
    assert spread_over(5, 5) == [5]
    assert spread_over(0, 3) == [0, 1, 2, 3]
    many = spread_over(0, 1499)
    assert len(many) == 60
    assert (many[0], many[-1]) == (0, 1499)


def in_hand(
    seed: int, size: tuple[int, int], count: int = 24
) -> tuple[np.ndarray, list[np.ndarray]]:
    """Frames of a scene from a hand, in which somebody walks across; and the scene as each of them would show it."""
    rng, (width, height) = np.random.default_rng(seed), size
    wide = np.clip(seen(drawn(seed), np.eye(3), np.random.default_rng(0)), 0, 255)
    wide = cv2.resize(wide, (width + 60, height + 60), interpolation=cv2.INTER_AREA)
    body, frames, bare = cv2.resize(drawn(970 + seed), (44, 150)), [], []
    for n in range(count):
        turn = np.radians(rng.uniform(-1, 1))
        c, s = np.cos(turn), np.sin(turn)
        lay = np.array([[c, -s, 30 + rng.uniform(-7, 7)], [s, c, 30 + rng.uniform(-7, 7)]])
        view = cv2.warpAffine(wide, lay, size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)
        bare.append(view.copy())
        x, y = round(n / (count - 1) * (width - 44)), (height - 150) // 2
        view[y : y + 150, x : x + 44] = body
        frames.append(np.clip(view + rng.normal(0, 2, view.shape), 0, 255).astype(np.uint8))
    return np.stack(frames), bare


@pytest.mark.parametrize(
    ("seed", "at", "size"), [(11, 0, SIZE), (12, 11, (321, 203)), (13, 23, (640, 361))]
)
def test_a_take_from_the_hand_has_a_plate_where_one_of_its_frames_is(
    seed: int, at: int, size: tuple[int, int]
):
    frames, bare = in_hand(seed, size)
    locked = locked_frames(frames.copy(), at)
    assert locked is not None
    assert locked.kept.all()
    assert locked.far > 3
    assert (locked.frames[at] == frames[at]).all()
    made = clean_plate(locked.frames, shows=locked.seen)
    inside = (slice(15, -15), slice(15, -15))  # beyond it some frames show nothing
    off = wrong(made.picture.astype(float), bare[at])
    assert off[inside].mean() < 0.02
    assert off.mean() < 0.05
    loose = clean_plate(frames)
    assert wrong(loose.picture.astype(float), bare[at]).mean() > 4 * off.mean()


def test_frames_of_a_camera_that_stands_still_and_of_several_scenes_stay_as_they_are():
    still, _ = take(6, range(8), count=8)
    assert locked_frames(still, 3) is None
    others = np.stack([np.clip(scene(20 + n), 0, 255).astype(np.uint8) for n in range(3)])
    assert locked_frames(others, 0) is None


def test_what_few_frames_show_is_unsure():
    frames = np.full((6, 8, 8, 3), 120, np.uint8)
    shows = np.ones((6, 8, 8), bool)
    shows[1:, 0], shows[2:, 1], shows[3:, 2] = False, False, False
    made = clean_plate(frames, shows=shows)
    assert made.unsure[:2].all()
    assert not made.unsure[2:].any()
    assert (made.picture == 120).all()


def test_a_plate_lies_still_where_its_take_from_the_hand_was():
    """As a layer below a take that was locked off by keyframes; a take of a standing camera takes its plate along."""
    moved = Keyframes(keys=(Keyframe(frame=0, value=500.0), Keyframe(frame=20, value=540.0)))
    pulled = Keyframes(keys=(Keyframe(frame=0, value=0.0), Keyframe(frame=10, value=-8.0)))
    take = Layer(
        id="l-take", name="Take", source=FootageSource(footage="f-take"), span=Span(first=30, last=60),
        place=Place(x=moved, y=960.0, scale=90.0, pins=Pins(top_left_x=pulled)), hidden=True, locked=True,
        look=Look(parts=[Light(id="p-light", exposure=0.5)]),
    )  # fmt: skip
    plate = plate_layer(take, "l-plate", "Plate", 3, "f-plate", at=15)
    assert plate.place == Place(x=530.0, y=960.0, scale=90.0, pins=Pins(top_left_x=-8.0))
    assert (plate.span, plate.crop, plate.seam) == (take.span, take.crop, Seam())
    assert [plate.hidden, plate.locked] == [False, False]  # it is there to be seen
    assert [(one.kind, one.exposure) for one in plate.look.parts] == [("light", 0.5)]
    assert plate.look.parts[0].id != "p-light"
    assert plate_layer(take, "l-plate", "Plate", 3, "f-plate").place == take.place
    shaken = take.model_copy(update={"stir": Stir(shake=9, seed=4, flicker=30), "age": 12})
    plate = plate_layer(shaken, "l-plate", "Plate", 3, "f-plate")
    assert (plate.stir, plate.age) == (
        Stir(shake=9, seed=4),
        12,
    )  # it shakes with it, and is not seen through
