"""A shot in a shot: the same pixels as its layers lying flat, its own time, and no more work than there is."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import numpy as np
import pytest

from tests.core.test_goldens import HEIGHT, WIDTH, Drawn, layer, shot
from velvet_seam.core.engine.baking import bake
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.nested import Nested, levels
from velvet_seam.core.media.material import Material
from velvet_seam.core.media.probe import probe
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import SetValues, apply
from velvet_seam.core.shot.layer import SoundTrack, Span
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sound.decode import decode_sound
from velvet_seam.core.sound.mix import Sounds, mix
from velvet_seam.core.steps import Step

CLEAR = {"width": WIDTH, "height": HEIGHT, "background": "none"}
MIDDLE = {"x": WIDTH / 2, "y": HEIGHT / 2}


def engine_with(**shots: Shot) -> Engine:
    """An engine that finds drawn footage by ``f-`` and these shots by ``s-``."""
    known: dict[str, Any] = {}

    def find(identity: str) -> Any:
        if identity not in known:
            name = identity[2:]
            known[identity] = (
                Nested(shots[name], lambda one: find(one).digest)
                if identity.startswith("s-")
                else Drawn(name)
            )
        return known[identity]

    return Engine(find)


def nested(name: str, **more: Any) -> dict[str, Any]:
    source = {"kind": "nested", "footage": f"s-{name}", **more.pop("source", {})}
    return {**layer(name, "wall"), "source": source, **more}


def seen(engine: Engine, of: Shot, frame: int = 6) -> np.ndarray:
    return engine.picture(engine.plan(of, frame))[..., :3].astype(int)


KEYED = layer(
    "card", "card", seam={"matte": [{"id": "k", "kind": "screen-key", "colour": "#32a546"}]}
)
DISC = layer("disc", "paper", place={"x": 70.3, "y": 44, "scale": 60, "rotation": 12})
GLOW = layer("glow", "garden", place={"x": 30, "y": 30, "scale": 40}, seam={"blend": "screen"})
SHADED = layer(
    "shaded", "paper", place={"x": 40, "y": 50, "scale": 45},
    around={"border": {"on": True}, "shadow": {"on": True}},
)  # fmt: skip
MASKED = layer(
    "masked", "garden", place={"x": 66, "y": 40, "scale": 70},
    seam={"masks": [{"id": "m", "kind": "oval", "x": 4, "y": 0, "width": 50, "height": 40, "fixed": "canvas"}]},
)  # fmt: skip
MATTED = layer(
    "matted", "garden", seam={"matte": [{"id": "q", "kind": "layer-matte", "layer": "l-disc"}]}
)
STACKS = {
    "keyed": (KEYED,), "two": (KEYED, DISC), "light": (DISC, GLOW), "around": (SHADED, DISC), "masked": (MASKED,),
    "matted": (DISC, MATTED),
}  # fmt: skip


@pytest.mark.parametrize("name", STACKS)
def test_what_is_only_placed_gives_the_pixels_of_its_layers(name: str):
    inside = shot(*STACKS[name], canvas=CLEAR)
    engine = engine_with(inside=inside)
    flat = seen(engine, shot(layer("wall", "garden"), *STACKS[name]))
    deep = seen(engine, shot(layer("wall", "garden"), nested("inside")))
    assert np.abs(flat - deep).max() <= 1
    assert engine.counts["alone"] == 0


def test_a_nested_shot_is_drawn_at_the_size_at_which_it_is_seen():
    """Placed smaller and turned, its layers are resampled once: as if each were placed so by itself."""
    inside = shot(DISC, canvas=CLEAR)
    placed = {"x": 50, "y": 45, "scale": 62, "rotation": 25}
    turn = np.radians(25)
    about = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    x, y = about @ (np.array([70.3, 44]) - (60, 40)) * 0.62 + (50, 45)
    alike = {"x": x, "y": y, "scale": 60 * 0.62, "rotation": 37}
    engine = engine_with(inside=inside)
    flat = seen(engine, shot(layer("wall", "garden"), {**DISC, "place": alike}))
    deep = seen(engine, shot(layer("wall", "garden"), nested("inside", place=placed)))
    assert np.abs(flat - deep).max() <= 1


@pytest.mark.parametrize("canvas", [(64, 96), (200, 50), (34, 18), (122, 86)])
@pytest.mark.parametrize("side", [None, 37, 53, 79])
def test_canvases_of_any_shape_lie_in_each_other(canvas: tuple[int, int], side: int | None):
    width, height = canvas
    own = {"x": width * 0.45, "y": height * 0.5, "scale": 20}
    small = {"width": width, "height": height, "background": "none"}
    inside = shot(layer("disc", "paper", place=own), canvas=small)
    place = {"x": 70, "y": 33, "scale": 80}
    alike = {"x": 70 + 0.8 * (own["x"] - width / 2), "y": 33, "scale": 16}
    engine = engine_with(inside=inside)
    made = [
        engine.picture(engine.plan(shot(layer("wall", "garden"), one), 6, short_side=side)).astype(
            int
        )
        for one in (layer("disc", "paper", place=alike), nested("inside", place=place))
    ]
    beside = np.abs(made[0] - made[1]).max(-1) > 1
    # where the disc is larger than the canvas it lies on, the canvas cuts it off
    assert beside.mean() < (0.002 if min(width * 0.45, height / 2) > 8.5 else 0.05)


def test_nothing_is_seen_beyond_its_canvas():
    inside = shot(layer("wide", "garden", place={**MIDDLE, "scale": 300}), canvas=CLEAR)
    place = {"x": 60, "y": 40, "scale": 50}
    made = seen(engine_with(inside=inside), shot(nested("inside", place=place)))
    outside = made.copy()
    outside[20:60, 30:90] = (0x30, 0x38, 0x48)
    assert (outside == (0x30, 0x38, 0x48)).all()
    assert (made[25:55, 35:85] != (0x30, 0x38, 0x48)).any(-1).mean() > 0.99


@pytest.mark.parametrize("name", ["keyed", "two", "light", "around", "masked"])
@pytest.mark.parametrize("light", ["display", "linear"])
def test_joined_by_itself_first_it_looks_the_same(name: str, light: str):
    inside = shot(*STACKS[name], canvas=CLEAR, light=light)
    engine = engine_with(inside=inside)
    wall = layer("wall", "garden")
    through = seen(engine, shot(wall, nested("inside"), light=light))
    apart = seen(engine, shot(wall, nested("inside", source={"apart": True}), light=light))
    assert engine.counts["alone"] == 1
    # light that is screened has a coverage for each colour, a picture one for all three
    most, mean = (140, 4) if name == "light" else (4, 0.5)
    assert np.abs(through - apart).max() <= most
    assert np.abs(through - apart).mean() <= mean


def test_a_layer_that_does_anything_else_takes_it_as_one_picture():
    inside = shot(DISC, GLOW, canvas=CLEAR)
    half = {"opacity": 50}
    engine = engine_with(inside=inside)
    made = seen(engine, shot(layer("wall", "garden"), nested("inside", seam=half)))
    none = seen(engine, shot(layer("wall", "garden")))
    whole = seen(engine, shot(layer("wall", "garden"), nested("inside", source={"apart": True})))
    assert np.abs(made - (none + whole) / 2).max() <= 1.01


def test_its_time_is_its_own():
    inside = shot(KEYED, canvas=CLEAR, rate="50", length=10)
    engine = engine_with(inside=inside)
    alone = [seen(engine, shot(KEYED, rate="50", length=10), n) for n in range(10)]
    outer = shot(nested("inside", time={"ends": "loop"}))
    assert [
        next(n for n in range(10) if np.abs(seen(engine, outer, frame) - alone[n]).max() <= 1)
        for frame in range(7)
    ] == [0, 2, 4, 6, 8, 0, 2]
    back = shot(nested("inside", time={"source_in": "8/50", "speed": -50}))
    assert np.abs(seen(engine, back, 4) - alone[4]).max() <= 1


def test_three_levels_deep():
    inner = shot(KEYED, canvas=CLEAR)
    middle = shot(nested("inner"), DISC, canvas=CLEAR)
    outer = shot(nested("middle"), GLOW, canvas=CLEAR)
    engine = engine_with(inner=inner, middle=middle, outer=outer)
    flat = seen(engine, shot(layer("wall", "garden"), KEYED, DISC, GLOW))
    deep = seen(engine, shot(layer("wall", "garden"), nested("outer")))
    assert np.abs(flat - deep).max() <= 1
    shots = {"s-inner": inner, "s-middle": middle, "s-outer": outer}
    assert levels("s-outer", shots.__getitem__) == 2


def test_a_shot_never_lies_in_itself():
    shots = {
        "s-a": shot(nested("b")), "s-b": shot(nested("c")), "s-c": shot(nested("a")),
    }  # fmt: skip
    with pytest.raises(Problem, match="would lie in itself"):
        levels("s-a", shots.__getitem__)


def test_a_change_inside_computes_only_what_has_changed():
    inside = shot(KEYED, DISC, canvas=CLEAR)
    shots = {"inside": inside}
    outer = shot(layer("wall", "garden"), nested("inside", seam={"opacity": 70}))

    def find(identity: str) -> Any:
        if identity.startswith("s-"):
            return Nested(shots[identity[2:]], lambda one: find(one).digest)
        return Drawn(identity[2:])

    engine = Engine(find)
    seen(engine, outer)
    before = engine.counts.copy()
    shots["inside"] = apply(inside, SetValues(target="l-disc", values={"place.x": 20.0}))
    seen(engine, outer)
    made = engine.counts - before
    assert made["screen"] == made["read"] == 0, made
    assert made["place"] == 2  # the disc, and the nested shot as one picture
    assert made["alone"] == made["finish"] == 1


def test_its_digest_says_all_that_it_is_made_of():
    inner, other = shot(KEYED, canvas=CLEAR), shot(DISC, canvas=CLEAR)
    outer = shot(nested("inner"), canvas=CLEAR)

    def digest(one: Shot) -> str:
        return Nested(outer, lambda _: Nested(one, str).digest).digest

    assert digest(inner) == digest(shot(KEYED, canvas=CLEAR)) != digest(other)


def kinds(step: Step) -> list[str]:
    return [step.kind, *(kind for one in step.inputs for kind in kinds(one))]


def test_what_asks_for_all_that_lies_below_does_not_reach_out_of_its_shot():
    look = {"parts": [{"id": "p", "kind": "negative"}]}
    turned = {**layer("turned", "wall"), "source": {"kind": "adjustment"}, "look": look}
    inside = shot(DISC, turned, canvas=CLEAR)
    engine = engine_with(inside=inside)
    of = shot(layer("wall", "garden"), nested("inside"))
    assert "alone" in kinds(engine.plan(of, 6))
    wall = seen(engine, shot(layer("wall", "garden")))
    made = seen(engine, of)
    beside = np.hypot(*(np.mgrid[0:HEIGHT, 0:WIDTH] - np.array([44, 70])[:, None, None])) > 30
    assert np.abs(made - wall)[beside].max() <= 1


def test_a_baked_shot_has_the_pixels_the_coverage_and_the_sound_of_its_shot(tmp_path):
    inside = shot(KEYED, DISC, layer("half", "garden", seam={"opacity": 50}, place={"x": 30, "y": 60, "scale": 30}),
                  canvas=CLEAR)  # fmt: skip
    engine = engine_with(inside=inside)
    wave = np.sin(np.arange(24_000) / 20).astype(np.float32)[:, None].repeat(2, 1) * 0.5
    heard = inside.model_copy(
        update={
            "sounds": (SoundTrack(id="t-a", name="a", footage="f-a", span=Span(first=2, last=11)),)
        }
    )
    sounds = Sounds(lambda _: wave, lambda _: Fraction(1, 2))
    path = tmp_path / "baked.mkv"
    done: list[int] = []
    bake(heard, path, lambda identity: Drawn(identity[2:]), sounds, each=done.append)
    assert done == list(range(1, 13))
    assert [one.name for one in tmp_path.iterdir()] == ["baked.mkv"]
    found = probe(path)
    assert (found.width, found.height, found.frames, found.rate, found.alpha) == (
        WIDTH,
        HEIGHT,
        12,
        25,
        True,
    )
    clip = Material("f-baked", path, found, preview=False)
    for frame in (0, 6, 11):
        wanted = engine.picture(engine.alone(inside, frame)).astype(int)
        assert np.abs(clip.read(frame).astype(int) - wanted).max() <= 1
    quick = heard.model_copy(
        update={"rate": Fraction(60)}
    )  # and its frames, at a rate that is no whole milliseconds
    bake(quick, path, lambda identity: Drawn(identity[2:]), sounds)
    assert (probe(path).rate, probe(path).length) == (60, Fraction(12, 60))
    bake(heard, path, lambda identity: Drawn(identity[2:]), sounds)
    own = decode_sound(path)
    mixed = mix(heard, sounds)
    assert own is not None
    assert np.abs(own[: len(mixed)] - mixed).max() < 1e-3
