"""Crop, border, shadows, glow and light wrap: against what they must be by their own words."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tests.core.test_goldens import HEIGHT, WIDTH, Drawn, layer, seen, shot
from velvet_seam.core.around import AROUND
from velvet_seam.core.around.border import distance
from velvet_seam.core.around.dashes import dashes
from velvet_seam.core.around.wrap import wrapped
from velvet_seam.core.engine import surrounding
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.shot.around import Around
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.at import At

MIDDLE = {"x": WIDTH / 2, "y": HEIGHT / 2}
BACK = np.array([0x30, 0x38, 0x48])


def card(**more: Any) -> dict[str, Any]:
    """A grey square of 40 × 40 canvas pixels in the middle: a colour, cropped."""
    crop = {"left": 100 / 3, "right": 100 / 3, "top": 25, "bottom": 25}
    return {
        **layer("card", "wall"),
        "source": {"kind": "colour", "colour": "#808080"},
        "crop": crop,
        **more,
    }


def coverage(of: Shot) -> np.ndarray:
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    return engine.picture(engine.plan(of, 6, view="matte", chosen="l-card"))[..., 0]


def test_a_crop_cuts_off_parts_of_pixels_too():
    plane = coverage(shot(card()))
    want = np.zeros((HEIGHT, WIDTH))
    want[20:60, 40:80] = 255
    np.testing.assert_array_equal(plane, want)
    fine = coverage(shot(card(crop={"left": 10.25, "right": 0, "top": 50, "bottom": 0})))
    assert abs(fine[60, 12] - 0.7 * 255) <= 1  # 12.3 of 120 pixels are cut off
    assert (fine[60, 13:] == 255).all()
    assert not fine[:40].any()
    assert not coverage(shot(card(crop={"left": 60, "right": 50}))).any()


def test_corners_are_round_and_a_soft_rim_fades_inward():
    round_ = coverage(
        shot(card(crop={"left": 100 / 3, "right": 100 / 3, "top": 25, "bottom": 25, "radius": 20}))
    )
    far = np.hypot(*(np.mgrid[:HEIGHT, :WIDTH] + 0.5 - np.array([40, 60])[:, None, None]))
    assert (round_[far < 19.3] == 255).all()
    assert not round_[far > 20.7].any()
    assert abs(round_.sum() / 255 - np.pi * 400) < 3
    soft = coverage(shot(card(crop={"softness": 20, "left": 0, "top": 0, "right": 0, "bottom": 0})))
    row = soft[HEIGHT // 2, :24].astype(int)
    assert (np.diff(row) >= 0).all()
    assert abs(int(row[10]) - 134) <= 1  # 10.5 of 20 pixels inside
    assert row[21] == 255


def test_a_crop_turns_and_scales_with_its_layer():
    place = {**MIDDLE, "scale": 50, "rotation": 90}
    plane = coverage(shot(card(place=place)))
    assert abs(plane.sum() / 255 - 20 * 20) < 2
    side = coverage(shot(card(place=place, crop={"left": 50})))
    rows, columns = np.nonzero(side)
    assert rows.min() >= HEIGHT // 2 - 1  # what lay at the right is below now
    assert columns.max() - columns.min() + 1 == 40


def test_distance_is_true_to_parts_of_a_pixel():
    y, x = np.mgrid[:120, :120] + 0.5
    far = np.hypot(x - 60.3, y - 59.6) - 31.4
    plane = np.rint(255 * np.clip(0.5 - far, 0, 1)).astype(np.uint8)
    off = distance(plane) - far
    assert np.abs(off).mean() < 0.12
    assert np.quantile(np.abs(off), 0.97) < 0.5
    assert np.abs(off[np.abs(far) < 25]).max() < 1  # in the middle many pixels are as near
    for angle in (0, 20, 45, 70):
        c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
        line = (x - 60) * c + (y - 60) * s
        plane = np.rint(255 * np.clip(0.5 - line, 0, 1)).astype(np.uint8)
        off = (distance(plane) - line)[20:-20, 20:-20]
        assert np.abs(off).max() < 1, angle
        assert np.abs(off).mean() < 0.25, angle


@pytest.mark.parametrize(
    ("place", "inner", "outer"), [("outside", 20, 26), ("centred", 17, 23), ("inside", 14, 20)]
)
def test_a_border_lies_where_it_is_said(place: str, inner: int, outer: int):
    border = {"border": {"on": True, "width": 6, "colour": "#ff0000", "place": place}}
    made = seen(shot(card(around=border)))
    row = made[HEIGHT // 2, WIDTH // 2 :]  # from the middle of the card to the right
    assert (row[: inner - 1] == (128, 128, 128)).all()
    assert (row[inner + 1 : outer - 1] == (255, 0, 0)).all()
    assert (row[outer + 1 :] == BACK).all()


def test_a_side_is_measured_as_it_is_with_the_other():
    """A border outside asks for one side alone, which takes half the time."""
    rng = np.random.default_rng(3)
    for n in range(12):
        y, x = np.mgrid[:50, :70]
        plane = np.clip(rng.uniform(2, 25) - np.hypot(x - 35, y - 25), 0, 1)
        plane = rng.uniform(0, 1, plane.shape) if n % 4 == 0 else plane
        both = distance(np.rint(255 * plane).astype(np.uint8))
        for side in (both > 0, both < 0):
            named = "outside" if both[side][0] > 0 else "inside"
            asked = {"outside": named == "outside", "inside": named == "inside"}
            alone = distance(np.rint(255 * plane).astype(np.uint8), **asked)
            np.testing.assert_array_equal(alone[side], both[side])
            assert (np.abs(alone[~side]) == 1e4).all()


def test_a_shadow_is_the_shape_shifted_and_blurred():
    hard = {"shadow": {"on": True, "x": 8, "y": 5, "blur": 0, "opacity": 100, "colour": "#000000"}}
    made = seen(shot(card(around=hard)))
    assert (made[60:65, 48:88] == 0).all()
    assert (made[25:65, 80:88] == 0).all()
    assert (made[20:60, 40:80] == 128).all()
    assert (made[:25, 81:] == BACK).all()
    half = {"shadow": {**hard["shadow"], "opacity": 50}}
    assert np.abs(seen(shot(card(around=half)))[62, 60] - BACK / 2).max() <= 1
    part = {"shadow": {**hard["shadow"], "x": 8.5}}
    edge = seen(shot(card(around=part)))[62]
    assert np.abs(edge[88] - BACK / 2).max() <= 1  # half of a pixel
    soft = {"shadow": {**hard["shadow"], "blur": 16}}
    dark = BACK - seen(shot(card(around=soft))).astype(int)
    assert (np.diff(dark[62:75, 60, 1]) <= 0).all()


def test_what_lies_outside_the_canvas_still_casts_its_shadow_in():
    away = card(
        place={"x": WIDTH / 2 - 85, "y": HEIGHT / 2},
        around={"shadow": {"on": True, "x": 30, "y": 0, "blur": 4}},
    )
    made = seen(shot(away)).astype(int)
    assert (BACK - made[HEIGHT // 2, :20]).max() > 20
    assert not coverage(shot(away)).any()


def test_a_floor_shadow_lies_at_the_lowest_point():
    floor = {
        "floor": {
            "on": True,
            "height": 30,
            "lean": 100,
            "blur": 0,
            "opacity": 100,
            "colour": "#000000",
        }
    }
    dark = (seen(shot(card(around=floor))) < 20).all(axis=-1)
    rows, columns = np.nonzero(dark)
    assert rows.max() in (58, 59, 60)
    assert rows.min() >= 47  # 12 of 40 rows high
    assert columns.max() >= 85  # it leans to the right
    assert not dark[:40].any()


def test_light_wrap_only_adds_and_never_beyond_coverage():
    rng = np.random.default_rng(2)
    alpha = np.zeros((60, 80), np.uint8)
    alpha[15:45, 20:60] = 255
    alpha[15:45, 20:24] = (60, 120, 180, 230)
    colour = rng.integers(0, 256, (60, 80, 3)) * alpha[..., None] // 255
    patch = Patch(7, 9, np.dstack([colour, alpha]).astype(np.uint8))
    below = rng.integers(0, 256, (90, 110, 4), dtype=np.uint8)
    made = wrapped(4.0, 1.0, patch, below, 0, 0)
    assert made is not None
    assert (made.left, made.top) == (7, 9)
    np.testing.assert_array_equal(made.pixels[..., 3], alpha)
    assert (made.pixels[..., :3] >= patch.pixels[..., :3]).all()
    assert (made.pixels[..., :3] <= alpha[..., None]).all()
    np.testing.assert_array_equal(
        made.pixels[28:32, 38:42], patch.pixels[28:32, 38:42]
    )  # deep inside
    black = wrapped(4.0, 1.0, patch, np.zeros_like(below), 0, 0)
    assert black is not None
    np.testing.assert_array_equal(black.pixels, patch.pixels)


def test_a_bright_ground_shines_over_the_rim():
    ground = {**layer("ground", "garden"), "source": {"kind": "colour", "colour": "#ffffff"}}
    plain = seen(shot(ground, card())).astype(int)
    made = seen(
        shot(ground, card(around={"wrap": {"on": True, "width": 12, "strength": 100}}))
    ).astype(int)
    more = (made - plain)[HEIGHT // 2, 40:80, 0]
    assert more[0] > 40
    assert more[20] == 0
    assert (np.diff(more[:20]) <= 0).all()
    dark = {**ground, "source": {"kind": "colour", "colour": "#000000"}}
    np.testing.assert_array_equal(
        seen(shot(dark, card())), seen(shot(dark, card(around={"wrap": {"on": True}})))
    )


@pytest.mark.parametrize("name", AROUND)
def test_every_one_is_complete_and_off_until_it_is_wanted(name: str):
    kind = AROUND[name]
    assert kind.__doc__
    assert kind.label
    assert kind.says
    assert kind.find
    assert Around.model_fields[name].annotation is kind
    assert not getattr(Around(), name).on
    paper = layer("paper", "paper", place={**MIDDLE, "scale": 60})
    plain = seen(shot(layer("garden", "garden"), paper))
    made = seen(shot(layer("garden", "garden"), {**paper, "around": {name: {"on": True}}}))
    assert np.abs(made.astype(int) - plain).mean() > 0.3
    assert kind().reach(At(0)) > 0
    for value in kind().numbers():  # each of its values changes the picture
        bounds = next(m for m in kind.model_fields[value].metadata if hasattr(m, "low"))
        default = kind.model_fields[value].default
        low, high = bounds.reach(WIDTH, HEIGHT)
        other = (default + (high if high > default else low)) / 2
        held = {name: {"on": True, value: other}}
        if value in ("gap", "run"):  # of dashes, where there are any
            before = {name: {"on": True, "dash": 10}}
            made = seen(shot(layer("garden", "garden"), {**paper, "around": before}))
            held[name]["dash"] = 10
        changed = seen(shot(layer("garden", "garden"), {**paper, "around": held}))
        assert (changed != made).any(), value


WINDOWS = ((10, 8, 40, 40), (60, 30, 60, 50), (30, 12, 20, 12), (0, 60, 30, 20), (84, 5, 20, 30))


@pytest.mark.parametrize("place", [(52, 44), (112, 70), (8, 66)])
@pytest.mark.parametrize("light", ["display", "linear"])
@pytest.mark.parametrize("name", [*AROUND, "dashes", "centred", "inside"])
def test_a_window_of_it_is_that_part_of_the_whole(
    name: str, light: str, place: tuple[int, int]
):  # fmt: skip
    """Also of what lies partly beyond the canvas."""
    around: dict[str, Any] = {name: {"on": True}}
    if name == "dashes":
        around = {"border": {"on": True, "dash": 14, "gap": 9}}
    elif name in ("centred", "inside"):
        around = {"border": {"on": True, "place": name}}
    at = {"x": place[0], "y": place[1], "scale": 60}
    of = shot(
        layer("garden", "garden"), layer("paper", "paper", place=at, around=around), light=light
    )
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    sheet = Sheet.of(of)
    whole = engine.picture(engine.plan(of, 6, sheet=sheet))
    for window in WINDOWS:
        x, y, w, h = window
        piece = engine.picture(engine.plan(of, 6, sheet=sheet.part(window)))
        off = np.abs(whole[y : y + h, x : x + w].astype(int) - piece)
        assert off.max() <= 3
        assert off.mean() < 0.2


def test_a_floor_shadow_lies_where_the_feet_are_though_they_are_not_seen():
    """Below the canvas there is none on it; of what stands beside the canvas it reaches in."""
    floor = {"floor": {"on": True, "height": 60, "lean": 200, "blur": 0, "opacity": 100}}

    def dark(x: float, y: float, **more: Any) -> np.ndarray:
        one = card(around=floor, place={"x": x, "y": y}, **more)
        return np.asarray((seen(shot(one)) < 24).all(axis=-1))

    assert dark(60, 40).any()
    assert not dark(60, 40 + 45).any()  # its feet are 25 pixels below, its shadow reaches 24 up
    beside = dark(60 - 82, 40)  # the card ends two pixels left of the canvas
    assert beside.any()
    # as much as is left of it when it stands on the canvas
    np.testing.assert_array_equal(beside[:, : WIDTH - 82], dark(60, 40)[:, 82:])


def test_preview_and_full_size_agree():
    """All lengths are canvas pixels: a quarter of the size shows the same."""
    around = {
        "shadow": {"on": True, "blur": 24},
        "border": {"on": True, "width": 10},
        "glow": {"on": True},
    }
    of = shot(layer("garden", "garden"), card(around=around))
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    whole = engine.picture(engine.plan(of, 6)).astype(float)
    small = engine.picture(engine.plan(of, 6, short_side=HEIGHT // 2)).astype(float)
    mean = whole.reshape(HEIGHT // 2, 2, WIDTH // 2, 2, 4).mean(axis=(1, 3))
    assert np.abs(mean - small).mean() < 2.5


def ring(**border: Any) -> np.ndarray:
    """How much of a border in white is seen round a grey card on black, per pixel."""
    around = {"border": {"on": True, "width": 6, "colour": "#ffffff", **border}}
    black = {"width": WIDTH, "height": HEIGHT, "background": "#000000"}
    made = seen(shot(card(around=around), canvas=black))[..., 0].astype(float)
    made[20:60, 40:80] = 0
    return made / 255


def test_dashes_of_a_border_are_as_long_as_they_are_said_to_be():
    """Along a straight side: dashes and gaps of their length, stretched by what makes them meet."""
    line = ring(dash=10, gap=6)[16, 42:78]
    runs = np.diff(np.concatenate([[0], (line > 0.5).astype(int), [0]]))
    starts, ends = np.flatnonzero(runs == 1), np.flatnonzero(runs == -1)
    whole = [e - s for s, e in zip(starts, ends, strict=True) if s > 0 and e < len(line)]
    assert whole
    assert all(9 <= one <= 11 for one in whole)
    assert abs(ring(dash=10, gap=10).sum() / ring().sum() - 0.5) < 0.06
    np.testing.assert_array_equal(ring(dash=0), ring())


def test_dashes_go_round_a_corner_and_run_along_the_edge():
    still, on = ring(dash=10, gap=10), ring(dash=10, gap=10, run=10)
    side = (still + on)[16, 44:76]
    assert np.abs(side - 1).max() < 0.15  # half a period on, dashes lie where gaps were
    full = ring(dash=10, gap=10, run=4 * (40 + 40))
    assert np.isfinite(full).all()
    assert ring(dash=1999, gap=1).max() == 1  # one dash, longer than the edge


@pytest.mark.filterwarnings("error")
def test_a_single_pixel_has_dashes_too():
    plane = np.zeros((9, 9), np.uint8)
    plane[4, 4] = 255
    y, x = np.mgrid[:9, :9].reshape(2, -1).astype(float)
    made = dashes(plane, x, y, (6, 4, 0), (4, 4)).reshape(9, 9)
    assert np.isfinite(made).all()
    assert made[4, 4] == 1


def test_dashes_go_round_letters_and_holes():
    y, x = np.mgrid[:200, :200] + 0.5
    far = np.hypot(x - 100, y - 100)
    plane = (255 * np.clip(np.minimum(80 - far, far - 40) + 0.5, 0, 1)).astype(np.uint8)
    places = np.mgrid[:200, :200].reshape(2, -1)[::-1].astype(float)
    line = dashes(plane, *places, (12, 12, 0), (20, 20)).reshape(200, 200)
    for radius in (84, 36):
        turn = np.linspace(0, 2 * np.pi, 2000, endpoint=False)
        on = (
            line[
                (100 + radius * np.sin(turn)).astype(int), (100 + radius * np.cos(turn)).astype(int)
            ]
            > 0.5
        )
        dashes_there = int((np.diff(np.concatenate([on, on[:1]]).astype(int)) == 1).sum())
        edge = 80 if radius > 60 else 40
        assert abs(dashes_there - 2 * np.pi * edge / 24) <= 1.5
        assert abs(on.mean() - 0.5) < 0.06


def along_the_border(
    x: float, y: float, turn: float = 0, window: tuple[int, int, int, int] | None = None
) -> tuple[np.ndarray, np.ndarray]:
    """A dashed border of 10 pixels round a card of 200 × 200 that lies somewhere on a canvas of 500 × 500, along its
    middle, clockwise from the card's own top left corner; and which places of it are seen."""
    border = {"on": True, "width": 10, "dash": 30, "gap": 20, "colour": "#ffffff"}
    one = {
        **layer("card", "wall"), "source": {"kind": "colour", "colour": "#000000"}, "around": {"border": border},
        "place": {"x": x, "y": y, "scale": 40, "rotation": turn},
    }  # fmt: skip
    of = shot(one, canvas={"width": 500, "height": 500, "background": "#000000"})
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    sheet = Sheet.of(of).part(window or (0, 0, 500, 500))
    made = engine.picture(engine.plan(of, 6, sheet=sheet))[..., 0].astype(float)
    far, way = np.arange(200) - 99.5, np.full(200, -105.0)
    side = np.stack([far, way])
    turns = [np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
             for a in np.deg2rad(turn + np.array([0, 90, 180, 270]))]  # fmt: skip
    left, top = sheet.window[:2]
    u, v = np.hstack([one @ side for one in turns]) + [[x - left], [y - top]]
    there = (u > 1) & (v > 1) & (u < made.shape[1] - 1) & (v < made.shape[0] - 1)
    u, v = np.where(there, u, 1.0), np.where(there, v, 1.0)
    return made[v.astype(int), u.astype(int)], there


@pytest.mark.parametrize(
    ("x", "y", "turn", "window"),
    [
        (250.5, 249.7, 0, None), (50, 250, 0, None), (-40, 120, 0, None), (480, 455.5, 0, None), (60, 470, 33, None),
        (250, 250, -0.5, None), (250, 250, 0.5, None), (250, 250, 91, None), (250, 250, 0, (230, 120, 90, 200)),
    ],
)  # fmt: skip
def test_dashes_stay_where_they_are_on_what_moves(x, y, turn, window):
    """As a card slides in from outside, turns by a little, or is looked at closely: nothing of it jumps."""
    want, _ = along_the_border(250, 250)
    got, there = along_the_border(x, y, turn, window)
    assert there.sum() > 60
    # a pixel at either end of a dash may be another one
    assert (np.abs(got - want)[there] > 128).mean() < 0.05
    assert 0.5 < (want > 128).mean() < 0.7


@pytest.mark.parametrize("per", [1, 8])
def test_what_goes_by_the_whole_edge_lies_there_looked_at_closely_and_of_what_is_very_large(
    per: int, monkeypatch: pytest.MonkeyPatch
):
    """All of a layer that would be too large a picture is taken from a smaller one."""
    around = {
        "border": {"on": True, "width": 10, "dash": 30, "gap": 20, "colour": "#ffffff"},
        "floor": {"on": True, "colour": "#ff0000", "height": 40, "blur": 6},
    }
    one = {
        **layer("card", "wall"), "source": {"kind": "colour", "colour": "#000000"}, "around": around,
        "place": {"x": 250, "y": 250, "scale": 40, "rotation": 13},
    }  # fmt: skip
    of = shot(one, canvas={"width": 500, "height": 500, "background": "#000000"})
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    whole = engine.picture(engine.plan(of, 6))[..., :3].astype(float)
    monkeypatch.setattr(surrounding, "MOST_PIXELS", 40_000 if per == 1 else 1_000_000)
    x, y, w, h = 100, 60, 300, 200
    sheet = Sheet.all((500, 500), (500 * per, 500 * per))
    sheet = sheet.part((x * per, y * per, w * per, h * per))
    seen_so = engine.picture(engine.plan(of, 6, sheet=sheet))[..., :3].astype(float)
    mean = seen_so.reshape(h, per, w, per, 3).mean(axis=(1, 3))
    off = np.abs(mean - whole[y : y + h, x : x + w]).max(axis=-1)
    assert (off > 100).mean() < 0.015
    assert off.mean() < 3
