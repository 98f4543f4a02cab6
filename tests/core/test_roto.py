"""Roto in a shot: strokes, where they count, and what they do to a picture."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.lobes import iou, scene
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.matte_files import write_mattes
from velvet_seam.core.mattes.roto import MOST_STROKES, RotoMatte
from velvet_seam.core.mattes.roto_strokes import RotoStroke, Strokes, marks
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.shot import Shot


def known(*held: RotoStroke) -> Strokes:
    return Strokes(held, "")


@given(
    st.lists(
        st.builds(
            RotoStroke, how=st.sampled_from(["keep", "drop", "rub"]), width=st.floats(0.5, 2000),
            points=st.lists(st.tuples(st.floats(-32768, 32768), st.floats(-32768, 32768)), min_size=1, max_size=6).map(tuple),
        ),
        max_size=5,
    ),
    st.sampled_from([(1, 1), (3, 50), (90, 160)]),
)  # fmt: skip
def test_no_pixel_is_kept_and_dropped(strokes: list[RotoStroke], size: tuple[int, int]):
    said = marks(known(*strokes), (160, 90), size)
    assert said.keep.shape == said.drop.shape == size
    assert not (said.keep & said.drop).any()


def test_the_last_stroke_over_a_pixel_counts():
    line = ((-40.0, 0.0), (40.0, 0.0))
    keep, drop, rub = (
        RotoStroke(how=how, width=10, points=line) for how in ("keep", "drop", "rub")
    )
    size, source = (90, 160), (160, 90)
    middle = (45, 80)
    assert marks(known(keep), source, size).keep[middle]
    assert marks(known(keep, drop), source, size).drop[middle]
    assert not marks(known(keep, drop), source, size).keep[middle]
    rubbed = marks(known(keep, drop, rub), source, size)
    assert not rubbed.keep.any()
    assert not rubbed.drop.any()


def test_a_thin_stroke_on_a_large_source_still_marks_something():
    said = marks(
        known(RotoStroke(width=0.5, points=((0.0, 0.0), (900.0, 5.0)))), (3840, 2160), (270, 480)
    )
    assert 40 < said.keep.sum() < 400


def test_strokes_beyond_what_is_allowed_are_refused():
    with pytest.raises(ValidationError):
        RotoStroke(points=())
    with pytest.raises(ValidationError):
        RotoStroke(points=tuple((float(n), 0.0) for n in range(10_000)))
    with pytest.raises(ValidationError):
        RotoStroke(points=((float("nan"), 0.0),))
    one = RotoStroke(points=((0.0, 0.0),))
    with pytest.raises(Problem, match="at most"):
        RotoMatte(id="k-a", strokes=(one,) * MOST_STROKES).with_stroke(one)


class Filmed:
    """The scene over nine frames."""

    digest, width, height, moving, frames, in_planes = "lobes", 360, 540, True, 9, False
    length, picture_size = Fraction(9, 25), (360, 540)

    def frame_at(self, time: Fraction) -> int:
        return min(max(int(time * 25), 0), 8)

    def begins(self, number: int) -> Fraction:
        return Fraction(number, 25)

    def read(self, number: int) -> np.ndarray:
        assert 0 <= number < self.frames
        return scene(2 * number)[0]

    read_planes = read

    @property
    def small(self) -> Filmed:
        return self


def shot_with(strokes: list[dict[str, Any]], held: Sequence[Any] = (), **layer: Any) -> Shot:
    matte = {"kind": "roto", "id": "k-a", "strokes": strokes, "held": list(held)}
    one = {
        "id": "l-a", "name": "a", "source": {"kind": "footage", "footage": "f-a"}, "span": {"first": 0, "last": 8},
        "place": {"x": 180, "y": 270}, "seam": {"matte": [matte]}, **layer,
    }  # fmt: skip
    return Shot.model_validate(
        {
            "name": "s",
            "canvas": {"width": 360, "height": 540},
            "rate": "25",
            "length": 9,
            "layers": [one],
        }
    )


KEEP = {"frame": 4, "how": "keep", "width": 8, "points": [[-2, -30], [-2, 20]]}
DROP = {
    "frame": 4,
    "how": "drop",
    "width": 8,
    "points": [[-170, -260], [170, -260], [170, 260], [-170, 260], [-170, -260]],
}


def shown(shot: Shot, frame: int) -> np.ndarray:
    engine = Engine(lambda _: Filmed())
    return engine.picture(engine.plan(shot, frame))[..., :3].max(2) > 40


def test_a_shot_follows_from_the_painted_frame_to_both_ends():
    shot = shot_with([KEEP, DROP])
    for frame in range(9):
        assert iou(shown(shot, frame), scene(2 * frame)[1] > 0.5) > 0.93


def test_strokes_stay_with_their_source_frame_when_the_clip_is_trimmed_slipped_and_reversed():
    for time, first in (({"source_in": "2/25"}, 2), ({"speed": -100, "source_in": "8/25"}, 8)):
        shot = shot_with([KEEP, DROP], time=time, span={"first": 0, "last": 5})
        for frame in (0, 5):
            source = first + frame if first == 2 else first - frame
            assert iou(shown(shot, frame), scene(2 * source)[1] > 0.5) > 0.93


def test_nothing_is_followed_across_a_cut():
    shot = shot_with([KEEP, DROP])
    matte = shot.layers[0].seam.matte[0]
    edit = {"do": "add-roto-stroke", "layer": "l-a", "matte": "k-a", "stroke": DROP, "cuts": [6]}
    cut = apply(shot, read_edit(edit))
    assert cut.layers[0].seam.matte[0].cuts == (6,)
    assert iou(shown(cut, 5), scene(10)[1] > 0.5) > 0.93
    for frame in (6, 8):
        assert not shown(cut, frame).any()
    later = apply(cut, read_edit({**edit, "stroke": {**KEEP, "frame": 7}}))
    assert (
        shown(later, 5) == shown(cut, 5)
    ).all()  # what is painted after it changes nothing before
    assert iou(shown(later, 8), scene(16)[1] > 0.5) > 0.8
    assert matte.cuts == ()


def test_a_freeze_and_a_still_are_cut_out_on_their_one_frame():
    frozen = shot_with([KEEP, DROP], time={"speed": 0, "source_in": "4/25"})
    for frame in (0, 8):
        assert iou(shown(frozen, frame), scene(8)[1] > 0.5) > 0.95

    class Still(Filmed):
        digest, moving, frames, length = "still", False, 1, Fraction(0)

        def frame_at(self, time: Fraction) -> int:
            return 0

    engine = Engine(lambda _: Still())
    shot = shot_with([{**KEEP, "frame": 0}, {**DROP, "frame": 0}])
    picture = engine.picture(engine.plan(shot, 5))
    assert iou(picture[..., :3].max(2) > 40, scene(0)[1] > 0.5) > 0.95


def test_matte_files_of_a_roto(tmp_path: Path):
    shot = shot_with([KEEP, DROP])
    assert write_mattes(shot, "l-a", tmp_path, lambda _: Filmed(), range(3, 6)) == 3
    for frame in (3, 5):
        plane = cv2.imread(str(tmp_path / f"{frame:06}-coverage.png"), cv2.IMREAD_UNCHANGED)
        assert plane.dtype == np.uint16
        assert np.abs(plane / 65535 - scene(2 * frame)[1]).mean() < 0.01


def test_no_strokes_cut_nothing_out():
    assert shown(shot_with([]), 3).mean() > 0.99


def test_a_stroke_is_an_edit_like_any_other():
    shot = shot_with([KEEP])
    edit = {"do": "add-roto-stroke", "layer": "l-a", "matte": "k-a", "stroke": DROP}
    more = apply(shot, read_edit(edit))
    assert [one.how for one in more.layers[0].seam.matte[0].strokes] == ["keep", "drop"]
    with pytest.raises(Problem, match="no longer there"):
        apply(shot, read_edit({**edit, "matte": "k-b"}))


def test_a_fringe_may_change_over_time_and_reaches_the_picture():
    shot = shot_with([{**KEEP, "frame": 0}, {**DROP, "frame": 0}])
    keys = {"keys": [{"frame": 0, "value": 100}, {"frame": 6, "value": 500}]}
    made = {
        name: apply(shot, read_edit({"do": "set-values", "target": "l-a", "values": {"seam.matte.k-a.fringe": value}}))
        for name, value in (("usual", 100), ("wide", 500), ("moving", keys))
    }  # fmt: skip
    engine = Engine(lambda _: Filmed())

    def seen(of: Shot, frame: int) -> np.ndarray:
        return engine.picture(engine.plan(of, frame))

    assert (seen(made["usual"], 0) == seen(shot, 0)).all()
    assert (seen(made["moving"], 0) == seen(shot, 0)).all()
    assert (seen(made["moving"], 6) == seen(made["wide"], 6)).all()
    assert not np.array_equal(seen(made["wide"], 6), seen(shot, 6))


def test_other_footage_of_twice_the_size_keeps_the_strokes_in_place():
    new = apply(
        shot_with([KEEP]),
        read_edit({"do": "replace-footage", "target": "l-a", "footage": "f-b", "ratio": 0.5}),
    )
    stroke = new.layers[0].seam.matte[0].strokes[0]
    assert stroke.width == 16
    assert stroke.points == ((-4.0, -60.0), (-4.0, 40.0))


def test_four_hundred_painted_frames_need_no_deep_stack():
    class Long(Filmed):
        digest, frames, length = "long", 3000, Fraction(120)

        def frame_at(self, time: Fraction) -> int:
            return min(max(int(time * 25), 0), 2999)

    strokes = [{**KEEP, "frame": 7 * n} for n in range(MOST_STROKES)]
    roto = RotoMatte.model_validate({"id": "k-a", "strokes": strokes}).frames(Long())
    assert roto.at(2793).kind == "roto-corrected"
    assert roto.at(2790).kind == "roto-between"


def test_what_was_gone_begins_anew_where_it_is_painted_again():
    nothing = {**KEEP, "how": "drop", "points": [[-179, -269], [-170, -269]]}
    shot = shot_with([{**nothing, "frame": 0}, {**KEEP, "frame": 6}, {**DROP, "frame": 6}])
    assert not shown(shot, 0).any()
    assert iou(shown(shot, 6), scene(12)[1] > 0.5) > 0.93
