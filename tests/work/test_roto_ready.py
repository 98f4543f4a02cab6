"""What a roto's first stroke needs is made while the brush is up, and only then."""

from __future__ import annotations

from concurrent.futures import wait
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest

from tests.core.test_roto import DROP, KEEP, Filmed, shot_with
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.written import Written
from velvet_seam.work.asks import Paint
from velvet_seam.work.roto_ready import RotoReady, first_steps


class Longer(Filmed):
    digest, frames, length = "longer", 20, Fraction(20, 25)

    def read(self, number: int) -> np.ndarray:
        return super().read(number % 9)


ASK = Paint(Written("", ()), 4, view="dropped", chosen="l-a")


def test_the_first_stroke_finds_made_what_it_asks_of_other_frames():
    engine, footage = Engine(lambda _: Longer()), Longer()
    ready = RotoReady(engine, lambda _: footage)
    ready.begin(shot_with([]), ASK)
    wait(ready._begun, 60)
    assert engine.counts["roto-residual"] == 1
    engine.picture(engine.plan(shot_with([{**KEEP, "frame": 4}]), 4))
    assert engine.counts["roto-residual"] == 1  # not again
    assert engine.counts["roto-found"] == 1
    ready.begin(shot_with([]), ASK)
    assert not ready._begun


@pytest.mark.parametrize(
    ("shot", "ask"),
    [
        (shot_with([KEEP, DROP]), ASK),  # what follows is carried
        (shot_with([]), replace(ASK, view="joined")),
        (shot_with([]), replace(ASK, passing=True)),
        (shot_with([]), replace(ASK, trial="{}")),
        (shot_with([]), replace(ASK, chosen=None)),
        (shot_with([], span={"first": 0, "last": 2}), ASK),
    ],
)
def test_nothing_is_made_where_no_first_stroke_can_come(shot: Shot, ask: Paint):
    engine = Engine(lambda _: Longer())
    ready = RotoReady(engine, lambda _: Longer())
    ready.begin(shot, ask)
    assert not ready._begun


def test_only_the_frames_of_one_shot_frame_are_asked():
    (look,) = first_steps(lambda _: Longer(), shot_with([]), ASK)
    (here, residual) = look.inputs
    assert (look.kind, here.kind, residual.kind) == ("roto-look", "roto-seen", "roto-residual")
    kinds = [one.kind for one in residual.inputs]
    assert kinds == ["roto-seen"] * 5 + ["roto-camera"] * 4  # frames 4, 0, 8, 12, 16
