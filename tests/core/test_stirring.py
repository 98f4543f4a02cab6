"""Coming, going, stirring, echo and the shutter: where a layer is and what is left of it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_clip_time import clips
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.shutter import Lit, lit
from velvet_seam.core.engine.stirring import spot_at, stirred
from velvet_seam.core.media.material import Material
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.motion import Stir
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.noise import smooth_noise

__all__ = ["clips"]

SIDE = 200


def layer_of(**fields) -> Layer:
    mask = {"kind": "box", "id": "m-box", "width": 40, "height": 40}
    return Layer.model_validate(
        {"id": "l-one", "name": "One", "source": {"kind": "colour", "colour": "#ffffff"},
         "span": {"first": 10, "last": 59}, "place": {"x": 100, "y": 100},
         "seam": {"masks": [mask]}, **fields}
    )  # fmt: skip


def pictures(layer: Layer, frames: list[int]) -> list[np.ndarray]:
    shot = Shot.model_validate(
        {"name": "S", "canvas": {"width": SIDE, "height": SIDE}, "rate": "25", "length": 100,
         "layers": [layer]}
    )  # fmt: skip
    engine = Engine(lambda _: None)  # type: ignore[arg-type, return-value]
    return [engine.picture(engine.plan(shot, n))[..., 1].astype(float) / 255 for n in frames]


def middle(picture: np.ndarray) -> tuple[float, float]:
    down, across = np.mgrid[0:SIDE, 0:SIDE] + 0.5
    return float((across * picture).sum() / picture.sum()), float(
        (down * picture).sum() / picture.sum()
    )


WAYS = ["fade", "grow", "turn", *(f"{k}-{s}" for k in ("slide", "wipe") for s in ("left", "right", "up", "down"))]  # fmt: skip


@pytest.mark.parametrize("way", WAYS)
def test_at_its_outer_frames_nothing_is_left_and_inside_all_is_there(way):
    passage = {"way": way, "frames": 8, "ease": "linear"}
    layer = layer_of(arrive=passage, leave=passage)
    first, half, whole, still, going, last = pictures(layer, [10, 14, 18, 40, 55, 59])
    assert first.sum() < 1
    assert last.sum() < 1
    assert whole.sum() == pytest.approx(1600, abs=2)
    assert np.array_equal(whole, still)
    assert 20 < half.sum() < 1590 or way.startswith("slide")
    assert np.abs(half - whole).max() > 0.2
    assert np.abs(going - whole).max() > 0.2


@pytest.mark.parametrize(("side", "axis", "sign"), [("left", 0, -1), ("right", 0, 1), ("up", 1, -1), ("down", 1, 1)])  # fmt: skip
def test_a_layer_slides_in_from_its_side(side, axis, sign):
    layer = layer_of(arrive={"way": f"slide-{side}", "frames": 10, "ease": "linear"})
    spot = spot_at(layer, 15, 25, (SIDE, SIDE), (SIDE, SIDE))
    at = (spot.x, spot.y)
    assert at[axis] == 100 + sign * 100  # half of the 200 px it needs to be outside
    assert at[1 - axis] == 100


def test_lengths_counts_and_seeds_are_keyed_like_any_number():
    def held(*values: float) -> dict[str, list[dict[str, object]]]:
        return {
            "keys": [{"frame": 25 * n, "value": v, "ease": "hold"} for n, v in enumerate(values)]
        }

    fades = layer_of(arrive={"way": "fade", "frames": held(40, 5), "ease": "linear"})
    at_20, at_30 = pictures(fades, [30, 40])
    assert at_20.max() == pytest.approx(0.5, abs=0.01)
    assert at_30.max() == 1  # the fade is five frames long by now
    moving = {"keys": [{"frame": 0, "value": 30}, {"frame": 40, "value": 190}]}
    echo = {"count": held(1, 3), "step": held(10, 2), "decay": 50}
    trail = layer_of(place={"x": moving, "y": 100}, echo=echo)
    early, late = pictures(trail, [30, 40])
    apart = [spot_at(trail, n, 25, (SIDE, SIDE), (SIDE, SIDE)).x for n in (20, 30, 34, 36, 38, 40)]
    reach = [np.flatnonzero(p[100] > 0.02)[0] + 0.5 + 19.5 for p in (early, late)]
    assert reach == pytest.approx([apart[0], apart[2]], abs=1)
    plain = {"shake": 20, "rate": 4}
    seeds = [layer_of(stir={**plain, "seed": seed}) for seed in (3, 8, held(3, 8))]
    one, other, both = (
        [spot_at(s, n, 25, (SIDE, SIDE), (SIDE, SIDE)).x for n in (20, 50)] for s in seeds
    )
    assert both == [one[0], other[1]]
    assert one[1] != other[1]


def test_a_star_changes_how_many_points_it_has():
    """By its area: n triangles pairs between both radii, n·R·r·sin(π/n)."""
    grow = {"keys": [{"frame": 0, "value": 4}, {"frame": 40, "value": 12}]}
    star = {"kind": "star", "id": "m-star", "points": grow, "radius": 80, "inner": 50}
    made = pictures(layer_of(seam={"masks": [star]}), [10, 30, 50])
    for picture, n in zip(made, (4, 8, 12), strict=True):
        assert picture.sum() == pytest.approx(n * 80 * 40 * np.sin(np.pi / n), rel=5e-3)


def test_an_echo_is_the_layer_as_it_was():
    moving = {"keys": [{"frame": 0, "value": 30}, {"frame": 40, "value": 190}]}
    layer = layer_of(place={"x": moving, "y": 100}, echo={"count": 3, "step": 5, "decay": 50})
    row = pictures(layer, [40])[0][100]  # at 150; at 130, 110 and 90 before that, 40 px wide
    assert row[150] == 1
    assert row[120] == pytest.approx(1 - 0.5 * 0.75, abs=0.01)
    assert row[100] == pytest.approx(1 - 0.75 * 0.875, abs=0.01)
    assert row[80] == pytest.approx(0.125, abs=0.01)
    assert row[68] == 0


def test_an_echo_costs_no_second_cutting(clips: Callable[[str], Material], monkeypatch):
    """Eight echoes, frames in their order: each frame of the layer is read and placed once."""
    layer = {
        "id": "l-one", "name": "One", "source": {"kind": "footage", "footage": "f"},
        "span": {"first": 0, "last": 59}, "place": {"x": 96, "y": 64},
        "echo": {"count": 8, "step": 2, "decay": 80},
    }  # fmt: skip
    shot = Shot.model_validate(
        {"name": "S", "canvas": {"width": 192, "height": 128}, "rate": "25", "length": 60,
         "layers": [layer]}
    )  # fmt: skip
    material = clips("25")
    asked: list[int] = []
    read = material.read
    monkeypatch.setattr(material, "read", lambda n: (asked.append(n), read(n))[1], raising=False)
    engine = Engine(lambda _: material, passing=True)
    for n in range(40):
        engine.picture(engine.plan(shot, n))
    assert engine.counts["place"] == engine.counts["read"] == 40
    assert asked == list(range(40))  # nor is anything read that nobody asks for


def test_the_shutter_spreads_what_moves_and_nothing_else():
    moving = {"keys": [{"frame": 0, "value": 20}, {"frame": 40, "value": 180}]}  # 4 px a frame
    sharp = pictures(layer_of(place={"x": moving, "y": 100}), [30])[0]
    lit = pictures(layer_of(place={"x": moving, "y": 100}, shutter=360), [30])[0]
    assert middle(lit) == pytest.approx(middle(sharp), abs=0.05)
    assert lit.sum() == pytest.approx(sharp.sum(), rel=0.01)
    row = lit[100]
    rising = np.flatnonzero((row > 0.02) & (row < 0.98))
    assert len(rising) == pytest.approx(8, abs=2)  # 4 px on either side
    still = pictures(layer_of(shutter=360), [30])[0]
    assert np.array_equal(still, pictures(layer_of(), [30])[0])


@settings(max_examples=50, deadline=None)
@given(st.integers(0, 10**6), st.floats(-1000, 1000))
def test_noise_is_smooth_and_bounded(seed, at):
    here, after = smooth_noise(seed, 0, at), smooth_noise(seed, 0, at + 1e-4)
    assert -1 <= here <= 1
    assert abs(after - here) < 1e-3


def test_a_shake_strays_as_far_as_it_says_and_the_same_each_time():
    stir = Stir(shake=20, turn=3, jitter=0, flicker=40, rate=5, seed=7)
    found = np.array([stirred(stir, At(n), 25) for n in range(400)])
    assert np.abs(found[:, :2]).max() <= 20
    assert np.abs(found[:, :2]).max(axis=0).min() > 12
    assert np.abs(np.diff(found[:, 0])).max() < 14  # it does not jump
    assert 0.6 <= found[:, 3].min() < 0.65
    assert found[:, 3].max() <= 1
    assert np.array_equal(found, [stirred(stir, At(n), 25) for n in range(400)])
    other = np.array([stirred(stir.model_copy(update={"seed": 8}), At(n), 25) for n in range(400)])
    assert abs(np.corrcoef(found[:, 0], other[:, 0])[0, 1]) < 0.3
    shaken = pictures(layer_of(stir={"shake": 20, "seed": 7}), [20, 40])
    places = [middle(one) for one in shaken]
    assert places[0] != pytest.approx((100, 100), abs=1)
    assert places[0] != pytest.approx(places[1], abs=1)


EVENLY = {"keys": [{"frame": 0, "value": -700}, {"frame": 40, "value": 900}]}  # 40 px a frame
QUICKER = {"keys": [{"frame": 19, "value": 20, "ease": "slow-start"}, {"frame": 21, "value": 180}]}
TURNING = {"keys": [{"frame": 0, "value": 0}, {"frame": 40, "value": 2400}]}
GROWING = {"keys": [{"frame": 0, "value": 5}, {"frame": 40, "value": 300}]}


@pytest.mark.parametrize(
    "told",
    [
        {"place": {"x": EVENLY, "y": 100}}, {"place": {"x": EVENLY, "y": QUICKER, "rotation": 30}},
        {"place": {"x": QUICKER, "y": 90}}, {"place": {"x": 90, "y": 110, "rotation": TURNING}},
        {"place": {"x": 90, "y": 110, "scale": GROWING}}, {"stir": {"shake": 90, "rate": 9}},
        {"place": {"x": EVENLY, "y": 100, "pins": {"top_left_x": 20, "bottom_right_y": -30}}},
        {"arrive": {"way": "slide-left", "frames": 40}}, {"place": {"x": 100.4, "y": 100, "scale": 99}},
    ],
)  # fmt: skip
def test_what_moves_far_has_no_teeth(told: dict, monkeypatch):
    """It is as if it had been looked at at three hundred moments of the frame, however it moves."""
    shot = layer_of(**told, shutter=360)
    seen = pictures(shot, [30])[0]

    def many(at, *_):
        return Lit(tuple(at((n + 0.5) / 300 - 0.5) for n in range(300)))

    monkeypatch.setattr("velvet_seam.core.engine.plan.lit", many)
    wanted = pictures(shot, [30])[0]
    assert wanted.sum() > 100
    away = np.abs(seen - wanted)
    assert away.max() < 12 / 255
    assert np.quantile(away, 0.999) < 7 / 255


def test_however_far_it_moves_it_needs_little_room():
    """From one end of where a layer can lie to the other, within a frame."""
    for pixels in (10, 500, 9_000, 33_000, 400_000):
        seen = lit(
            lambda moment, far=pixels: np.array([[1, 0, far * moment], [0, 1, 0], [0, 0, 1.0]]),
            (99, 99),
            (99, 99),
            np.eye(3),
        )
        assert len(seen.places) <= 48
        assert seen.room <= 194
        # of all the moments that they make together, two neighbours are near each other
        if pixels <= 9_000:
            assert pixels / (len(seen.places) * 2 ** len(seen.fills)) <= 1.5
