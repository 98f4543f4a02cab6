"""Ways of seeing a layer beside their formulas in plain NumPy, on pictures of every kind of edge and at odd sizes."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from velvet_seam.core.engine import show
from velvet_seam.core.engine.comparing import compared
from velvet_seam.core.engine.show import DROPPED, HOLE, MAT, SPECK, on_sheet, show_dropped
from velvet_seam.core.picture.coverage import brightness
from velvet_seam.core.picture.placement import Patch

SIZE = (91, 67)


def patch(seed: int, left: int = 0, top: int = 0, size: tuple[int, int] = SIZE) -> Patch:
    """Premultiplied noise of soft coverage, clear and whole in places."""
    rng, (width, height) = np.random.default_rng(seed), size
    rough = cv2.GaussianBlur(rng.random((height, width)).astype(np.float32), (0, 0), 4)
    cover = np.clip((rough - rough.mean()) / rough.std() + 0.5, 0, 1)
    pixels = rng.integers(0, 256, (height, width, 4)) * cover[..., None]
    pixels[..., 3] = 255 * cover
    return Patch(left, top, pixels.astype(np.uint8))


UPPER, LOWER = patch(1), patch(2, 7, 5, (60, 50))


def over(picture: np.ndarray, grey: np.ndarray | int) -> np.ndarray:
    return picture[..., :3] + grey * (1 - picture[..., 3:] / 255)


def test_the_checker_shows_through_what_is_clear():
    kept = on_sheet(SIZE, LOWER).astype(float)
    y, x = np.mgrid[: SIZE[1], : SIZE[0]] // 16
    ground = np.where((x + y) % 2 == 0, 180.0, 140.0)[..., None]
    made = show.show_on_checker(SIZE, LOWER)
    assert np.abs(made[..., :3] - over(kept, ground)).max() <= 0.501
    assert (made[..., 3] == 255).all()


def test_what_is_dropped_is_tinted_by_as_much_as_is_gone():
    whole, kept = on_sheet(SIZE, UPPER).astype(float), on_sheet(SIZE, LOWER).astype(float)
    gone = np.clip(whole[..., 3:] - kept[..., 3:], 0, None) / 255
    want = whole[..., :3] * (1 - 0.72 * gone) + 0.72 * gone * np.array(DROPPED)
    want = np.where(whole[..., 3:] > 0, want, MAT)
    made = show_dropped(SIZE, UPPER, LOWER)
    marked = np.zeros((SIZE[1], SIZE[0]), bool)
    for mark in (SPECK, HOLE):
        marked |= (made[..., :3] == mark).all(-1)
    assert marked.mean() < 0.5
    assert np.abs(made[..., :3] - want)[~marked].max() <= 0.501
    assert (show_dropped(SIZE, None, None)[..., :3] == MAT).all()


def test_a_speck_and_a_hole_have_colours_of_their_own():
    whole = np.full((200, 180, 4), 255, np.uint8)
    kept = np.zeros_like(whole)
    kept[20:120, 20:120], kept[60:63, 60:63], kept[160:162, 150:152] = 255, 0, 255
    made = show_dropped((180, 200), Patch(0, 0, whole), Patch(0, 0, kept))[..., :3]
    assert made[61, 61].tolist() == list(HOLE)
    assert made[160, 150].tolist() == list(SPECK)
    assert made[40, 40].tolist() == [255, 255, 255]


@pytest.mark.parametrize("how", ["half", "difference", "upper", "lower"])
def test_two_layers_against_each_other(how: str):
    one, other = (on_sheet(SIZE, of).astype(float) for of in (UPPER, LOWER))
    both = (one[..., 3:] > 0) & (other[..., 3:] > 0)
    want = {
        "half": (over(one, MAT) + over(other, MAT)) / 2,
        "difference": np.where(both, np.minimum(3 * np.abs(one - other)[..., :3], 255), MAT),
        "upper": over(one, MAT),
        "lower": over(other, MAT),
    }[how]
    made = compared(how, SIZE, 3.0, UPPER, LOWER)
    assert np.abs(made[..., :3] - want).max() <= 1.01
    assert (made[..., 3] == 255).all()


def test_brightness_is_the_luma_of_every_colour():
    rng = np.random.default_rng(0)
    some = rng.integers(0, 256, (41, 57, 4), np.uint8)
    luma = some[..., :3] @ np.array([0.2126, 0.7152, 0.0722])
    assert np.abs(brightness(some) - luma).max() <= 0.501
    assert np.abs(brightness(some[::2, ::3]).astype(int) - brightness(some)[::2, ::3]).max() == 0
