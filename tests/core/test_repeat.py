"""The same again, and end to end over the shot."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_kinds import layer, whole_shot
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.layer import Layer, SoundTrack, Span
from velvet_seam.core.shot.shot import Canvas, Shot


def test_each_copy_comes_so_many_frames_later_and_lies_above_the_one_before():
    shot = whole_shot()
    after = apply(
        shot, read_edit({"do": "repeat", "target": "l-a", "times": 4, "apart": 3, "new_id": "l-r"})
    )
    others = [one.id for one in shot.layers[1:]]
    found = [one.id for one in after.layers]
    assert found == ["l-a", "l-r-1", "l-r-2", "l-r-3", "l-r-4", *others]
    assert [one.span.first for one in after.layers[:5]] == [2, 5, 8, 11, 14]
    assert len({one.name for one in after.layers}) == len(after.layers)
    ids = [part.id for one in after.layers for part in one.seam.parts]
    assert len(ids) == len(set(ids))
    with pytest.raises(Problem, match="before the shot"):
        apply(
            shot,
            read_edit({"do": "repeat", "target": "l-a", "times": 4, "apart": -3, "new_id": "l-r"}),
        )


@given(st.integers(1, 40), st.integers(2, 60), st.integers(0, 30), st.integers(0, 20))
@settings(max_examples=80, deadline=None)
def test_end_to_end_leaves_no_frame_bare(length: int, whole: int, fade: int, first: int):
    own = layer("l-a").model_copy(update={"span": Span(first=first, last=first + length - 1)})
    shot = Shot(
        name="s", canvas=Canvas(width=64, height=64), rate="25", length=whole, layers=(own,)
    )
    edit = read_edit({"do": "loop-over", "target": "l-a", "fade": fade, "new_id": "l-r"})
    try:
        after = apply(shot, edit)
    except Problem:  # it is no longer than its crossfade, reaches to the end, or would be too many
        return
    there = {frame for one in after.layers for frame in range(one.span.first, one.span.last + 1)}
    assert there == set(range(first, whole))
    for one, other in zip(after.layers, after.layers[1:], strict=False):
        assert one.span.last + 1 - other.span.first >= min(
            fade, other.span.length
        )  # both are there meanwhile


def test_a_crossfade_of_one_colour_is_that_colour_all_the_way():
    """What lies below stays until it is covered, so that nothing shines through in the middle."""
    own = Layer.model_validate(
        layer("l-a").model_dump()
        | {
            "source": {"kind": "colour", "colour": "#c0c0c0"},
            "span": {"first": 0, "last": 19},
            "place": {"x": 32, "y": 32},
        }
    )
    shot = Shot(name="s", canvas=Canvas(width=64, height=64), rate="25", length=70, layers=(own,))
    after = apply(shot, read_edit({"do": "loop-over", "target": "l-a", "fade": 8, "new_id": "l-r"}))
    engine = Engine(lambda identity: None)  # type: ignore[arg-type, return-value]
    for frame in range(70):
        picture = engine.picture(engine.plan(after, frame))
        assert (picture[..., :3] == 0xC0).all(), frame


def test_a_clip_with_a_sound_is_heard_as_loud_where_one_comes_over_another():
    """Its own sound crosses over, too; a way out of its own would show what lies below between two."""
    own = Layer.model_validate(
        layer("l-a").model_dump()
        | {
            "source": {"kind": "footage", "footage": "f-a"},
            "span": {"first": 0, "last": 24},
            "leave": {"way": "fade", "frames": 6},
        }
    )
    shot = Shot(name="s", canvas=Canvas(width=64, height=64), rate="25", length=60, layers=(own,))
    edit = {"do": "loop-over", "target": "l-a", "fade": 10, "new_id": "l-r"}
    first, middle, *_, last = apply(shot, read_edit(edit)).layers
    told = [(one.sound.fade_in, one.sound.fade_out, one.leave.way) for one in (first, middle, last)]
    assert told == [(0, 10, "cut"), (10, 10, "cut"), (10, 0, "fade")]


def test_a_sound_goes_as_the_next_one_comes():
    hum = SoundTrack(id="s-a", name="Hum", footage="f-a", span=Span(first=0, last=24))
    shot = Shot(name="s", canvas=Canvas(width=64, height=64), rate="25", length=100, sounds=(hum,))
    after = apply(
        shot, read_edit({"do": "loop-over", "target": "s-a", "fade": 10, "new_id": "s-r"})
    )
    assert [(one.fade_in, one.fade_out) for one in after.sounds] == [
        (0, 10),
        *[(10, 10)] * 4,
        (10, 0),
    ]
    assert after.sounds[-1].span.last == 99
    assert after.sounds[1].span.first == 15
    assert np.diff([one.span.first for one in after.sounds]).tolist() == [15] * 5
