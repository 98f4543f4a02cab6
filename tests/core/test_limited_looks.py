"""Parts of a look that act only where: masks fixed to the canvas, the light of another layer, that of the picture."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest

from tests.core.test_goldens import HEIGHT, WIDTH, layer, seen, shot
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import DuplicateLayer, RemoveLayer, apply
from velvet_seam.core.shot.grouping import grouped
from velvet_seam.core.shot.revise import without_others

UP = {"kind": "light", "id": "p-a", "exposure": 1.0}
BOX = {
    "kind": "box",
    "id": "m-a",
    "width": 50,
    "height": 40,
    "x": 8,
    "feather_in": 3,
    "feather_out": 3,
}
PLACES = [
    {"x": 60, "y": 40},
    {"x": 44, "y": 50, "scale": 80, "rotation": 30},
    {"x": 66, "y": 40, "scale": 130, "flip_x": True},
    {
        "x": 60,
        "y": 40,
        "pins": {"top_left_x": 18, "top_left_y": 9, "bottom_right_x": -14, "bottom_right_y": 6},
    },
]


def worn(*parts: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {**layer("garden", "garden"), "look": {"parts": list(parts)}, **more}


@pytest.mark.parametrize("place", PLACES)
def test_a_mask_of_a_part_stays_on_the_canvas_however_the_layer_lies(place: dict[str, Any]):
    """As the layer with the whole look, masked on the canvas, over itself without it."""
    made = seen(shot(worn({**UP, "masks": [{**BOX, "fixed": "canvas"}]}, place=place)))
    bare, whole = seen(shot(worn(place=place))), seen(shot(worn(UP, place=place)))
    mask = {**layer("m", "garden"), "source": {"kind": "colour", "colour": "#ffffff"}}
    mask["seam"] = {"masks": [BOX]}
    part = seen(shot(mask, canvas={"width": WIDTH, "height": HEIGHT, "background": "#000000"}))
    part = part[..., :1] / 255.0
    by_hand = bare + part * (whole.astype(float) - bare)
    inside = cv2.erode(
        (np.abs(bare.astype(int) - [0x30, 0x38, 0x48]).max(-1) > 0).astype(np.uint8),
        np.ones((5, 5)),
    )
    off = np.abs(made - by_hand).max(-1)[inside > 0]
    assert off.mean() < 1.0
    assert np.quantile(off, 0.99) <= 14  # where a soft edge is resampled once more
    assert np.abs(made.astype(int) - bare).max() > 40


def test_a_mask_on_the_canvas_does_not_move_with_its_layer():
    def lit(x: float) -> np.ndarray:
        one = {**UP, "masks": [{**BOX, "fixed": "canvas", "feather_in": 0, "feather_out": 0}]}
        place, flat = {"x": x, "y": 40}, {"kind": "colour", "colour": "#606060"}
        return seen(shot(worn(one, place=place, source=flat)))[40, :, 0] > 0x68

    here, there = lit(60), lit(40)
    np.testing.assert_array_equal(here[4:96], there[4:96])
    assert here.any()
    assert not here.all()


def lamp(**more: Any) -> dict[str, Any]:
    return {**layer("lamp", "paper"), "hidden": True, **more}


@pytest.mark.parametrize("place", PLACES)
@pytest.mark.parametrize("of", ["brightness", "coverage"])
def test_light_is_laid_through_another_layer_where_that_lies(of: str, place: dict[str, Any]):
    """Whether it is itself seen or not."""
    lies = {"x": 70, "y": 36, "scale": 70}
    through = {"layer": "l-lamp", "of": of}
    made = seen(shot(worn({**UP, "through": through}, place=place), lamp(place=lies)))
    bare, whole = (seen(shot(worn(*parts, place=place))) for parts in ((), (UP,)))
    black = {"width": WIDTH, "height": HEIGHT, "background": "#000000"}
    shown = lamp(place=lies, hidden=False)
    if of == "coverage":
        shown["look"] = {"parts": [{"kind": "light", "id": "p-w", "exposure": 20}]}
    plane = seen(shot(shown, canvas=black)).astype(float)
    part = (plane.max(-1) if of == "coverage" else plane @ [0.2126, 0.7152, 0.0722])[
        ..., None
    ] / 255
    by_hand = bare + part * (whole.astype(float) - bare)
    off = np.abs(made - by_hand).max(-1)
    assert off.mean() < 1.2
    assert np.abs(made.astype(int) - bare).max() > 20


@pytest.mark.parametrize("adjusts", [False, True])
def test_light_is_laid_on_what_is_bright_or_dark_of_the_picture_itself(adjusts: bool):
    part = {**UP, "through": {"invert": True}}
    bare, whole = seen(shot(worn())), seen(shot(worn(UP)))
    if adjusts:
        all_ = {
            **layer("all", "paper"),
            "source": {"kind": "adjustment"},
            "look": {"parts": [part]},
        }
        made = seen(shot(worn(), all_))
    else:
        made = seen(shot(worn(part)))
    luma = bare @ np.array([0.2126, 0.7152, 0.0722]) / 255
    by_hand = bare + (1 - luma[..., None]) * (whole.astype(float) - bare)
    assert np.abs(made - by_hand).max() <= 2.5


def test_an_adjustment_acts_through_a_layer_too_and_inside_a_mask_at_once():
    part = {**UP, "through": {"layer": "l-lamp", "of": "coverage", "spread": 6}, "masks": [BOX]}
    all_ = {**layer("all", "paper"), "source": {"kind": "adjustment"}, "look": {"parts": [part]}}
    made = seen(shot(worn(), lamp(), all_)).astype(int)
    own = seen(shot(worn(part), lamp())).astype(int)
    assert np.abs(made - own).max() <= 3
    bare = seen(shot(worn())).astype(int)
    assert np.abs(made - bare).max() > 40
    assert not np.abs(made - bare)[:, :35].any()


def test_a_layer_that_is_gone_or_asks_back_lets_nothing_through():
    through = {"layer": "l-lamp"}
    of = shot(worn({**UP, "through": through}), lamp())
    bare = seen(shot(worn()))
    gone = apply(of, RemoveLayer(layer="l-lamp"))
    np.testing.assert_array_equal(seen(gone), bare)
    both = [
        worn({**UP, "through": through}),
        lamp(hidden=False, look={"parts": [{**UP, "id": "p-b", "through": {"layer": "l-garden"}}]}),
    ]
    assert seen(shot(*both)).any()  # a circle ends
    later = shot(worn({**UP, "through": through}), lamp(span={"first": 8, "last": 11}))
    np.testing.assert_array_equal(seen(later, 6), bare)
    assert np.abs(seen(later, 9).astype(int) - seen(shot(worn()), 9)).max() > 20


def test_copies_keep_it_groups_refuse_to_break_it_and_kept_looks_forget_it():
    of = shot(worn({**UP, "through": {"layer": "l-lamp"}}), lamp())
    twice = apply(of, DuplicateLayer(layer="l-garden", new_id="l-two"))
    assert twice.layer("l-two").look.parts[0].through.layer == "l-lamp"
    with pytest.raises(Problem, match="acts through lamp"):
        grouped(of, ["l-garden"], "g")
    assert without_others(of.layer("l-garden").look).parts[0].through is None
    own = shot(worn({**UP, "through": {}}))
    assert without_others(own.layer("l-garden").look).parts[0].through is not None
