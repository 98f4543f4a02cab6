"""Adjustment layers: a look over all that lies below, whole, in part, and in a window."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tests.core.test_goldens import Drawn, layer, seen, shot
from tests.core.test_looks import SET
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.looks import LOOKS
from velvet_seam.core.looks.lut import Lut
from velvet_seam.core.picture.colour import to_display, to_linear
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.words import kind_of


def adjusted(*parts: dict[str, Any], light: str = "display", **more: Any) -> Shot:
    below = [layer("garden", "garden"), layer("top", "paper", seam={"opacity": 70})]
    look = {"parts": [{"id": f"p-{n}", **one} for n, one in enumerate(parts)]}
    own = {**layer("all", "paper"), "source": {"kind": "adjustment"}, "look": look, **more}
    return shot(*below, own, light=light)


@pytest.mark.parametrize("light", ["display", "linear"])
def test_an_adjustment_at_part_of_its_strength_inside_a_mask_is_the_same_mixed_by_hand(light: str):
    """At 30 %, over layers that are joined in floats: no step of a level in between."""
    grade = {"kind": "light", "exposure": 1.5, "contrast": 20}
    mask = {"kind": "box", "id": "m-a", "width": 60, "height": 200, "feather_in": 12}
    seam = {"masks": [mask], "opacity": 30}
    base = adjusted(grade, light=light)
    plain = seen(base.model_copy(update={"layers": base.layers[:-1]})).astype(float)
    whole = seen(base).astype(float)
    mixed = seen(adjusted(grade, light=light, seam=seam)).astype(float)
    alone = {
        **layer("all", "paper"),
        "source": {"kind": "colour", "colour": "#ffffff"},
        "seam": {"masks": [mask]},
    }
    ground = shot(alone)
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    part_of = engine.picture(engine.plan(ground, 6, view="matte", chosen="l-all"))[..., :1] / 255
    if light == "linear":
        by_hand = (
            to_display(
                to_linear(plain / 255)
                + 0.3 * part_of * (to_linear(whole / 255) - to_linear(plain / 255))
            )
            * 255
        )
    else:
        by_hand = plain + 0.3 * part_of * (whole - plain)
    assert np.abs(mixed - by_hand).max() <= 1.3  # whole and plain were rounded for this


@pytest.mark.parametrize("kind", [kind_of(kind) for kind in LOOKS if kind is not Lut])
def test_every_part_acts_alike_on_a_layer_and_as_an_adjustment_of_it(kind: str):
    """On an opaque layer as large as the canvas, by itself."""
    one = {"kind": kind, "id": "p-a", **SET.get(kind, {})}
    only = shot({**layer("garden", "garden"), "look": {"parts": [one]}})
    own = {**layer("all", "paper"), "source": {"kind": "adjustment"}, "look": {"parts": [one]}}
    both = shot(layer("garden", "garden"), own)
    a, b = seen(only), seen(both)
    if kind not in ("grain",):  # its middle tones are weighed before rounding there, after it here
        assert np.abs(a.astype(int) - b).max() <= 2, kind
    assert np.abs(a.astype(int) - seen(shot(layer("garden", "garden")))).mean() > 0.4


@pytest.mark.parametrize("kind", [kind_of(kind) for kind in LOOKS])
def test_a_window_of_an_adjusted_picture_is_that_part_of_it(kind: str):
    one = {"kind": kind, **SET.get(kind, {})}
    small = {
        "line-blur": {"length": 12},
        "blur": {"radius": 4},
        "glow": {"radius": 3},
        "defocus": {"radius": 4},
    }
    of = adjusted({**one, **small.get(kind, {})})
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    sheet = Sheet.of(of)
    whole = engine.picture(engine.plan(of, 6, sheet=sheet))
    window = (24, 16, 48, 40)
    piece = engine.picture(engine.plan(of, 6, sheet=sheet.part(window)))
    x, y, w, h = window
    off = np.abs(whole[y : y + h, x : x + w].astype(int) - piece)
    assert off.max() <= 3, kind
    assert off.mean() < 0.35, kind


@pytest.mark.parametrize("light", ["display", "linear"])
def test_whichever_layer_is_chosen_the_picture_is_the_same(light: str):
    """What lies below the chosen layer is kept apart, whatever has acted on it by then: bit for bit."""
    whole = {**layer("all", "wall"), "source": {"kind": "adjustment"}}
    of = shot(
        layer("garden", "garden"),
        {**whole, "id": "l-soft", "look": {"parts": [{"kind": "blur", "id": "p-a", "radius": 3}]}},
        layer("top", "paper", around={"wrap": {"on": True}, "shadow": {"on": True}}),
        {**whole, "id": "l-tone", "look": {"parts": [{"kind": "light", "id": "p-b", "exposure": 0.5}]}},
        {**whole, "id": "l-blend", "seam": {"blend": "screen", "opacity": 40},
         "look": {"parts": [{"kind": "negative", "id": "p-c"}]}},
        layer("last", "card", place={"x": 30, "y": 30, "scale": 30}),
        light=light,
    )  # fmt: skip
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    plain = engine.picture(engine.plan(of, 6)).copy()
    for one in of.layers:
        made = engine.picture(engine.plan(of, 6, chosen=one.id))
        np.testing.assert_array_equal(made, plain, err_msg=one.id)
        below = engine.picture(engine.plan(of, 6, view="below", chosen=one.id))
        upto = of.model_copy(update={"layers": of.layers[: of.layers.index(one)]})
        np.testing.assert_array_equal(below, engine.picture(engine.plan(upto, 6)))
