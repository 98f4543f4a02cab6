"""What follows a track goes on following the same moments of it, however its leader is moved in time, grouped or copied."""

from __future__ import annotations

from itertools import count
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_following import POINT
from tests.core.test_goldens import found, layer, shot
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.engine.nested import Nested
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.grouping import grouped, taken_apart
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot

FRAMES = (4, 6, 9, 13)
FOLLOW = {"layer": "l-card", "tracks": ["t-a"], "frame": 7}


def led() -> Shot:
    """A disc, a mask of it and a mask in its look follow a card; and a card is held still against its own track."""
    span = {"first": 4, "last": 14}
    mask = {"kind": "box", "width": 60, "height": 50, "follow": FOLLOW}
    negative = {"kind": "negative", "id": "p-a", "masks": [mask | {"id": "m-b", "x": 20}]}
    return shot(
        layer("garden", "garden") | {"span": {"first": 0, "last": 49}},
        layer("still", "card", tracks=[POINT | {"id": "t-s"}], place={"x": 60, "y": 40, "scale": 40},
              follow={"tracks": ["t-s"], "frame": 6, "still": True}) | {"span": span},
        layer("card", "card", tracks=[POINT], place={"x": 70, "y": 30, "scale": 60}) | {"span": span},
        layer("disc", "paper", follow=FOLLOW, look={"parts": [negative]}, seam={"masks": [mask | {"id": "m-a"}]})
        | {"span": span},
    ).model_copy(update={"length": 50})  # fmt: skip


def seen(of: Shot, frames: tuple[int, ...], footage: Any = found) -> np.ndarray:
    engine = Engine(footage)
    return np.stack([engine.picture(engine.plan(of, frame)).copy() for frame in frames])


def done(to: Shot, /, **edit: Any) -> Shot:
    return apply(to, read_edit(edit))


def test_leaders_and_what_follows_them_move_in_time_together():
    of, later = led(), led()
    for one in ("l-still", "l-card", "l-disc"):
        later = done(later, do="move-in-time", target=one, by=9)
    np.testing.assert_array_equal(seen(later, tuple(f + 9 for f in FRAMES)), seen(of, FRAMES))
    # what went before them is taken out with the time it took
    gone = {**layer("gone", "garden"), "span": {"first": 0, "last": 8}}
    with_gone = Shot.model_validate({**later.model_dump(), "layers": [*later.model_dump()["layers"], gone]})  # fmt: skip
    closed = done(with_gone, do="close-gap", targets=["l-gone"])
    assert closed.layer("l-disc").span.first == 4
    np.testing.assert_array_equal(seen(closed, FRAMES), seen(of, FRAMES))


def test_what_follows_stays_on_its_leader_when_only_that_one_moves():
    of = led()
    later = done(of, do="move-in-time", target="l-card", by=3)
    assert later.layer("l-disc").follow.frame == 10
    assert later.layer("l-still").follow.frame == 6
    alone = done(of, do="move-in-time", target="l-disc", by=3)
    assert alone.layer("l-disc").follow.frame == 7


@pytest.mark.parametrize("at", [4, 6, 7, 9])
def test_who_follows_stands_while_its_leader_is_frozen_and_goes_on_with_it(at: int):
    """Whenever it began to follow; and what is held still against its own track is still there."""
    of = led()
    for target, watched in (("l-card", "l-disc"), ("l-still", "l-still")):
        frozen = done(
            of, do="freeze", layer=target, at=at, frames=3, frozen_id="l-f", rest_id="l-r"
        )
        before, after = Lying(of, found), Lying(frozen, found)
        whole = of.layer(watched)
        for frame in range(4, 15):
            then = frame if frame < at else max(at, frame - 3)
            here = frozen.there(watched, frame)
            assert here is not None
            np.testing.assert_allclose(
                after.moved(here, frame), before.moved(whole, then), atol=1e-9, err_msg=str(frame)
            )
            for one, other in zip(whole.masks, here.masks, strict=True):
                was, now = (
                    before.mask_followed(one, whole, then),
                    after.mask_followed(other, here, frame),
                )
                np.testing.assert_allclose(now, was, atol=1e-9)


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from(["l-card", "l-still"]), st.integers(4, 14),
    st.lists(st.tuples(st.integers(4, 24), st.integers(0, 5)), min_size=1, max_size=4),
)  # fmt: skip
def test_however_often_a_leader_is_cut_and_frozen_it_is_followed_where_it_is(
    target: str, anchor: int, cuts: list[tuple[int, int]]
):
    """At a frame each; 0 frames cut it there, more freeze its last piece for so many."""
    watched = "l-disc" if target == "l-card" else target
    of = done(led(), do="set-values", target=watched, values={"follow.frame": anchor})
    made, shown = of, list(range(4, 15))
    for n, (at, frames) in enumerate(cuts):
        piece = made.there(target, at)
        if piece is None or (not frames and at == piece.span.first):
            continue
        new = (
            {"new_id": f"l-{n}s"} if not frames else {"frozen_id": f"l-{n}f", "rest_id": f"l-{n}r"}
        )
        if not frames:
            made = done(made, do="split", target=piece.id, at=at, **new)
        elif piece.span.last == 3 + len(shown):
            made = done(made, do="freeze", layer=piece.id, at=at, frames=frames, **new)
            shown[at - 4 : at - 4] = [shown[at - 4]] * frames
    before, after = Lying(of, found), Lying(made, found)
    for frame, then in enumerate(shown, 4):
        here = made.there(target, frame) if watched == target else made.layer(watched)
        assert here is not None
        np.testing.assert_allclose(
            after.moved(here, frame), before.moved(of.layer(watched), then), atol=1e-9
        )


def test_whichever_piece_of_a_leader_is_there_is_followed():
    of = led()
    cut = done(of, do="split", target="l-card", at=9, new_id="l-c")
    cut = done(cut, do="split", target="l-c", at=11, new_id="l-d")
    np.testing.assert_array_equal(seen(cut, FRAMES), seen(of, FRAMES))
    aside = done(cut, do="set-values", target="l-d", values={"place.x": 75})
    before, after = Lying(of, found), Lying(aside, found)
    for frame in range(4, 15):
        by = after.moved(aside.layer("l-disc"), frame) - before.moved(of.layer("l-disc"), frame)
        np.testing.assert_allclose(by[0, 2], 5 if frame >= 11 else 0, atol=1e-9)
    # nor does it matter that a piece between is taken away
    left = done(aside, do="remove-layer", layer="l-c")
    moved = Lying(left, found).moved(left.layer("l-disc"), 12)
    np.testing.assert_array_equal(moved, after.moved(aside.layer("l-disc"), 12))
    # a later moment of a piece that moves in time is still the one from which it is followed
    late = done(of, do="split", target="l-card", at=6, new_id="l-c")
    late = done(late, do="move-in-time", target="l-c", by=2)
    assert late.layer("l-disc").follow.frame == 9
    # a piece without that track is not
    gone = done(cut, do="remove-track", layer="l-d", track="t-a")
    np.testing.assert_array_equal(seen(gone, FRAMES), seen(of, FRAMES))


def test_at_another_rate_and_again_it_follows_the_same_moments():
    of = led()
    np.testing.assert_array_equal(
        seen(done(of, do="change-rate", rate="50"), tuple(2 * f for f in FRAMES)), seen(of, FRAMES)
    )
    again = done(of, do="repeat", target="l-still", times=1, apart=12, new_id="l-r")
    (copy,) = (one for one in again.layers if one.id.startswith("l-r"))
    assert (copy.span.first, copy.follow.frame) == (16, 18)


def test_grouped_and_taken_apart_it_follows_as_before():
    of = led()
    inner = grouped(of, {"l-still", "l-card", "l-disc"}, "Group")
    assert inner.layer("l-disc").follow.frame == 3
    group = Layer.model_validate(
        {"id": "l-g", "name": "Group", "source": {"kind": "nested", "footage": "s-g"},
         "span": {"first": 4, "last": 14}, "place": {"x": 60, "y": 40}}
    )  # fmt: skip
    outer = of.model_copy(update={"layers": (of.layers[0], group)})
    nested = Nested(inner, lambda one: found(one).digest)
    inside = seen(outer, FRAMES, lambda one: nested if one == "s-g" else found(one))
    np.testing.assert_array_equal(inside, seen(of, FRAMES))
    numbers = count()
    layers, _ = taken_apart(outer, group, inner, lambda kind: f"{kind}-n{next(numbers)}")
    np.testing.assert_array_equal(
        seen(of.model_copy(update={"layers": (of.layers[0], *layers)}), FRAMES), seen(of, FRAMES)
    )
    for part in ({"l-disc"}, {"l-card"}):
        with pytest.raises(Problem, match="disc follows a track of card"):
            grouped(of, part, "Group")


def test_a_look_given_to_a_layer_that_begins_later_changes_at_the_same_frames_of_the_shot():
    """One part grows stronger, another is limited by a mask that moves and follows the first layer's own track."""
    keys = [{"frame": 1, "value": 0, "ease": "smooth"}, {"frame": 9, "value": 100}]
    mask = {"kind": "box", "id": "m-b", "width": 60, "height": 50, "fixed": "canvas", "x": {"keys": keys},
            "follow": FOLLOW | {"layer": None}}  # fmt: skip
    parts = [
        {"kind": "light", "id": "p-a", "exposure": 2, "strength": {"keys": keys}},
        {"kind": "negative", "id": "p-b", "masks": [mask]},
    ]
    span = {"first": 4, "last": 14}
    of = shot(
        layer("card", "card", tracks=[POINT], place={"x": 70, "y": 30}, look={"parts": parts}) | {"span": span},
        layer("early", "paper") | {"span": {"first": 0, "last": 30}},
        layer("late", "paper") | {"span": {"first": 6, "last": 30}},
    ).model_copy(update={"length": 50})  # fmt: skip
    worn = of.layer("l-card").look.model_dump()
    both = done(
        of, do="wear-look", layers=["l-early", "l-late"], look=worn, new_id="w-a", of="l-card"
    )

    def alone(name: str) -> Shot:
        others = ({"l-early", "l-late"} - {name}).pop()
        return done(both, do="set-values", target=others, values={"hidden": True})

    frames = (7, 9, 11, 14)
    early, late = seen(alone("l-early"), frames), seen(alone("l-late"), frames)
    np.testing.assert_array_equal(early, late)
    assert len({one.tobytes() for one in early}) == len(frames)
    # a look of the shelf has no frames of this shot: it begins with each layer
    shelf = done(of, do="wear-look", layers=["l-early", "l-late"], look=worn, new_id="w-a")
    starts = [
        shelf.layer(name).look.parts[0].strength.keys[0].frame for name in ("l-early", "l-late")
    ]
    assert starts == [1, 1]
