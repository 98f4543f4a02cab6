"""The difference key weighs what the difference says by what lies around: a subject is solid where it looks like the
plate, a shadow goes, and what is asked of its values still holds."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.lobes import texture
from velvet_seam.core.picture.difference_key import difference_key, known_before
from velvet_seam.core.picture.plate_light import light_between


def as_bytes(rgb: np.ndarray, seed: int = 0, grain: float = 0.008) -> np.ndarray:
    noise = np.random.default_rng(seed).normal(0, grain, rgb.shape)
    shown = np.rint(np.clip(rgb + noise, 0, 1) * 255)
    return np.dstack([shown, np.full(rgb.shape[:2], 255)]).astype(np.uint8)


def room(height: int, width: int) -> np.ndarray:
    """A wall with a pattern, and a door of another colour in it."""
    wall = texture(height, width, 3, (0.55, 0.5, 0.42), 0.06).astype(np.float32)
    wall[height // 5 :, width // 2 : width * 3 // 4] *= (0.6, 0.75, 1.0)
    return wall


def disc(height: int, width: int, x: float, y: float, r: float) -> np.ndarray:
    v, u = np.mgrid[:height, :width].astype(np.float32)
    return np.clip(r - np.hypot(u - x * width, v - y * height) + 0.5, 0, 1)


def alpha(
    picture: np.ndarray, plate: np.ndarray, tolerance: float = 5.0, **other: float
) -> np.ndarray:
    return difference_key(picture, known_before(tolerance, picture, plate), **other)[..., 3] / 255


SIZES = [(270, 480), (480, 270), (181, 322), (540, 961)]


@pytest.mark.parametrize(("height", "width"), SIZES)
def test_a_part_in_the_plates_own_colour_is_inside_and_a_hole_stays_one(height: int, width: int):
    short = min(height, width)
    wall = room(height, width)
    whole = disc(height, width, 0.4, 0.5, 0.3 * short)[..., None]
    hole = disc(height, width, 0.4, 0.5, 0.08 * short)[..., None]
    patch = disc(height, width, 0.4, 0.5 + 0.19 * short / height, 0.06 * short)[..., None]
    alike = wall[int(0.62 * height), int(0.3 * width)]  # of the wall's colour, without its pattern
    cover = whole * (1 - hole)
    own = np.float32((0.75, 0.2, 0.15)) * (1 - patch) + alike * patch
    picture, plate = as_bytes(own * cover + wall * (1 - cover), 1), as_bytes(wall, 2)
    held, said = alpha(picture, plate), alpha(picture, plate, hold=0.0)
    at, through = patch[..., 0] > 0.99, hole[..., 0] > 0.99
    assert held[at].mean() > 0.4
    assert held[through].mean() < 0.15
    assert ((held - cover[..., 0]) ** 2).mean() < 0.6 * ((said - cover[..., 0]) ** 2).mean()
    assert held[whole[..., 0] == 0].mean() < 0.01


@pytest.mark.parametrize("dark", [0.2, 0.35, 0.5])
def test_a_shadow_goes_and_stays_where_it_is_asked_for(dark: float):
    height, width = 360, 640
    wall = room(height, width)
    cover = disc(height, width, 0.4, 0.5, 80)[..., None]
    thrown = cv2.GaussianBlur(disc(height, width, 0.5, 0.58, 80), (0, 0), 9)[..., None]
    shaded = wall * (1 - dark * thrown)
    picture = as_bytes(np.array([0.2, 0.35, 0.7], np.float32) * cover + shaded * (1 - cover), 1)
    plate = as_bytes(wall, 2)
    beside = (thrown[..., 0] > 0.5) & (cover[..., 0] == 0)
    assert alpha(picture, plate)[beside].mean() < 0.1
    assert alpha(picture, plate)[cover[..., 0] == 1].mean() > 0.97
    kept = alpha(picture, plate, ignore_shadows=0.0)[beside].mean()
    assert kept == pytest.approx(
        alpha(picture, plate, ignore_shadows=0.0, hold=0.0)[beside].mean(), abs=0.02
    )


def test_nothing_there_is_nothing_kept_and_strength_is_gradual():
    height, width = 300, 400
    wall = room(height, width)
    bare, plate = as_bytes(wall * 1.05, 1), as_bytes(wall, 2)
    assert alpha(bare, plate).max() < 0.05
    cover = disc(height, width, 0.5, 0.5, 60)[..., None]
    picture = as_bytes(np.float32(0.1) * cover + wall * (1 - cover), 3)
    none, half, all_of_it = (alpha(picture, plate, hold=h) for h in (0.0, 0.5, 1.0))
    assert np.abs(half - (none + all_of_it) / 2).max() < 0.01


def test_tolerance_softness_and_shadows_go_on_counting():
    """What is weighed must not make the other values do nothing."""
    height, width = 300, 400
    wall = room(height, width)
    cover = disc(height, width, 0.3, 0.5, 70)[..., None]
    faint = cv2.GaussianBlur(disc(height, width, 0.75, 0.5, 50), (0, 0), 14)[..., None]
    picture = wall * (1 - cover) + (wall * 0.55 + np.float32((0.03, 0.12, 0.2))) * cover
    picture = as_bytes(picture * (1 - 0.7 * faint) + np.float32((0.9, 0.3, 0.6)) * 0.7 * faint, 3)
    plate, body = as_bytes(wall, 2), cover[..., 0] == 1
    mean = lambda **asked: float(alpha(picture, plate, **asked)[body].mean())  # noqa: E731
    assert (
        mean(tolerance=1.0)
        >= mean(tolerance=5.0)
        > mean(tolerance=20.0) + 0.1
        > mean(tolerance=60.0)
    )
    partly = (alpha(picture, plate) > 0.1) & (alpha(picture, plate) < 0.9)
    hard, soft = (alpha(picture, plate, softness=s)[partly].mean() for s in (1.0, 20.0))
    assert hard > alpha(picture, plate)[partly].mean() + 0.05 > soft + 0.1
    assert mean(ignore_shadows=1.0) <= mean(ignore_shadows=0.5) <= mean(ignore_shadows=0.0)


@pytest.mark.parametrize("gain", [(1.0, 1.0, 1.0), (0.8, 0.85, 0.9), (1.25, 1.2, 1.15)])
def test_the_light_is_found_although_most_is_covered(gain: tuple[float, float, float]):
    wall = room(270, 480) * 0.7
    covered = wall * np.float32(gain)
    covered[:, :290] = (0.7, 0.15, 0.1)
    found = light_between(as_bytes(covered, 1), as_bytes(wall, 2))
    assert found == pytest.approx(gain, rel=0.03)
    vivid = np.zeros((270, 480, 3), np.float32)  # where next to nothing has all three channels
    vivid[..., 0], vivid[:, 400:] = 0.8, 0.5
    covered = vivid.copy()
    covered[:, 330:] = (0.9, 0.05, 0.1)
    assert np.abs(light_between(as_bytes(covered, 1), as_bytes(vivid, 2)) - 1).max() < 0.05


def test_a_pixel_a_strip_and_a_plate_of_another_size():
    for height, width in ((1, 1), (1, 300), (300, 1), (7, 5)):
        picture, plate = (np.full((height, width, 4), v, np.uint8) for v in (200, 90))
        assert difference_key(picture, known_before(5, picture, plate)).shape == (
            height,
            width,
            4,
        )
    wall = room(270, 480)
    cover = disc(540, 960, 0.5, 0.5, 120)[..., None]
    large = cv2.resize(wall, (960, 540), interpolation=cv2.INTER_CUBIC)
    picture = as_bytes(np.array([0.8, 0.1, 0.5], np.float32) * cover + large * (1 - cover))
    assert np.abs(alpha(picture, as_bytes(wall, 1)) - cover[..., 0]).mean() < 0.01


def test_black_says_nothing_of_the_light():
    plate = np.full((64, 64, 4), 100, np.uint8)
    black = np.zeros_like(plate)
    with np.errstate(all="raise"):
        assert light_between(black, plate).tolist() == [1, 1, 1]
        black[:10] = 90  # what is seen beside a black curtain
        np.testing.assert_allclose(light_between(black, plate), 0.9, atol=1e-6)
