"""Masks brought to other coordinates lie where they lay, whatever mirrors, turns and keys the layer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.masks import (
    BandMask,
    BoxMask,
    DrawnMask,
    MaskBase,
    OvalMask,
    StarMask,
    StraightMask,
    Vertex,
)
from velvet_seam.core.mattes import Home, LayerMatte
from velvet_seam.core.shot.layer import Layer, Place, Span
from velvet_seam.core.shot.mask_moves import Change, points_brought
from velvet_seam.core.shot.motion import Passage, Stir
from velvet_seam.core.shot.seam import Seam
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sources import ColourSource
from velvet_seam.core.timing.animated import Animated, Keyframe, Keyframes, value_at

CANVAS = Canvas(width=160, height=120)
FRAME = 6
LEAF = (
    Vertex(x=-30, y=-18, out_x=20, out_y=-16), Vertex(x=26, y=-4, in_x=-4, in_y=-12),
    Vertex(x=4, y=27, feather=4), Vertex(x=-22, y=8),
)  # fmt: skip
MASKS = {
    "straight": StraightMask(id="m", x=6, y=-4, rotation=25),
    "band": BandMask(id="m", x=6, y=3, rotation=-40, width=34),
    "oval": OvalMask(id="m", x=-9, y=5, rotation=30, width=70, height=40),
    "box": BoxMask(id="m", x=9, y=2, rotation=12, width=60, height=34, round=8),
    "star": StarMask(id="m", x=-4, y=8, rotation=17, radius=38, inner=40),
    "drawn": DrawnMask(id="m", x=3, y=-2, rotation=10, outline=LEAF),
    "moving": BoxMask(
        id="m", y=4, width=50, height=30, rotation=Keyframes(keys=(Keyframe(frame=2, value=-30.0),)),
        x=Keyframes(keys=(Keyframe(frame=0, value=-20.0), Keyframe(frame=10, value=14.0))),
    ),
}  # fmt: skip


@dataclass
class NoFootage:
    width: int = 160
    height: int = 120


def place(x: float, y: float, scale: float, rotation: float, flips: tuple[bool, bool]) -> Place:
    return Place(x=x, y=y, scale=scale, rotation=rotation, flip_x=flips[0], flip_y=flips[1])


def shot_with(where: Place, mask: MaskBase, **more: object) -> Shot:
    layer = Layer(
        id="l", name="l", source=ColourSource(colour="#ffffff"), span=Span(first=0, last=20),
        place=where, seam=Seam(masks=(mask,)), **more,
    )  # fmt: skip
    return Shot(name="s", canvas=CANVAS, rate="25", length=21, layers=(layer,))


def coverage(shot: Shot) -> np.ndarray:
    engine = Engine(lambda _: None, passing=True)  # type: ignore[arg-type,return-value]
    return engine.picture(engine.plan(shot, FRAME)).astype(int)[..., 0]


PLACES = st.builds(
    place, st.floats(60, 100), st.floats(45, 75), st.floats(60, 160), st.floats(-180, 180),
    st.tuples(st.booleans(), st.booleans()),
)  # fmt: skip


@pytest.mark.parametrize("kind", MASKS)
@settings(max_examples=25, deadline=None)
@given(where=PLACES)
def test_fixed_to_the_canvas_and_back_a_mask_shows_the_same(kind, where):
    """Where the layer covers; fixed to the canvas, its edge may be cut by another hair."""
    shot = shot_with(where, MASKS[kind])
    lies, layer = Lying(shot, lambda _: NoFootage()), shot.layers[0]
    on_canvas = lies.refixed(MASKS[kind], layer, "canvas", layer, FRAME)
    back = lies.refixed(on_canvas, layer, "layer", layer, FRAME)
    first = coverage(shot)
    for other in (on_canvas, back):
        away = np.abs(coverage(shot_with(where, other)) - first)
        assert away.mean() < 2.5
        assert (away > 128).mean() < 0.002


EASES = st.sampled_from(["hold", "linear", "smooth", "slow-start", (0.2, -0.4, 0.5, 1.3)])


@st.composite
def moving(draw: st.DrawFn) -> Animated:
    """A number that stands, or has keyframes anywhere."""
    frames = sorted(draw(st.sets(st.integers(-5, 30), max_size=4)))
    if not frames:
        return draw(st.floats(-90, 90))
    return Keyframes(keys=tuple(Keyframe(n, draw(st.floats(-90, 90)), draw(EASES)) for n in frames))


@given(
    moving(), moving(), st.sampled_from([0, 90, 180, -90, 13.7]), st.floats(0.3, 3), st.booleans()
)
def test_a_point_moves_as_it_moved_on_every_frame(x, y, turn, scale, mirrored):
    """Across and down have keyframes at other frames, with other eases."""
    change = Change(turn, scale, 7, -4, mirrored)
    new = points_brought(x, y, change)
    for frame in range(-8, 34):
        want = change.point(value_at(x, frame), value_at(y, frame))
        assert [value_at(one, frame) for one in new] == pytest.approx(want, abs=1e-3)


def test_keyframes_stay_as_few_where_they_can():
    path = Keyframes(keys=(Keyframe(0, 0.0, "smooth"), Keyframe(4, 8.0), Keyframe(600, 9.0)))
    late = Keyframes(keys=(Keyframe(2, 0.0), Keyframe(300, 9.0)))
    shifted = points_brought(path, late, Change(0, 2, 5, 5, False))
    assert [[key.frame for key in one.keys] for one in shifted] == [[0, 4, 600], [2, 300]]
    turned = points_brought(path, late, Change(10, 1, 0, 0, False))[0]
    assert [key.frame for key in turned.keys] == [0, 1, 2, 3, 4, 300, 600]
    long = Keyframes(keys=(Keyframe(0, 0.0, "smooth"), Keyframe(100_000, 8.0)))
    assert 3_000 < len(points_brought(long, late, Change(10, 1, 0, 0, False))[0].keys) <= 10_000


def test_a_mask_that_turns_over_goes_on_turning_over():
    turning = Keyframes(keys=(Keyframe(0, 100.0), Keyframe(20, 820.0)))
    mask = BoxMask(id="m", width=60, height=20, rotation=turning)
    shot = shot_with(place(80, 60, 100, 120, (False, False)), mask)
    layer, lies = shot.layers[0], Lying(shot, lambda _: NoFootage())
    brought = lies.refixed(mask, layer, "canvas", layer, FRAME).rotation
    assert [key.value for key in brought.keys] == pytest.approx([-140, 580])


def test_it_stays_where_it_is_seen_while_its_layer_arrives_and_stirs():
    where = place(80, 60, 100, 0, (True, False))
    moving = {
        "arrive": Passage(way="slide-left", frames=12),
        "stir": Stir(shake=9, turn=14, seed=3),
    }
    mask = MASKS["drawn"]
    shot = shot_with(where, mask, **moving)
    layer = shot.layers[0]
    lies = Lying(shot, lambda _: NoFootage())
    stray = lies.stray(layer, FRAME)
    assert abs(stray.x) > 20
    fixed = lies.refixed(mask, layer, "canvas", layer, FRAME)
    there = coverage(shot_with(where, fixed, **moving))
    assert np.abs(there - coverage(shot)).mean() < 0.8
    # and it would not have, had the place of the document been taken
    document = lies.refixed(mask, shot_with(where, mask).layers[0], "canvas", layer, FRAME)
    assert np.abs(coverage(shot_with(where, document, **moving)) - there).mean() > 5


def test_the_stray_is_what_the_picture_shows():
    """Handles add it to the document's place: the middle of what is seen lies there."""
    where = place(80, 60, 25, 0, (False, False))
    moving = {"arrive": Passage(way="turn", frames=14), "stir": Stir(shake=20, jitter=6, seed=5)}
    plain = Layer(
        id="l", name="l", source=ColourSource(colour="#ffffff"), span=Span(first=0, last=20),
        place=where, **moving,
    )  # fmt: skip
    shot = Shot(name="s", canvas=CANVAS, rate="25", length=21, layers=(plain,))
    seen = coverage(shot)
    y, x = np.nonzero(seen > seen.max() / 2)
    stray = Lying(shot, lambda _: NoFootage()).stray(plain, FRAME)
    assert abs(stray.turn) > 5
    assert (x.mean() + 0.5, y.mean() + 0.5) == pytest.approx((80 + stray.x, 60 + stray.y), abs=0.8)


def test_a_matte_of_another_layer_stays_or_moves_with_its_layer():
    """The window that another layer cuts stays on the canvas, or goes where the layer goes, turned with it."""
    other = Layer(
        id="l-o", name="o", source=ColourSource(colour="#ffffff"), span=Span(first=0, last=20),
        place=Place(x=70, y=50, scale=20), hidden=True,
    )  # fmt: skip

    def seen(home: Home | None, where: Place) -> np.ndarray:
        matte = LayerMatte(id="k", layer="l-o", home=home)
        layer = shot_with(where, BoxMask(id="m", width=900, height=900)).layers[0]
        layer = layer.model_copy(update={"seam": Seam(matte=(matte,))})
        shot = Shot(name="s", canvas=CANVAS, rate="25", length=21, layers=(other, layer))
        return coverage(shot)

    first, then = Place(x=80, y=60), Place(x=95, y=70, rotation=90)
    layer = shot_with(first, MASKS["box"]).layers[0]
    home = Lying(shot_with(first, MASKS["box"]), lambda _: NoFootage()).home(layer, FRAME)
    before = seen(home, first)
    assert np.abs(before - seen(None, first)).max() <= 1
    stays, moves = seen(None, then), seen(home, then)
    assert np.abs(stays - before).mean() < 0.5
    y, x = np.nonzero(moves > 127)
    # 10 to the left of and above the middle of the layer: turned by a quarter, to the right and above
    assert (x.mean() + 0.5, y.mean() + 0.5) == pytest.approx((95 + 10, 70 - 10), abs=0.6)
    assert (np.ptp(x) + 1, np.ptp(y) + 1) == pytest.approx((24, 32), abs=1.1)
