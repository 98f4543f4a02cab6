"""What follows a track: layers and masks move as what was tracked does, however all of it is placed."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_goldens import Drawn, found, layer, seen, shot
from velvet_seam.core.engine.following import between
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.register.warps import mapped
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.edits.tracks import followers
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.track import Track

FRAMES = range(12)
WALK = [(52 + n, 40) for n in FRAMES]
"""Where the card of the drawn clip is in each of its frames."""

POINT = {"id": "t-a", "name": "Card", "first": 0, "path": WALK}


def square(n: int) -> tuple[float, ...]:
    """A plane that tilts, turns and comes nearer."""
    corners = np.array([[40, 30], [64, 30], [64, 50], [40, 50.0]])
    middle = corners.mean(0)
    turn = np.radians(3 * n)
    c, s = (1 + 0.02 * n) * np.cos(turn), (1 + 0.02 * n) * np.sin(turn)
    own = (corners - middle) @ np.array([[c, s], [-s, c]]) + middle + [1.5 * n, -n]
    own[1] += [0.3 * n, -0.4 * n]
    return tuple(own.ravel().tolist())


PLANE = {
    "id": "t-p",
    "name": "Sign",
    "kind": "plane",
    "first": 0,
    "path": [square(n) for n in FRAMES],
}


def lies_of(of: Shot) -> Lying:
    return Lying(of, found)


def on_canvas(of: Shot, number: int, frame: float, points: Any) -> np.ndarray:
    """Points of a layer's source as they are seen."""
    lies, one = lies_of(of), of.layers[number]
    whole, moved = lies.matrix(one, frame), lies.moved(one, frame)
    return mapped(whole if moved is None else moved @ whole, np.atleast_2d(np.array(points, float)))


PLACES = st.fixed_dictionaries({
    "x": st.floats(30, 90), "y": st.floats(20, 60), "scale": st.floats(40, 200), "rotation": st.floats(-180, 180),
    "flip_x": st.booleans(),
    "pins": st.fixed_dictionaries({"top_right_x": st.floats(-9, 9), "bottom_left_y": st.floats(-9, 9)}),
})  # fmt: skip


@settings(max_examples=40, deadline=None)
@given(
    PLACES,
    st.integers(0, 11),
    st.integers(0, 11),
    st.sampled_from(["shift", "turn", "stretch", "plane"]),
)
def test_what_is_held_still_against_its_own_track_stands_still(
    place: dict[str, Any], rest: int, frame: int, how: str
):
    track = PLANE if how == "plane" else POINT
    follow = {"tracks": [track["id"]], "frame": rest, "how": how, "still": True}
    of = shot(layer("card", "card", place=place, tracks=[track], follow=follow))
    places = [np.array(track["path"][n]).reshape(-1, 2) for n in (rest, frame)]
    want, now = (on_canvas(of, 0, at, one) for at, one in zip((rest, frame), places, strict=True))
    assert (
        np.abs(want - now).max() < 0.02
    )  # the corners of a plane are solved for in single precision


@settings(max_examples=40, deadline=None)
@given(PLACES, PLACES, st.integers(0, 11), st.integers(0, 11))
def test_a_layer_goes_where_the_tracked_point_goes(
    one: dict[str, Any], other: dict[str, Any], rest: int, frame: int
):
    follow = {"layer": "l-card", "tracks": ["t-a"], "frame": rest}
    of = shot(
        layer("card", "card", place=one, tracks=[POINT]),
        layer("disc", "paper", place=other, follow=follow),
    )
    went = on_canvas(of, 0, frame, WALK[frame]) - on_canvas(of, 0, rest, WALK[rest])
    moved = on_canvas(of, 1, frame, [60, 40]) - on_canvas(of, 1, rest, [60, 40])
    assert np.abs(went - moved).max() < 1e-6


@pytest.mark.parametrize("how", ["stretch", "plane"])
def test_what_is_stuck_to_a_plane_stays_on_it(how: str):
    """A disc on the middle of the plane stays there as seen, also when the layer that is tracked is itself moved."""
    follow = {"layer": "l-card", "tracks": ["t-p"], "frame": 0, "how": how}
    moving = {
        "x": {"keys": [{"frame": 0, "value": 50}, {"frame": 11, "value": 80}]},
        "y": 40,
        "rotation": 10,
    }
    of = shot(
        layer("card", "card", place=moving, tracks=[PLANE]), layer("disc", "paper", follow=follow)
    )
    lies = lies_of(of)
    for frame in (0, 5, 11):
        corners = on_canvas(of, 0, frame, np.array(square(frame)).reshape(4, 2))
        start = on_canvas(of, 0, 0, np.array(square(0)).reshape(4, 2))
        by = lies.followed(of.layers[1], frame)
        off = np.abs(mapped(by, start) - corners).max()
        assert off < (0.02 if how == "plane" else 4)
        if how == "stretch":
            near = between(start, corners, "stretch")
            assert np.abs(mapped(near, start) - mapped(by, start)).max() < 1e-6


def test_a_followed_picture_is_that_of_keyframes_that_say_the_same():
    keys = {"keys": [{"frame": n, "value": 60 + x - WALK[3][0]} for n, (x, _) in enumerate(WALK)]}
    ground, card = layer("garden", "garden"), layer("card", "card", tracks=[POINT])
    follow = {"layer": "l-card", "tracks": ["t-a"], "frame": 3}
    for frame in (0, 3, 9):
        led = seen(shot(ground, card, layer("disc", "paper", follow=follow)), frame)
        keyed = seen(shot(ground, card, layer("disc", "paper", place={"x": keys, "y": 40})), frame)
        assert np.abs(led.astype(int) - keyed).max() <= 1
    # and it is motion-blurred like one
    blurred = [seen(shot(ground, card, layer("disc", "paper", shutter=360, **more)), 6).astype(int)
               for more in ({"follow": follow}, {"place": {"x": keys, "y": 40}})]  # fmt: skip
    assert np.abs(blurred[0] - blurred[1]).max() <= 1


@pytest.mark.parametrize("fixed", ["layer", "canvas"])
def test_a_mask_follows_a_track(fixed: str):
    """Of its own layer, also one that is itself placed at an angle; or of another, over the canvas."""
    place = (
        {"x": 60, "y": 40}
        if fixed == "canvas"
        else {"x": 64, "y": 38, "scale": 120, "rotation": 15}
    )
    mask = {
        "kind": "oval",
        "id": "m-a",
        "fixed": fixed,
        "x": -8,
        "y": 0,
        "width": 30,
        "height": 30,
        "feather_out": 4,
    }
    follow = {"layer": "l-card", "tracks": ["t-a"], "frame": 0}
    keys = {"keys": [{"frame": n, "value": -8 + n} for n in FRAMES]}
    garden = layer("garden", "garden")
    for frame in (0, 4, 11):
        led, keyed = (
            seen(
                shot(
                    garden,
                    layer(
                        "card",
                        "card",
                        place=place,
                        tracks=[POINT],
                        seam={"masks": [{**mask, **more}]},
                    ),
                ),
                frame,
            )
            for more in ({"follow": follow}, {"x": keys})
        )
        assert np.abs(led.astype(int) - keyed).max() <= 2


def test_a_mask_grows_with_what_it_follows():
    path = [(40 - n, 40, 70 + n, 40) for n in FRAMES]
    points = [
        {"id": f"t-{k}", "name": k, "first": 0, "path": [one[2 * n : 2 * n + 2] for one in path]}
        for n, k in enumerate("ab")
    ]
    mask = {"kind": "oval", "id": "m-a", "width": 20, "height": 20}
    follow = {"tracks": ["t-a", "t-b"], "frame": 0, "how": "stretch"}
    own = layer("card", "card", tracks=points, seam={"masks": [{**mask, "follow": follow}]})
    of = shot(own)
    grown = lies_of(of).mask_followed(of.layers[0].seam.masks[0], of.layers[0], 11)
    assert np.hypot(*grown[:2, 0]) == pytest.approx(52 / 30)
    covered = [(np.abs(seen(of, n).astype(int) - [48, 56, 72]).sum(-1) > 60).sum() for n in (0, 11)]
    assert covered[1] / covered[0] == pytest.approx((52 / 30) ** 2, rel=0.08)


def test_two_that_follow_each_other_come_to_an_end():
    pair = [
        layer("a", "card", tracks=[POINT], follow={"layer": "l-b", "tracks": ["t-a"]}),
        layer("b", "card", tracks=[POINT], follow={"layer": "l-a", "tracks": ["t-a"]}),
    ]
    assert seen(shot(*pair), 7).shape == (80, 120, 3)


def test_a_track_that_is_gone_is_followed_no_more():
    follow = {"layer": "l-card", "tracks": ["t-a"], "frame": 0}
    of = shot(layer("card", "card", tracks=[POINT]), layer("disc", "paper", follow=follow))
    assert followers(of, of.layers[0], "t-a") == ["disc"]
    for edit in (
        {"do": "remove-track", "layer": "l-card", "track": "t-a"},
        {"do": "remove-layer", "layer": "l-card"},
        {"do": "replace-footage", "target": "l-card", "footage": "f-wall"},
    ):
        after = apply(of, read_edit(edit))
        assert lies_of(after).followed(after.layers[-1], 9) is None
        assert seen(after, 9).any()


@settings(max_examples=60, deadline=None)
@given(
    st.lists(
        st.one_of(st.none(), st.tuples(st.floats(-900, 900), st.floats(-900, 900))),
        min_size=1,
        max_size=40,
    ).filter(any),
    st.floats(0, 12),
)
def test_a_path_is_known_everywhere_and_smoothing_keeps_what_is_straight(
    path: list[Any], smooth: float
):
    made = Track(id="t-a", name="T", first=3, path=path, smooth=smooth)
    assert np.isfinite(made.places).all()
    assert made.places.shape == (len(path), 1, 2)
    straight = Track(
        id="t-a", name="T", first=3, path=[(n, 2.0 * n) for n in range(len(path))], smooth=smooth
    )
    assert np.abs(straight.places[:, 0] - [(n, 2.0 * n) for n in range(len(path))]).max() < 1e-6


def test_a_slow_clip_is_followed_between_its_frames():
    """At half speed each source frame shows twice; where pixels move in between, so does what follows."""
    follow = {"layer": "l-card", "tracks": ["t-a"], "frame": 0}
    xs = {}
    for way in ("nearest", "flow"):
        card = layer("card", "card", tracks=[POINT], time={"speed": 50, "between": way})
        of = shot(card, layer("disc", "paper", follow=follow))
        xs[way] = [float(lies_of(of).followed(of.layers[1], n)[0, 2]) for n in range(5)]
    assert xs["nearest"] == pytest.approx([0, 0, 1, 1, 2])
    assert xs["flow"] == pytest.approx([0, 0.5, 1, 1.5, 2])
    assert Drawn("card").moving
