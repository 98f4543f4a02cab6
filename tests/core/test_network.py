"""The networks that weigh estimates of coverage, against plain NumPy in 64 bits."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from velvet_seam.core.picture import difference_estimates, difference_facts, estimates, surroundings
from velvet_seam.core.picture.network import LANES

WIDTHS = (1, 19, LANES - 1, LANES, LANES + 1, 2 * LANES + 3)
"""Rows are worked out so many pixels at a time: shorter, as long, and longer ones."""


def plainly(name: str, given: np.ndarray) -> np.ndarray:
    """Weights of the estimates but the last: (h, w, estimates)."""
    with np.load(Path(estimates.__file__).with_name(f"{name}.npz")) as held:
        numbers = {one: held[one].astype(float) for one in held.files}
    x = given.reshape(len(given), -1).astype(float)
    for layer in "12":
        x = numbers[f"w{layer}"] @ x + numbers[f"b{layer}"][:, None]
        x = np.where(x > 0, x, 0.1 * x)
    x = np.maximum(1 + (numbers["w3"] @ x + numbers["b3"][:, None]) / 8, 0.05) ** 8
    return np.moveaxis((x / x.sum(0))[:-1].reshape(-1, *given.shape[1:]), 0, 2)


def told(facts: int, width: int) -> np.ndarray:
    return np.random.default_rng(3).normal(0.4, 0.4, (facts, 7, width)).astype(np.float32)


@pytest.mark.parametrize("width", WIDTHS)
def test_the_weights_of_the_difference_key(width: int):
    given = told(difference_facts.FACTS, width)
    assert np.abs(difference_estimates.weighed(given) - plainly("difference", given)).max() < 1e-4


@pytest.mark.parametrize("width", WIDTHS)
@pytest.mark.parametrize("part", [0.0, 0.1, 0.6, 1.0])
def test_the_weights_of_the_screen_key_wherever_they_are_asked_for(width: int, part: float):
    """In a row some pixels are asked about, or none, or all; where all around is screen nothing is weighed."""
    given = told(surroundings.FACTS, width)
    asked = np.random.default_rng(width).random((7, width)) < part
    given[surroundings.LEAST_BESIDE] = 0.5
    given[surroundings.MOST_NEAR] = np.where(asked, 0.5, 0)
    wanted = plainly("estimates", given) * asked[..., None]
    assert np.abs(estimates.weighed(given).weights - wanted).max() < 1e-4
