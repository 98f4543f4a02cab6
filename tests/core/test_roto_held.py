"""Frames of a roto that are held as they are, and regions that outlast the engine that found them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.test_roto import DROP, KEEP, Filmed, shot_with
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.mattes.roto import MOST_HELD, RotoMatte
from velvet_seam.core.mattes.roto_frames import RotoFrames
from velvet_seam.core.mattes.roto_strokes import HeldFrames
from velvet_seam.core.problem import Problem
from velvet_seam.core.roto.first import inside_of
from velvet_seam.core.roto.kept import packed, unpacked
from velvet_seam.core.shot.shot import Shot

PATCH = {"how": "drop", "width": 30, "points": [[-20, -20], [20, 20]]}
"""A stroke across the subject."""


class Kept(dict[str, bytes]):
    def put(self, key: str, held: bytes) -> None:
        self[key] = held


def matte(strokes: list[dict], held: list[tuple[int, int, int]] = ()) -> RotoMatte:
    said = [{"first": a, "last": b, "strokes": n} for a, b, n in held]
    return RotoMatte.model_validate({"id": "k-a", "strokes": strokes, "held": said})


def pictures(shot: Shot, shelf: Kept | None = None) -> tuple[list[np.ndarray], Engine]:
    engine = Engine(lambda _: Filmed(), shelf=shelf)
    return [engine.picture(engine.plan(shot, n)).copy() for n in range(9)], engine


def keys(of: RotoMatte) -> list[str]:
    frames: RotoFrames = of.frames(Filmed())
    return [frames.at(n).key for n in range(9)]


def changed(a: list[str], b: list[str]) -> list[int]:
    return [n for n, (one, other) in enumerate(zip(a, b, strict=True)) if one != other]


def test_holding_a_frame_changes_no_picture():
    strokes = [KEEP, DROP, {**PATCH, "frame": 8}]
    assert keys(matte(strokes)) == keys(matte(strokes, [(6, 7, 3), (0, 1, 3), (4, 4, 3)]))


def test_what_is_painted_later_leaves_held_frames_and_what_lies_beyond_them():
    before = [KEEP, DROP]
    more = [*before, {**PATCH, "frame": 8}]
    assert changed(keys(matte(before)), keys(matte(more))) == [5, 6, 7, 8]
    # of 6 nothing changes, nor of 5 between it and the frame painted first
    held = keys(matte(more, [(6, 6, 2)]))
    assert changed(keys(matte(before)), held) == [7, 8]
    # and what is painted on the first frame leaves what was held, and what was carried from it
    again = keys(matte([*more, {**PATCH, "frame": 4}], [(6, 6, 2)]))
    assert changed(held, again) == [0, 1, 2, 3, 4, 5]
    stretch = keys(matte([*more, {**PATCH, "frame": 4}], [(1, 6, 2)]))
    assert changed(keys(matte(before)), stretch) == [7, 8]


def test_a_held_frame_is_found_again_from_the_strokes_of_its_time():
    held = [{"first": 4, "last": 5, "strokes": 2}]
    shot = shot_with([KEEP, DROP, {**PATCH, "frame": 4}, {**PATCH, "frame": 0}], held)
    now, then = pictures(shot)[0], pictures(shot_with([KEEP, DROP]))[0]
    # beyond what is held on either side: as it was, unless another painted frame lies there
    assert [n for n in range(9) if not np.array_equal(now[n], then[n])] == [0, 1, 2, 3]


@given(st.lists(st.tuples(st.booleans(), st.integers(0, 30), st.integers(0, 8)), max_size=12))
def test_stretches_held_and_let_go_are_exactly_the_frames_that_were_said(does):
    one, said = matte([KEEP]), set()
    for hold, first, more in does:
        frames = set(range(first, first + more + 1))
        held = (one.holding if hold else one.letting_go)(first, first + more)
        one = RotoMatte.model_validate({**one.model_dump(), "held": held})
        said = said | frames if hold else said - frames
        assert {n for n in range(50) if one.holds(n)} == said
        every = [n for h in one.held for n in range(h.first, h.last + 1)]
        assert len(every) == len(set(every))


def test_what_it_begins_with_later_changes_nothing_of_what_is_held():
    def begun(how: str, held: tuple[HeldFrames, ...] = ()) -> RotoMatte:
        said = [one.model_dump() for one in held]
        return RotoMatte.model_validate(
            {"id": "k-a", "begin": how, "strokes": [KEEP], "held": said}
        )

    before = begun("movement")
    held = before.holding(5, 6)
    other = begun("screen", held)
    assert changed(keys(before), keys(begun("screen"))) == list(range(9))
    assert keys(other)[5:7] == keys(before)[5:7]
    twice = begun("people", (*held, *begun("screen", held).holding(8, 8)[1:]))
    assert keys(twice)[5:7] == keys(before)[5:7]
    assert keys(twice)[8] == keys(other)[8]
    guessed = RotoMatte(id="k-a", begin="movement")
    alone = RotoMatte(id="k-a", begin="screen", held=guessed.holding(2, 3))
    assert changed(keys(guessed), keys(alone)) == [0, 1, 4, 5, 6, 7, 8]


def test_what_holds_is_refused_where_it_would_be_lost():
    one = matte([KEEP, DROP], [(4, 6, 2)])
    with pytest.raises(Problem, match="held as it is"):
        one.with_stroke(one.strokes[0])
    with pytest.raises(Problem, match="the frames 4 to 6 of the clip are held"):
        one.without_strokes(4)
    with pytest.raises(Problem, match="nothing is painted on this frame"):
        one.without_strokes(5)
    with pytest.raises(Problem, match="nothing is painted yet"):
        matte([]).holding(0, 0)
    with pytest.raises(ValidationError):
        matte([KEEP], [(1, 2, 2)])
    with pytest.raises(ValidationError):
        matte([KEEP], [(2, 1, 1)])
    many = matte([KEEP], [(2 * n, 2 * n, 1) for n in range(MOST_HELD)])
    with pytest.raises(Problem, match="at most"):
        many.holding(999, 999)


def test_a_hundred_holds_one_in_another_need_no_deep_stack():
    class Long(Filmed):
        digest, frames = "long", 3000

    strokes = [{**KEEP, "frame": 7 * n} for n in range(200)]
    held = [(7 * n + 3, 7 * n + 3, n + 2) for n in range(MOST_HELD)]
    frames = matte(strokes, held).frames(Long())
    assert frames.at(7 * 199).kind == "roto-corrected"
    assert frames.at(7 * 99 + 3).key


@given(st.integers(1, 40), st.integers(1, 40), st.randoms())
def test_a_region_is_had_again_to_the_bit(height, width, random):
    region = np.array([[random.random() < 0.5 for _ in range(width)] for _ in range(height)])
    inside = inside_of(region)
    assert np.array_equal(unpacked(packed(inside)), inside)


@pytest.mark.parametrize(
    "held", [b"", b"\x01", b"\x05\x00\x05\x00nothing", packed(np.ones((3, 4), np.float32))[:-3]]
)
def test_what_is_damaged_is_no_region(held):
    with pytest.raises(ValueError, match="region"):
        unpacked(held)


def test_another_engine_takes_regions_from_the_shelf_and_finds_none_again():
    shelf, strokes = Kept(), [KEEP, DROP, {**PATCH, "frame": 8}]
    first, engine = pictures(shot_with(strokes), shelf)
    assert engine.counts["roto-carried"] > 5
    second, engine = pictures(shot_with(strokes), shelf)
    assert not any(
        engine.counts[f"roto-{one}"] for one in ("found", "carried", "corrected", "between", "seen")
    )
    alone, _ = pictures(shot_with(strokes))
    assert all(
        np.array_equal(a, b) and np.array_equal(a, c)
        for a, b, c in zip(first, second, alone, strict=True)
    )
    # a correction finds anew only what it reaches
    _, engine = pictures(shot_with([*strokes, {**PATCH, "frame": 8, "width": 40}]), shelf)
    assert engine.counts["roto-corrected"] == 1
    assert engine.counts["roto-found"] == 0
    assert (
        engine.counts["roto-carried"] == 3
    )  # from 8 to 6, to 5, and to 7; mixed there with what is known
    assert engine.counts["roto-between"] == 3


def test_what_is_damaged_on_the_shelf_is_found_again():
    shelf = Kept()
    first, _ = pictures(shot_with([KEEP, DROP]), shelf)
    for key in shelf:
        shelf[key] = shelf[key][:7]
    second, engine = pictures(shot_with([KEEP, DROP]), shelf)
    assert engine.counts["roto-found"] == 1
    assert all(np.array_equal(a, b) for a, b in zip(first, second, strict=True))


def test_a_frame_asks_little_of_the_shelf_however_far_away_it_is():
    class Counted(Kept):
        asked = 0

        def get(self, key: str, default: bytes | None = None) -> bytes | None:
            self.asked += 1
            return super().get(key, default)

    class Long(Filmed):
        digest, frames = "long", 60

        def read(self, number: int) -> np.ndarray:
            return super().read(number % 9)

    shelf = Counted()
    engine = Engine(lambda _: Long(), passing=True, shelf=shelf)
    frames = matte([KEEP, DROP]).frames(Long())
    asked = []
    for frame in range(4, 60, 2):
        before = shelf.asked
        engine.result(frames.doubt(frame) or frames.at(frame))
        asked.append(shelf.asked - before)
    assert max(asked) <= 8
