"""The demo shots about time, against what was drawn: when something must be there, and when gone."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.shot.shot import Shot
from velvet_seam.demo import curtain, waltz
from velvet_seam.store.library import Library
from velvet_seam.store.tables import database

Look = Callable[..., np.ndarray]


@pytest.fixture(scope="module")
def library(demo_folder: Path):
    yield Library(demo_folder)
    database.close()


@pytest.fixture(scope="module")
def see(library: Library) -> Look:
    """A frame of a shot, (960, 540, 3), as it is or without some layers."""
    engine = Engine(library.materials(preview=True))
    shots = {standing.shot.name: standing.shot for standing in library.shots.all()}

    def look(name: str, frame: int, *, without: tuple[str, ...] = (), **view) -> np.ndarray:
        shot: Shot = shots[name]
        layers = tuple(layer for layer in shot.layers if layer.id not in without)
        shot = shot.model_copy(update={"layers": layers})
        picture = engine.picture(engine.plan(shot, frame, short_side=540, **view))
        return picture[..., :3].astype(int)

    return look


def test_the_curtain_wipes_to_the_sea_and_is_fully_gone_at_its_last_frame(see: Look):
    name, heights = "Behind the curtain", np.array([200, 700, 1300, 1800], np.float32)
    for frame in (curtain.ENTERS + 18, curtain.ENTERS + 24, curtain.ENTERS + 30):
        matte = see(name, frame, view="matte", chosen="l-curtain")[..., 0]
        for y, edge in zip(heights, curtain.trailing(frame, heights), strict=True):
            row = matte[int(y / 2)]
            assert 2 * int(np.argmax(row > 127)) == pytest.approx(float(edge), abs=8), (frame, y)
            assert row[: max(0, int(edge / 2) - 24)].max(initial=0) == 0
    last = see(name, curtain.CLEAR)
    assert np.array_equal(last, see(name, curtain.CLEAR, without=("l-curtain",)))
    before = see(name, curtain.CLEAR - 3)
    assert not np.array_equal(before, see(name, curtain.CLEAR - 3, without=("l-curtain",)))


def test_stars_open_one_world_after_the_other(see: Look):
    worlds = ("l-world-0", "l-world-1", "l-world-2")
    for n, first in enumerate((30, 60, 90)):
        closed = see("Paper star", first - 3)
        assert np.array_equal(closed, see("Paper star", first - 3, without=worlds[n:]))
        grown = see("Paper star", first + 26)
        alone = tuple(
            one for one in ("l-sea", "l-moon", *worlds, "l-rim-0", "l-rim-1", "l-rim-2")
            if one != worlds[n]
        )  # fmt: skip
        assert np.array_equal(grown, see("Paper star", first + 26, without=alone))
        opening = see("Paper star", first + 10)
        bare = see("Paper star", first + 10, without=worlds[n:])
        assert 0.01 < (opening != bare).any(2).mean() < 0.6


def test_an_echo_follows_the_acrobat(see: Look, library: Library):
    shot = next(s.shot for s in library.shots.all() if s.shot.name == "Tumble echo")
    acrobat = shot.layer("l-acrobat")
    assert acrobat.echo.count == 6
    joined = see("Tumble echo", 45)
    bare = see("Tumble echo", 45, without=("l-acrobat",))
    changed = (np.abs(joined - bare).max(2) > 20).any(0)
    across = np.flatnonzero(changed)
    matte = see("Tumble echo", 45, view="matte", chosen="l-acrobat")[..., 0]
    own = np.flatnonzero((matte > 100).any(0))
    # what she was hangs behind her, well away from where she is
    assert own.min() - across.min() > 40 or across.max() - own.max() > 40


def test_the_cut_in_slides_over_the_frozen_frame(see: Look):
    name = "Cape on the line"
    rest = ("l-cape", "l-dim")
    frozen = [see(name, n, without=(*rest, "l-stage")) for n in (40, 47, 69)]
    assert all(np.array_equal(frozen[0], one) for one in frozen)  # it stands still
    moving = [see(name, n, without=(*rest, "l-stage")) for n in (39, 75)]
    assert all(np.abs(frozen[0] - one).max() > 60 for one in moving)
    shown = [
        (np.abs(see(name, n) - see(name, n, without=("l-cape",))).max(2) > 16).mean()
        for n in (40, 42, 46, 55, 69)
    ]
    assert shown[0] == shown[4] == 0  # outside at its first and at its last frame
    assert 0 < shown[1] < shown[2]
    assert shown[3] > 0.1


def test_clones_appear_on_the_beats_of_the_waltz(see: Look, library: Library):
    shot = next(s.shot for s in library.shots.all() if s.shot.name == "Full house")
    clones = sorted((one for one in shot.layers if "clone" in one.id), key=lambda one: one.id)
    beats = [round(time * 25) for time in waltz.beats()]
    assert [one.span.first for one in clones] == beats[3:8]
    for n, clone in enumerate(clones):
        first = clone.span.first
        later = tuple(one.id for one in clones[n:])
        assert np.array_equal(see(shot.name, first - 1), see(shot.name, first - 1, without=later))
        seen = np.abs(see(shot.name, first) - see(shot.name, first, without=(clone.id,))).max(2)
        assert (seen > 40).sum() > 200, clone.name


def test_the_seam_between_two_takes_of_one_fox_is_not_seen(see: Look):
    """In register and in one light: along the edge of the mask nothing changes but what the grain and the candles do."""
    name, looks = "Two foxes, one stage", ("l-light",)
    whole = see(name, 0, without=looks)
    right = see(name, 0, without=("l-light", "l-left"))
    left = see(name, 0, without=looks, view="layer", chosen="l-left")
    edge = slice(292 - 16, 292 + 16)  # columns about the edge at canvas pixel 584
    backdrop = slice(120, 320)
    assert np.abs(whole - right)[backdrop, edge].mean() < 4
    steps = np.abs(np.diff(whole[backdrop, edge].mean(0), axis=0)).max()
    usual = np.abs(np.diff(right[backdrop, edge].mean(0), axis=0)).max()
    assert steps < usual + 1.5
    assert np.abs(whole - right)[400:900, 120:240].mean() > 12  # there the other fox stands
    assert left.shape == whole.shape
