"""Masks act in their order, whatever each of them is fixed to or follows."""

from __future__ import annotations

from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_goldens import HEIGHT, WIDTH, layer, seen, shot

MASKS = st.lists(
    st.fixed_dictionaries(
        {
            "kind": st.sampled_from(["box", "oval"]), "use": st.sampled_from(["limit", "limit", "garbage", "keep"]),
            "combine": st.sampled_from(["add", "subtract", "intersect"]), "invert": st.sampled_from([False, False, True]),
            "fixed": st.sampled_from(["layer", "canvas"]), "x": st.integers(-40, 40), "y": st.integers(-30, 30),
            "width": st.integers(20, 70), "height": st.integers(20, 50), "feather_out": st.sampled_from([0, 6]),
        }
    ),
    min_size=2, max_size=4,
)  # fmt: skip
KEY = {"kind": "screen-key", "id": "k-a", "colour": "#32a546"}


def picture(masks: list[dict[str, Any]], keyed: bool, cropped: bool, **more: Any) -> np.ndarray:
    """A layer that lies on the whole canvas, pixel on pixel, so that its middle is the canvas's."""
    seam = {
        "masks": [one | {"id": f"m-{n}"} for n, one in enumerate(masks)], "matte": [KEY] if keyed else [],
    }  # fmt: skip
    crop = {"left": 20.0, "bottom": 15.0} if cropped else {}
    top = layer("top", "card", seam=seam, crop=crop, **more)
    return seen(shot(layer("garden", "garden"), top)).astype(int)


@settings(max_examples=60, deadline=None)
@given(MASKS, st.booleans(), st.booleans())
def test_it_makes_no_difference_what_masks_are_fixed_to_where_that_is_the_same(
    masks: list[dict[str, Any]], keyed: bool, cropped: bool
):
    """What is kept is kept before what is removed, limits are added and taken away in their order."""
    together = [one | {"fixed": "layer"} for one in masks]
    off = np.abs(picture(masks, keyed, cropped) - picture(together, keyed, cropped))
    # two that remove are multiplied or joined, which differs where both are soft
    soft = any(one["feather_out"] for one in masks)
    assert off.max() <= (70 if soft else 3)
    assert (off > 3).mean() < (0.08 if soft else 0.002)


def test_what_follows_a_track_is_keyed_though_others_leave_nothing_of_its_rows():
    box = {"kind": "box", "width": 60, "height": 16, "x": 0}
    upper, lower = box | {"y": -30}, box | {"y": 10}
    still = {"id": "t-a", "name": "Corner", "first": 0, "path": [[9, 9]] * 12}
    follow = {"tracks": ["t-a"], "how": "shift", "frame": 0}
    plain = picture([upper, lower], True, False)
    led = picture([upper, lower | {"follow": follow}], True, False, tracks=[still])
    np.testing.assert_array_equal(led, plain)
    assert plain.shape == (HEIGHT, WIDTH, 3)
    assert np.abs(plain - picture([upper], True, False)).max() > 60
