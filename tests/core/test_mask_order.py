"""Masks act in their order, whatever each of them is fixed to or follows."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_goldens import HEIGHT, WIDTH, found, layer, seen, shot
from velvet_seam.core.engine.engine import Engine

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


MATTES = st.lists(
    st.tuples(st.sampled_from("ab"), st.sampled_from(["add", "subtract", "intersect"]), st.booleans()),
    min_size=2, max_size=3,
)  # fmt: skip
TAKEN: dict[str, dict[str, Any]] = {
    "a": {"kind": "luma-key"}, "b": {"kind": "layer-matte", "layer": "l-b"},
}  # fmt: skip


def coverage(mattes: list[dict[str, Any]], masks: list[dict[str, Any]]) -> np.ndarray:
    """Of a layer cut out by its own brightness and by another layer, 0 to 1."""
    named = [[one | {"id": f"{kind}-{n}"} for n, one in enumerate(ones)]
             for kind, ones in (("k", mattes), ("m", masks))]  # fmt: skip
    top = layer("top", "garden", seam={"matte": named[0], "masks": named[1]})
    engine = Engine(found)
    of = shot(layer("b", "garden", crop={"left": 45.0}, hidden=True), top)
    return engine.picture(engine.plan(of, 6, view="matte", chosen="l-top"))[..., 0] / 255


@settings(max_examples=80, deadline=None)
@given(MATTES, MASKS)
def test_mattes_are_joined_in_their_order_wherever_they_are_taken_from(
    mattes: list[tuple[str, str, bool]], masks: list[dict[str, Any]]
):
    """Then what is kept is added, and what is removed taken away: as sets, where every one of them is sure."""
    masks = [one | {"fixed": "layer", "feather_out": 0, "combine": "intersect"} for one in masks]
    sure = np.ones((HEIGHT, WIDTH), bool)
    left: np.ndarray | None = None
    for what, combine, invert in mattes:
        own = coverage([TAKEN[what] | {"invert": invert}], [])
        sure &= (own < 0.004) | (own > 0.996)
        before = np.ones_like(own) if left is None else left
        first = left is None and combine == "add"
        left = {
            "add": own if first else np.maximum(before, own), "subtract": before * (1 - own), "intersect": before * own,
        }[combine]  # fmt: skip
    assert left is not None
    for use in ("keep", "garbage", "limit"):
        for one in (mask for mask in masks if mask["use"] == use):
            own = coverage([], [one | {"use": "limit"}])
            sure &= (own < 0.004) | (own > 0.996)
            left = {
                "keep": np.maximum(left, own), "garbage": left * (1 - own), "limit": left * own,
            }[use]  # fmt: skip
    held = [TAKEN[w] | {"combine": c, "invert": i} for w, c, i in mattes]
    off = np.abs(coverage(held, masks) - left)[sure]
    assert sure.mean() > 0.2
    assert (off > 0.02).mean() < 0.002, (mattes, masks)


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


@pytest.mark.parametrize(
    "place",
    [
        {"x": 60, "y": 40}, {"x": 90, "y": 33}, {"x": 52, "y": 44, "scale": 60, "rotation": 25}, {"x": 60, "y": 40, "flip_x": True, "rotation": 10},
    ],
)  # fmt: skip
@pytest.mark.parametrize("fixed", ["layer", "canvas"])
def test_a_mask_in_the_look_of_an_adjustment_layer_moves_with_it(place: dict[str, Any], fixed: str):
    """Where it limits one part of the look is where it would limit the whole layer."""
    box = {"kind": "box", "id": "m-a", "width": 50, "height": 34, "x": 8, "fixed": fixed}

    def adjusted(of_layer: bool) -> np.ndarray:
        part = {"kind": "negative", "id": "p-a", "masks": [] if of_layer else [box]}
        adjustment = {
            **layer("a", "wall"), "source": {"kind": "adjustment"}, "place": place, "look": {"parts": [part]},
            "seam": {"masks": [box] if of_layer else []},
        }  # fmt: skip
        return seen(shot(layer("garden", "garden"), adjustment)).astype(int)

    whole, part = adjusted(True), adjusted(False)
    assert (np.abs(whole - part) > 12).mean() < 0.03  # along its rim
