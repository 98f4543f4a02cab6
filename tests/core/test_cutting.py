"""Cut in two, trimmed, frozen: nothing that is seen changes where a layer is cut, whatever runs in it."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import numpy as np
import pytest

from tests.core.test_goldens import HEIGHT, WIDTH, Drawn, found, layer, shot
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.looks import LOOKS
from velvet_seam.core.passages import WAYS
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sound.mix import Sounds, mix
from velvet_seam.core.sources import GENERATED
from velvet_seam.core.words import kind_of


def keys(first: float, last: float) -> dict[str, Any]:
    return {"keys": [{"frame": 0, "value": first}, {"frame": 20, "value": last}]}


MIDDLE = {"x": WIDTH / 2, "y": HEIGHT / 2}
ACROSS = {"x": keys(20, 100), "y": HEIGHT / 2, "scale": 60}
RUNS: dict[str, dict[str, Any]] = {
    "speed": {"time": {"speed": keys(50, 200)}}, "backwards": {"time": {"speed": -150, "ends": "bounce"}},
    "place": {"place": ACROSS}, "blur": {"place": ACROSS, "shutter": 180}, "echo": {"place": ACROSS, "echo": {"count": 3, "step": 4}},
    "shake": {"stir": {"shake": 20}}, "turn": {"stir": {"turn": 20}}, "jitter": {"stir": {"jitter": 20}},
    "flicker": {"stir": {"flicker": 80}}, "mask": {"seam": {"masks": [{"kind": "oval", "id": "m-a", "width": 60, "height": 50, "x": keys(-30, 30)}]}},
    "quicker shake": {"stir": {"shake": 20, "rate": keys(0.5, 9)}},
    "quicker ripple": {"look": {"parts": [{"kind": "ripple", "id": "p-a", "rate": keys(0, 4)}]}},
    "quicker slices": {"look": {"parts": [{"kind": "slices", "id": "p-a", "rate": keys(2, 20)}]}},
    "quicker clouds": {"source": {"kind": "clouds", "change": keys(0.1, 2), "drift": keys(0, 90)}, "place": MIDDLE},
    "quicker rays": {"source": {"kind": "rays", "change": keys(0.1, 2)}, "place": MIDDLE},
    "quicker leak": {"source": {"kind": "light-leak", "change": keys(0.1, 2)}, "place": MIDDLE},
    "quicker scan lines": {"source": {"kind": "scan-lines", "every": 13, "strength": 90, "drift": keys(0, 90)}, "place": MIDDLE},
    **{f"come-{name}": {"arrive": {"way": name, "frames": 5}} for name in (way.name for way in WAYS)},
    **{f"long-{name}": {"arrive": {"way": name, "frames": 24}, "leave": {"way": name, "frames": 30}} for name in (way.name for way in WAYS)},
    **{f"look-{kind_of(one)}": {"look": {"parts": [{"kind": kind_of(one), "id": "p-a"}]}} for one in LOOKS},
    **{f"made-{kind_of(one)}": {"source": {"kind": kind_of(one)}, "place": MIDDLE} for one in GENERATED},
}  # fmt: skip
"""What a layer may do over its 38 frames, from the third of the shot on."""

NO_HEAD = ("echo", "come-", "long-")
"""What begins at a layer's head, wherever that is: trimmed, it begins there."""

FRAMES = (2, 9, 13, 14, 15, 16, 21, 30, 39)


def running(name: str) -> Shot:
    one = {**layer("a", "card"), **RUNS[name], "span": {"first": 2, "last": 39}}
    return shot(layer("b", "garden"), one).model_copy(update={"length": 50})


def seen(of: Shot, frames: tuple[int, ...] = FRAMES) -> np.ndarray:
    engine = Engine(lambda identity: Drawn(identity.removeprefix("f-")))
    return np.stack([engine.picture(engine.plan(of, frame)).copy() for frame in frames])


def done(of: Shot, **edit: Any) -> Shot:
    return apply(of, read_edit(edit))


@pytest.mark.parametrize("name", RUNS)
def test_a_layer_cut_in_two_shows_what_it_showed(name: str):
    of = running(name)
    before = seen(of)
    once = done(of, do="split", target="l-a", at=15, new_id="l-c")
    np.testing.assert_array_equal(seen(once), before)
    twice = done(once, do="split", target="l-c", at=21, new_id="l-d")
    np.testing.assert_array_equal(seen(twice), before)


@pytest.mark.parametrize("use", ["matte", "turned matte", "look"])
def test_a_layer_that_others_are_cut_out_by_is_cut_in_two(use: str):
    """Whoever takes its coverage takes that of the later piece, too, and of a piece of that."""
    of = running("place")
    top: dict[str, Any] = {
        **layer("t", "garden"), "span": {"first": 0, "last": 49}, "place": MIDDLE,
    }  # fmt: skip
    if use == "look":
        part = {"kind": "negative", "id": "p-t", "through": {"layer": "l-a", "of": "coverage"}}
        top["look"] = {"parts": [part]}
    else:
        matte = {"kind": "layer-matte", "id": "k-t", "layer": "l-a", "invert": use != "matte"}
        top["seam"] = {"matte": [matte]}
    of = Shot.model_validate({**of.model_dump(), "layers": [*of.model_dump()["layers"], top]})
    before = seen(of)
    cut = done(of, do="split", target="l-a", at=15, new_id="l-c")
    cut = done(cut, do="split", target="l-c", at=21, new_id="l-d")
    np.testing.assert_array_equal(seen(cut), before)
    # a copy of a piece is none
    copied = done(cut, do="duplicate-layer", layer="l-c", new_id="l-e")
    assert (copied.layer("l-d").piece_of, copied.layer("l-e").piece_of) == ("l-c", None)


@pytest.mark.parametrize("name", [one for one in RUNS if not one.startswith(NO_HEAD)])
def test_what_is_left_of_a_trimmed_layer_shows_what_it_showed(name: str):
    of = running(name)
    before, left = seen(of), tuple(n for n in FRAMES if n >= 13)
    short = done(of, do="trim", target="l-a", edge="first", to=13)
    np.testing.assert_array_equal(seen(short, left), before[-len(left) :])
    again = done(short, do="trim", target="l-a", edge="first", to=2)
    np.testing.assert_array_equal(seen(again), before)


@pytest.mark.parametrize("apart", [False, True])
def test_what_is_frozen_stands_still_with_all_its_values(apart: bool):
    """A mask that moves would leave what it goes round, and what waits would jump back when it goes on."""
    of = running("mask")
    held = {
        **of.layers[1].model_dump(), "place": ACROSS, "arrive": {"way": "fade", "frames": 4}, "leave": {"way": "fade", "frames": 6},
    }  # fmt: skip
    of = Shot.model_validate({**of.model_dump(), "layers": [of.layers[0].model_dump(), held]})
    plain = seen(of, (14, 15, 20))
    frozen = done(
        of, do="freeze", layer="l-a", at=15, frames=5, frozen_id="l-f", rest_id="l-r", apart=apart
    )
    alone = (
        done(frozen, do="set-values", target="l-a", values={"hidden": True}) if apart else frozen
    )
    stands = seen(alone, (15, 17, 19))
    np.testing.assert_array_equal(stands, [plain[1]] * 3)
    if not apart:
        np.testing.assert_array_equal(seen(frozen, (14, 20, 25)), [plain[0], plain[1], plain[2]])


def test_a_generated_layer_is_frozen_and_what_only_changes_others_is_not():
    of = running("made-particles")
    frozen = done(of, do="freeze", layer="l-a", at=15, frames=5, frozen_id="l-f", rest_id="l-r")
    plain = seen(of, (15, 16))
    np.testing.assert_array_equal(seen(frozen, (15, 18, 20, 21)), plain[[0, 0, 0, 1]])
    one = {**layer("a", "card"), "source": {"kind": "adjustment"}, "place": MIDDLE}
    with pytest.raises(Problem, match="no picture of its own"):
        done(shot(one), do="freeze", layer="l-a", at=5, frames=5, frozen_id="l-f", rest_id="l-r")


@pytest.mark.parametrize("to", [9, 21])
@pytest.mark.parametrize("name", ["long-fade", "long-slide-left", "echo", "shake"])
def test_where_a_layer_was_cut_can_be_moved(name: str, to: int):
    of = running(name)
    cut = done(of, do="split", target="l-a", at=15, new_id="l-c")
    rolled = done(cut, do="trim", target="l-c", edge="first", to=to)
    rolled = done(rolled, do="trim", target="l-a", edge="last", to=to - 1)
    np.testing.assert_array_equal(seen(rolled), seen(of))


def test_a_way_in_that_was_cut_off_is_whole_again_when_it_is_chosen_anew():
    of = done(running("long-fade"), do="split", target="l-a", at=15, new_id="l-c")
    assert of.layer("l-c").arrive.done == 13
    chosen = done(of, do="set-values", target="l-c", values={"arrive.frames": 8})
    assert chosen.layer("l-c").arrive.done == 0
    faster = done(of, do="change-rate", rate="60")
    assert (faster.layer("l-c").arrive.done, faster.layer("l-c").age) == (31, 31)


@pytest.mark.parametrize("rate", ["25", "30000/1001", "60"])
@pytest.mark.parametrize(
    "more",
    [
        {}, {"fade_in": 8, "fade_out": 12}, {"fade_in": 60, "fade_out": 70}, {"fade_in": keys(4, 50)},
        {"time": {"speed": 50, "sound": "stay"}}, {"time": {"speed": keys(-50, 200), "sound": "stay", "ends": "loop"}},
        {"gain": keys(-20, 0)}, {"time": {"source_in": "1/7"}}, {"time": {"speed": 50}}, {"time": {"speed": -100, "source_in": "3"}},
    ],
)  # fmt: skip
def test_a_sound_cut_in_two_is_heard_as_it_was(rate: str, more: dict[str, Any]):
    """Without a dip at the cut, and on from where a fade had come to."""
    turn = np.arange(4 * 48000) * (2 * np.pi * 220 / 48000)
    wave = (0.4 * np.stack([np.sin(turn), np.cos(turn)], 1)).astype(np.float32)
    track = {"id": "s-a", "name": "Hum", "footage": "f-a", "span": {"first": 3, "last": 90}, **more}
    canvas = {"width": 64, "height": 64}
    of = Shot.model_validate(
        {"name": "s", "canvas": canvas, "rate": rate, "length": 100, "sounds": [track]}
    )
    sounds = Sounds(lambda _: wave, lambda _: Fraction(4))
    cut = done(of, do="split", target="s-a", at=41, new_id="s-b")
    cut = done(cut, do="split", target="s-b", at=60, new_id="s-c")
    # a clip's own time is rounded to a sample where a piece begins
    assert np.abs(mix(cut, sounds) - mix(of, sounds)).max() < 0.4 * 2 * np.pi * 220 / 48000


def test_a_sound_that_plays_as_recorded_goes_on_when_its_picture_is_turned_round_or_trimmed():
    noise = np.random.default_rng(1).normal(0, 0.1, (4 * 48000, 2)).astype(np.float32)
    sounds = Sounds(lambda _: noise, lambda _: Fraction(4))
    own = {"time": {"speed": 50, "source_in": "1/2", "sound": "stay"}, "sound": {"on": True}}
    of = shot(layer("a", "garden", **own) | {"span": {"first": 2, "last": 40}}).model_copy(
        update={"length": 50}
    )
    heard = mix(of, sounds)
    assert np.abs(heard[1920 * 2 : 1920 * 41]).max() > 0.2
    turned = done(of, do="reverse", target="l-a")
    np.testing.assert_array_equal(mix(turned, sounds), heard)
    np.testing.assert_array_equal(mix(done(turned, do="reverse", target="l-a"), sounds), heard)
    late = mix(done(of, do="trim", target="l-a", edge="first", to=20), sounds)
    np.testing.assert_array_equal(late[1920 * 20 :], heard[1920 * 20 :])
    # chosen anew, it begins with the picture
    other = done(turned, do="set-values", target="l-a", values={"time.sound": "follow"})
    assert other.layer("l-a").time.ahead == 0


QUICKER = [one for one in RUNS if one.startswith("quicker")]


@pytest.mark.parametrize("name", [one for one in QUICKER if "slices" not in one])
def test_a_pace_that_changes_late_changes_what_comes_and_not_what_has_been(name: str):
    """A minute in, something that runs twice as quickly from here on does not race through the minute again."""

    def later(by: float) -> Shot:
        told = running(name).model_dump()
        one = told["layers"][1] | {"span": {"first": 0, "last": 1549}}
        held = [one["stir"], one["source"], *one["look"]["parts"]]
        for part in held:
            for value in ("rate", "change", "drift"):
                if isinstance(part.get(value), dict):
                    first = max(part[value]["keys"][0]["value"], 0.2)
                    pace = {"frame": 1500, "value": first}, {"frame": 1510, "value": first * by}
                    part[value] = {"keys": pace}
        return Shot.model_validate({**told, "layers": [one], "length": 1550})

    still, quick = (seen(later(by), (1500, 1501, 1502)).astype(int) for by in (1.0, 2.0))
    np.testing.assert_array_equal(still[0], quick[0])
    # within two frames it has come on by a fifth of a frame more
    step = np.abs(still[2] - still[1]).mean()
    assert np.abs(quick[2] - still[2]).mean() < max(2 * step, 1.5)


def test_who_is_cut_out_by_a_layer_is_so_while_it_is_frozen():
    of = running("place")
    top = {**layer("t", "garden"), "source": {"kind": "colour", "colour": "#00ff00"}, "span": {"first": 0, "last": 49},
           "place": MIDDLE, "seam": {"matte": [{"kind": "layer-matte", "id": "k-t", "layer": "l-a"}]}}  # fmt: skip
    of = Shot.model_validate({**of.model_dump(), "layers": [*of.model_dump()["layers"], top]})
    frozen = done(of, do="freeze", layer="l-a", at=15, frames=5, frozen_id="l-f", rest_id="l-r")
    green = [
        np.all(one == (0, 255, 0, 255), -1)
        for one in (*seen(of, (15, 16)), *seen(frozen, (15, 17, 19, 20, 21)))
    ]
    assert green[0].sum() > 50
    for now, then in zip(green[2:], [0, 0, 0, 0, 1], strict=True):
        np.testing.assert_array_equal(now, green[then])


def test_a_shake_goes_on_through_a_freeze():
    """The picture stands and goes on; how it shakes is at every frame what it would have been."""
    of = running("shake")
    frozen = done(of, do="freeze", layer="l-a", at=15, frames=5, frozen_id="l-f", rest_id="l-r")
    lies = [Lying(one, found) for one in (of, frozen)]
    for frame, held in ((10, "l-a"), (15, "l-f"), (19, "l-f"), (20, "l-r"), (39, "l-r")):
        before, after = (one.spot(whole.layer(which), frame) for one, whole, which in (
            (lies[0], of, "l-a"), (lies[1], frozen, held)))  # fmt: skip
        assert (before.x, before.y) == (after.x, after.y), frame
