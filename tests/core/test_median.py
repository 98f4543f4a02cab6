"""The median of pictures beside NumPy's, of every number of them and every size of a run."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as some

from velvet_seam.core.picture.median import RUN, median


def by_numpy(pictures: np.ndarray) -> np.ndarray:
    return np.median(pictures, axis=0).astype(np.uint8)


@given(some.arrays(np.uint8, st.tuples(st.integers(1, 25), st.integers(1, 9))))
def test_it_is_numpys(pictures: np.ndarray):
    np.testing.assert_array_equal(median(pictures), by_numpy(pictures))


@pytest.mark.parametrize("shape", [(9, 31, 45, 4), (24, 1, RUN), (2, RUN + 1, 1), (1, 3, 3, 4)])
def test_pictures_of_any_size(shape: tuple[int, ...]):
    pictures = np.random.default_rng(len(shape)).integers(0, 256, shape, np.uint8)
    np.testing.assert_array_equal(median(pictures), by_numpy(pictures))
    turned = pictures.swapaxes(1, -1)  # not one value after the other in memory
    np.testing.assert_array_equal(median(turned), by_numpy(turned))
