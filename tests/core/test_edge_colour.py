"""The colour of an edge: against the same written plainly, and nearer to the truth than what unmixing alone gives."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.test_keys import shown
from velvet_seam.core.picture.edge_colour import ROOM, edge_colour, edge_coloured
from velvet_seam.core.picture.screen_key import read_screen, screen_key
from velvet_seam.core.picture.unmix import RUN


def plainly(rows: np.ndarray) -> np.ndarray:
    """The middle of three rows, (3, w, 4) uint8, by the formula, in float64."""
    every = np.pad(rows / 255, ((0, 0), (1, 1), (0, 0)), mode="edge")
    alpha = every[..., 3]
    own = np.where(alpha[..., None] > 0, every[..., :3] / np.maximum(alpha, 1e-9)[..., None], 0)
    weight = alpha**3

    def around(values: np.ndarray) -> np.ndarray:
        tall = values.sum(0)
        return tall[:-2] + tall[1:-1] + tall[2:]

    total = np.maximum(around(weight), 1e-6)
    mean = around(weight[..., None] * own) / total[:, None]
    vary = (around(weight * (own**2).sum(-1)) / total - (mean**2).sum(-1)) / 3
    a = alpha[1, 1:-1]
    seen = a * a * (np.maximum(vary, 0) + 1e-4)
    by = np.where(a < 1, 0.05**2 / (seen + 0.05**2), 0)[:, None]
    colour = own[1, 1:-1] + (mean - own[1, 1:-1]) * by
    return 255 * np.concatenate([np.clip(colour * a[:, None], 0, a[:, None]), a[:, None]], -1)


@given(st.integers(0, 2**32 - 1), st.integers(1, RUN))
def test_it_is_the_formula(seed: int, width: int):
    rng = np.random.default_rng(seed)
    alpha = np.where(
        rng.random((3, width, 1)) < 0.3, rng.choice([0, 255]), rng.integers(0, 256, (3, width, 1))
    )
    rows = np.concatenate([rng.integers(0, 256, (3, width, 3)) * alpha // 255, alpha], -1).astype(np.uint8)  # fmt: skip
    first = int(rng.integers(0, width))
    last = int(rng.integers(first, width)) + 1
    packed, to = rows.view(np.uint32)[..., 0], np.zeros(width, np.uint32)
    edge_colour(*packed, first, last, np.empty(ROOM, np.float32), to)
    made = to.view(np.uint8).reshape(width, 4)
    assert np.abs(made[first:last] - plainly(rows)[first:last]).max() <= 1
    assert (made[first:last, 3] == rows[1, first:last, 3]).all()  # coverage is not its business
    whole = rows[1, first:last, 3] == 255
    assert (made[first:last][whole] == rows[1, first:last][whole]).all()
    assert (to[:first] == 0).all()
    assert (to[last:] == 0).all()


def test_a_whole_picture_is_its_rows():
    rng = np.random.default_rng(3)
    y, x = np.mgrid[:150, :300]
    alpha = np.clip(60 - np.hypot(y - 75, x - 150), 0, 1.5)[..., None] / 1.5
    alpha[:, -1] = 0.4  # and something at the edge of the picture
    picture = np.rint(np.dstack([rng.integers(90, 200, (150, 300, 3)) * alpha, 255 * alpha]))
    picture = picture.astype(np.uint8)
    made = edge_coloured(picture)
    assert (made != picture).any()
    for row in (0, 16, 74, 75, 149):
        beside = picture[[max(row - 1, 0), row, min(row + 1, 149)]]
        assert np.abs(made[row] - plainly(beside)).max() <= 1


@pytest.mark.parametrize("noise", [0, 2, 4])
def test_a_soft_edge_keeps_the_colour_of_what_it_is_the_edge_of(noise: int):
    """A disc of one colour before a screen, with grain: a rim of the screen's colour is what is looked for."""
    height, width, colour = 240, 200, np.array((205, 120, 60))
    y, x = np.mgrid[:height, :width]
    alpha = cv2.GaussianBlur((np.hypot(y - 120, x - 100) < 60).astype(np.float32), (0, 0), 0.8)
    card = np.array((60, 160, 70)) + (colour - (60, 160, 70)) * alpha[..., None]
    card += np.random.default_rng(5).normal(0, noise, card.shape) if noise else 0
    picture = np.dstack([np.clip(card + 0.5, 0, 255), np.full(alpha.shape, 255)]).astype(np.uint8)
    keyed = screen_key(picture, read_screen(picture, (60, 160, 70)), (60, 160, 70)) / 255
    part = (keyed[..., 3] > 0.15) & (keyed[..., 3] < 0.95)
    off = np.abs(255 * keyed[part][:, :3] / keyed[part][:, 3:] - colour).mean()
    assert part.sum() > 400
    assert off < 9  # by unmixing alone eleven to fourteen


def test_it_does_not_depend_on_how_many_work():
    picture, colour = shown("moth-on-card", 37), (66, 153, 67)
    screen, before, made = read_screen(picture, colour), nb.get_num_threads(), []
    try:
        for threads in (1, 2):
            nb.set_num_threads(min(threads, before))
            made.append(screen_key(picture, screen, colour, keep_shadows=0.4))
    finally:
        nb.set_num_threads(before)
    np.testing.assert_array_equal(*made)
