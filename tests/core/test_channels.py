"""Channels taken together one after the other are NumPy's own sums and extremes over the last axis, to the bit."""

from __future__ import annotations

import numpy as np
import pytest

from velvet_seam.core.picture.channels import least_of, mean_of, most_of, sum_of


@pytest.mark.parametrize("channels", [3, 4])
@pytest.mark.parametrize("kind", [np.uint8, np.float32])
def test_they_are_numpys_to_the_bit(channels: int, kind: type):
    rng = np.random.default_rng(channels)
    pixels = (rng.normal(100, 60, (37, 53, channels)) * 1.01).clip(0, 255).astype(kind)
    np.testing.assert_array_equal(most_of(pixels), pixels.max(-1))
    np.testing.assert_array_equal(least_of(pixels), pixels.min(-1))
    for some in (pixels.astype(np.float32), pixels[5:9, ::2].astype(np.float32)):
        np.testing.assert_array_equal(sum_of(some), some.sum(-1))
        np.testing.assert_array_equal(mean_of(some), some.mean(-1))
        assert mean_of(some).dtype == np.float32
