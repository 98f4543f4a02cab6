"""HDR brought to SDR by tables and in rows, against the recommendations' formulas for each pixel by itself."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velvet_seam.core.media.clip import upright
from velvet_seam.core.picture.hdr import (
    P3_TO_709,
    PEAK,
    TO_709,
    WHITE,
    Transfer,
    hlg_to_scene,
    pq_to_light,
    to_sdr,
    toned,
)


def by_formula(rgb: np.ndarray, transfer: Transfer) -> np.ndarray:
    """(h, w, 3) 0 to 255, not rounded."""
    signal = rgb / 65535
    if transfer in ("2020", "P3"):
        light = signal**2.4
    else:
        light = hlg_to_scene(signal) if transfer == "HLG" else pq_to_light(signal) / PEAK
        if transfer == "HLG":
            light = light * (light @ [0.2627, 0.6780, 0.0593])[..., None] ** 0.2
        most = np.maximum(light.max(-1, keepdims=True), 1e-9)
        light = light * toned(most * PEAK) / (most * WHITE)
    out = light @ (P3_TO_709 if transfer == "P3" else TO_709).T
    grey, low = (out @ [0.2126, 0.7152, 0.0722])[..., None], out.min(-1, keepdims=True)
    out = np.where(low < 0, grey + (out - grey) * grey / np.maximum(grey - low, 1e-9), out)
    return 255 * np.clip(out, 0, 1) ** (1 / 2.4)


@settings(deadline=None, max_examples=60)
@given(
    seed=st.integers(0, 2**32), height=st.integers(1, 9), width=st.integers(1, 70), deep=st.sampled_from([0.1, 0.5, 1.0]),
    transfer=st.sampled_from(["HLG", "PQ", "2020", "P3"]),
)  # fmt: skip
def test_every_pixel_is_what_the_formulas_say(
    seed: int, height: int, width: int, deep: float, transfer: Transfer
) -> None:
    rng = np.random.default_rng(seed)
    grey = rng.uniform(0, deep, (height, width, 1))
    colour = np.clip(grey + rng.normal(0, 0.15, (height, width, 3)) * rng.integers(2), 0, 1)
    rgb = (colour * 65535).astype(np.uint16)
    got = to_sdr(rgb, transfer)
    assert got.shape == (height, width, 4)
    assert (got[..., 3] == 255).all()
    seen, wanted = got[..., :3].astype(np.float64), by_formula(rgb, transfer)
    error = np.abs(seen - wanted)
    # near black a step of a table is many levels and no light: the least channel of a colour at the edge of what sRGB has
    light = np.abs((seen / 255) ** 2.4 - (wanted / 255) ** 2.4)
    assert error[np.maximum(seen, wanted) >= 40].max(initial=0) < 3
    assert light.max() < 0.02
    assert light[np.maximum(seen, wanted) < 40].max(initial=0) < 3e-3
    assert np.median(error) < 0.6


@pytest.mark.parametrize("size", [(1, 1), (3, 5), (8, 2), (31, 64)])
def test_a_picture_is_turned_upright(size: tuple[int, int]) -> None:
    rgba = np.random.default_rng(1).integers(0, 256, (*size, 4), dtype=np.uint8)
    for turns in range(-4, 5):
        got = upright(rgba, 90 * turns)
        assert got.flags.c_contiguous
        np.testing.assert_array_equal(got, np.rot90(rgba, -turns))
