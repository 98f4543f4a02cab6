"""Sprites: drawn row by row where they may cover anything, and the same as where every pixel is asked."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from velvet_seam.core.picture.sprites import DOT, RING, SLIP, STREAK, drawn

F64 = NDArray[np.float64]


def covers(shape: int, dx: F64, dy: F64, radius: float, turn: float, long: float) -> F64:
    """What each shape is, by its definition."""
    far = np.hypot(dx, dy)
    if shape == DOT:
        u = np.maximum(0, 1 - far / radius)
        return u * u * (3 - 2 * u)
    if shape == RING:
        edge = np.clip(max(1, 0.1 * radius) - abs(far - 0.85 * radius) + 0.5, 0, 1)
        shine = np.maximum(
            0, 1 - np.hypot(dx + 0.35 * radius, dy + 0.35 * radius) / (0.25 * radius)
        )
        return np.minimum(1, 0.75 * edge + np.where(far < 0.85 * radius, 0.1, 0) + shine)
    u = abs(dx * np.cos(turn) + dy * np.sin(turn))
    v = abs(dy * np.cos(turn) - dx * np.sin(turn))
    if shape == SLIP:
        return np.clip(radius - u + 0.5, 0, 1) * np.clip(radius * long - v + 0.5, 0, 1)
    across = np.maximum(0, 1 - (v / max(0.35 * radius, 0.5)) ** 2)
    return np.maximum(0, 1 - u / (radius * long)) * across


@pytest.mark.parametrize("shape", [DOT, RING, SLIP, STREAK])
@given(
    size=st.tuples(st.integers(1, 90), st.integers(1, 70)),
    count=st.integers(1, 5),
    level=st.booleans(),
    seed=st.integers(0, 999),
)
def test_sprites_are_what_each_is_at_every_pixel(
    shape: int, size: tuple[int, int], count: int, level: bool, seed: int
):
    rng = np.random.default_rng(seed)
    x, y = rng.uniform(-20, size[0] + 20, count), rng.uniform(-20, size[1] + 20, count)
    radius, long = rng.uniform(0.6, 30, count), rng.choice([0.3, 0.6, 1.0, 5.0], count)
    turn = rng.choice([0, np.pi / 2, np.pi], count) if level else rng.uniform(-7, 7, count)
    strength, colours = rng.uniform(0, 1, count), rng.uniform(0, 1, (count, 3))
    f = np.float32
    made = drawn(
        size, shape, x.astype(f), y.astype(f), radius.astype(f), turn.astype(f), long.astype(f), strength.astype(f),
        colours.astype(f),
    )  # fmt: skip
    i, j = np.meshgrid(np.arange(size[0]) + 0.5, np.arange(size[1]) + 0.5)
    want = np.zeros((size[1], size[0], 4))
    for n in range(count):
        a = covers(shape, i - x[n], j - y[n], radius[n], turn[n], long[n])[..., None] * strength[n]
        want = a * 255 * np.append(colours[n], 1) + want * (1 - a)
    assert np.abs(made - want).max() <= 0.5 * count + 0.1
