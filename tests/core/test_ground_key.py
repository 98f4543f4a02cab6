"""The ground key: white, grey and black grounds, shadows, white cloth and holes."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.lobes import iou, texture
from velvet_seam.core.media.still import read_still
from velvet_seam.core.roto.ground import before_ground, ground_of
from velvet_seam.core.roto.ground_key import ground_key
from velvet_seam.demo import hand
from velvet_seam.demo.draw import FOLDER

SIZE = (540, 360)


def drawn(
    level: float,
    cover: np.ndarray,
    tone: tuple[float, float, float],
    left: np.ndarray | float = 1.0,
    noise: float = 2.0,
) -> np.ndarray:
    """A textured subject before a ground that falls off by a fifth, of whose light so much is left."""
    height, width = cover.shape
    y, x = np.mgrid[:height, :width] / max(height, width)
    ground = (level * (1 - 0.2 * (x**2 + y**2)) * left)[..., None] * np.array([1.0, 1.01, 0.99])
    own = texture(height, width, 3, tone)
    mixed = own * cover[..., None] + ground * (1 - cover[..., None])
    mixed = mixed * 255 + np.random.default_rng(1).normal(0, noise, mixed.shape)
    return np.dstack([np.clip(np.rint(mixed), 0, 255), np.full((height, width), 255)]).astype(
        np.uint8
    )


def disc(x: float, y: float, r: float, size: tuple[int, int] = SIZE) -> np.ndarray:
    yy, xx = np.mgrid[: size[0], : size[1]].astype(np.float32)
    return np.clip((r - np.hypot(xx - x, yy - y)) / 2 + 0.5, 0, 1)


@pytest.mark.parametrize("level", [0.95, 0.5, 0.05])
@pytest.mark.parametrize("size", [(540, 360), (361, 543), (90, 160)])
def test_a_subject_before_a_plain_ground_is_found_with_its_shadow(
    level: float, size: tuple[int, int]
):
    height, width = size
    cover = disc(width * 0.45, height * 0.5, 0.24 * min(size), size)
    thrown = cv2.GaussianBlur(
        disc(width * 0.52, height * 0.58, 0.24 * min(size), size), (0, 0), 0.04 * min(size)
    )
    left = 1 - 0.4 * thrown * (level > 0.2)
    picture = drawn(level, cover, (0.7, 0.3, 0.2), left)
    bare = ground_key(picture, keep_shadows=0.0)[..., 3] / 255
    assert ((bare - cover) ** 2).mean() < 0.004
    beside = np.array([90.0, 120, 170])
    cut = ground_key(picture)
    over = cut[..., :3] + (1 - cut[..., 3:] / 255) * beside
    out = cover == 0
    wanted = beside * left[..., None]
    assert np.abs(over - wanted)[out].mean() < 3.5
    if level > 0.2:
        assert np.abs(beside - wanted)[out].mean() > 2 * np.abs(over - wanted)[out].mean()


def test_white_cloth_stays_and_a_hole_shows_the_ground():
    cover = disc(180, 270, 120)
    y, x = np.mgrid[: SIZE[0], : SIZE[1]]
    cloth = disc(140, 270, 40)
    hole = disc(230, 270, 30)
    folds = 0.93 + 0.1 * np.sin(x / 5 + y / 9)
    picture = drawn(0.95, cover * (1 - hole), (0.3, 0.35, 0.6)).astype(np.float32)
    picture[..., :3] += cloth[..., None] * (
        255 * np.clip(folds, 0, 1)[..., None] - picture[..., :3]
    )
    alpha = ground_key(np.clip(picture, 0, 255).astype(np.uint8), keep_shadows=0.0)[..., 3]
    assert (alpha[disc(140, 270, 34) == 1] > 250).mean() > 0.98
    assert alpha[disc(230, 270, 24) == 1].mean() < 20


def test_the_ground_is_known_behind_what_stands_before_it():
    cover = disc(180, 270, 150)
    picture = drawn(0.9, cover, (0.2, 0.2, 0.2))
    y, x = np.mgrid[: SIZE[0], : SIZE[1]] / 540
    truth = 0.9 * (1 - 0.2 * (x**2 + y**2))
    assert np.abs(ground_of(picture[..., :3] / np.float32(255)).mean(2) - truth).max() < 0.02


def test_nothing_before_it_everything_before_it_and_one_pixel():
    plain = drawn(0.95, np.zeros(SIZE), (0, 0, 0))
    assert ground_key(plain)[..., 3].mean() < 3
    assert not (before_ground(plain).inside > 0).any()
    rng = np.random.default_rng(0)
    for size in ((1, 1), (2, 3), (17, 5)):
        small = rng.integers(0, 256, (*size, 4), np.uint8)
        small[..., :3] = np.minimum(small[..., :3], small[..., 3:])
        assert ground_key(small).shape == small.shape
    clear = np.zeros((60, 40, 4), np.uint8)
    assert not ground_key(clear).any()


def test_what_must_differ_more_leaves_less():
    picture = drawn(0.95, disc(180, 270, 120), (0.8, 0.8, 0.82))
    areas = [int((before_ground(picture, differs).inside > 0).sum()) for differs in (0.4, 1.0, 4.0)]
    assert areas[0] >= areas[1] > areas[2]


def test_the_demo_s_hand_on_white_paper():
    picture = read_still(FOLDER / "cut-hand-still.jpg")
    _, truth = hand.truth()
    bare = ground_key(picture, keep_shadows=0.0)[..., 3] / 255
    # but for the roof of its lantern: grey, and in the shadow
    assert iou(bare > 0.5, truth > 0.5) > 0.92
    shadow = ground_key(picture)[..., 3] / 255 - bare
    there = (truth < 0.01) & (picture[..., :3].mean(2) < 225)  # darker than the paper
    assert shadow[there].mean() > 0.08
