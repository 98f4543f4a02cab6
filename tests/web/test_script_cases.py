"""What script works out under the hand, against what Python works out: one table of cases.

Rules live in Python. Where a hand drags, script has to know at once where a layer, a mask or a keyframe is; each
line of the table says what script is asked and what Python answers.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from types import SimpleNamespace
from typing import Any

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page

from tests.web.test_whole_job import clean  # noqa: F401
from velvet_seam.core.engine.clip_time import folded
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.looks.curve_points import CurveKeys, curve_at
from velvet_seam.core.masks import MASKS, Ground, MaskBase
from velvet_seam.core.masks.drawn import Vertex, outline_at
from velvet_seam.core.picture.shape import Soft
from velvet_seam.core.shot.layer import Layer, TimeMap
from velvet_seam.core.shot.pins import Pins
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.timing.animated import Keyframe, Keyframes, value_at
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.ease import eased
from velvet_seam.core.words import kind_of

pytestmark = pytest.mark.browser

EASES = [
    "linear",
    "smooth",
    "hold",
    "slow-start",
    "slow-end",
    (0.9, -0.4, 0.2, 1.3),
    (0.0, 0.6, 1.0, 0.4),
]
SIZE = {"width": 640, "height": 480}
SOURCE, CANVAS, RATE = (640, 480), (1080, 1920), Fraction(25)


@dataclass(frozen=True)
class Case:
    """A function of a script, what it is given, and what it should answer, to within so much."""

    script: str
    function: str
    given: list[Any]
    answer: Any
    within: float = 1e-6
    take: str = ""
    """Which way of a map is asked, for the last two of what is given."""


def keys(rng: np.random.Generator, values: tuple[float, float], count: int = 6) -> dict[str, Any]:
    frames = np.cumsum(rng.integers(1, 12, count)) - 4
    return {"keys": [
        {"frame": int(frame), "value": float(rng.uniform(*values)), "ease": EASES[int(rng.integers(len(EASES)))]}
        for frame in frames
    ]}  # fmt: skip


def moving(told: dict[str, Any]) -> Keyframes:
    return Keyframes(keys=[Keyframe(**key) for key in told["keys"]])


def of_values(rng: np.random.Generator) -> Iterator[Case]:
    for ease in EASES:
        for t in (-0.5, 0.0, 0.13, 0.5, 0.871, 1.0, 1.5):
            answer = min(max(t, 0), 1) if not 0 < t < 1 and ease != "hold" else eased(ease, t)
            if 0 <= t < 1:
                yield Case("time/moving", "eased", [ease, t], eased(ease, t) if t else answer)
    for _ in range(30):
        told = keys(rng, (-50, 50))
        frame = float(rng.uniform(-15, 60))
        yield Case("time/moving", "valueAt", [told, frame], value_at(moving(told), frame))
    yield Case("time/moving", "valueAt", [7.5, 3], 7.5)
    for _ in range(12):
        told, frames = keys(rng, (-200, 300)), int(rng.integers(-5, 60))
        time = TimeMap(source_in=Fraction(7, 3), speed=moving(told))
        answer = float(time.at(frames, RATE))
        given = [{"source_in": "7/3", "speed": told}, frames, float(RATE)]
        yield Case("time/moving", "sourceSeconds", given, answer, within=0.02)


def of_sounds(rng: np.random.Generator) -> Iterator[Case]:
    """Where a bar's wave is drawn from: where the mix reads."""
    for n in range(24):
        ends, sound = ("hold", "loop", "bounce")[n % 3], "stay" if n % 4 == 3 else "follow"
        speed = float(rng.uniform(-250, 250))
        time = TimeMap(
            source_in=Fraction(9, 4), speed=speed, ends=ends, sound=sound, ahead=Fraction(n, 3)
        )
        frames, length = int(rng.integers(0, 90)), Fraction(16, 5)
        heard = (
            time.at(frames, RATE)
            if sound == "follow"
            else time.source_in + time.ahead + frames / RATE
        )
        if sound == "follow":
            heard = folded(heard, ends, length, length)
        thing = {"time": time.model_dump(mode="json"), "span": {"first": 7, "last": 96}}
        given = [thing, float(RATE), float(length), frames / 90]
        yield Case("time/moving", "heardAlong", given, float(heard), 1e-3, "along")


def of_curves(rng: np.random.Generator) -> Iterator[Case]:
    for n in range(24):
        each = [
            [[float(x), float(rng.uniform())] for x in np.sort(rng.choice(200, int(count), False)) / 199]
            for count in rng.integers(2, 17, 3)
        ]  # fmt: skip
        told = {"keys": [
            {"frame": 7 * k, "value": value, "ease": EASES[(n + k) % len(EASES)]} for k, value in enumerate(each)
        ]}  # fmt: skip
        frame = float(rng.uniform(-2, 18))
        answer = [list(point) for point in curve_at(CurveKeys.model_validate(told), frame)]
        yield Case("curve-points", "curveAt", [told, frame], answer)


def of_places(rng: np.random.Generator) -> Iterator[Case]:
    for n in range(40):
        still = n % 2 == 0

        def number(low: float, high: float, still: bool = still) -> Any:
            return float(rng.uniform(low, high)) if still else keys(rng, (low, high))

        place = {
            "x": number(-500, 1500), "y": number(-500, 2000), "scale": number(5, 300),
            "rotation": number(-200, 200), "flip_x": bool(rng.integers(2)), "flip_y": bool(rng.integers(2)),
        }  # fmt: skip
        if n % 3 == 0:
            place["pins"] = {name: number(-60, 60) for name in Pins.model_fields}
        moves = {"arrive": {"way": "slide-left", "frames": 20}, "stir": {"shake": 30, "turn": 8}}
        lying, layer = lain(place, moves if n % 4 > 1 else {})
        frame = int(rng.integers(0, 40))
        stray = lying.stray(layer, frame + 3)
        told = {"x": stray.x, "y": stray.y, "scale": stray.scale, "turn": stray.turn}
        u, v = (float(one) for one in rng.uniform(-400, 400, 2))
        wanted = lying.matrix(layer, frame + 3) @ [u + SOURCE[0] / 2, v + SOURCE[1] / 2, 1]
        wanted = wanted / wanted[2]
        yield Case("handles/geometry", "layerMap", [place, frame, told, SIZE, u, v], list(wanted[:2]), 1e-5,
                   "toCanvas")  # fmt: skip
        back = [place, frame, told, SIZE, float(wanted[0]), float(wanted[1])]
        yield Case("handles/geometry", "layerMap", back, [u, v], 1e-5,
                   "toSource")  # fmt: skip


def lain(place: dict[str, Any], more: dict[str, Any]) -> tuple[Lying, Layer]:
    """A layer of a shot, which begins at frame 3, and what says where it lies."""
    layer = Layer.model_validate({
        "id": "l-a", "name": "a", "source": {"kind": "footage", "footage": "f-a"},
        "span": {"first": 3, "last": 90}, "place": place, **more,
    })  # fmt: skip
    canvas = Canvas(width=CANVAS[0], height=CANVAS[1])
    shot = Shot(name="s", canvas=canvas, rate="25", length=100, layers=(layer,))
    size = SimpleNamespace(width=SOURCE[0], height=SOURCE[1])
    return Lying(shot, lambda _: size), layer


def mask_of(kind: type[MaskBase], rng: np.random.Generator) -> MaskBase:
    numbers = {
        "width": 300, "height": 220, "round": 40, "radius": 150, "inner": 45, "points": 5,
        "x": float(rng.uniform(-80, 80)), "y": float(rng.uniform(-60, 60)),
        "rotation": float(rng.uniform(-180, 180)),
    }  # fmt: skip
    values = {name: value for name, value in numbers.items() if name in kind.model_fields}
    if kind_of(kind) == "drawn":
        around = 2 * np.pi * (np.arange(6) + rng.uniform(-0.3, 0.3, 6)) / 6
        far, bent = rng.uniform(80, 160, 6), rng.uniform(-40, 40, (6, 4))
        corners = np.column_stack([far * np.cos(around), far * np.sin(around), bent])
        values["outline"] = [
            Vertex(x=x, y=y, in_x=a, in_y=b, out_x=c, out_y=d)
            for x, y, a, b, c, d in corners.tolist()
        ]
    return kind.model_validate({"id": "m-a", **values})


def of_masks(rng: np.random.Generator) -> Iterator[Case]:
    place = {
        "x": 500.0,
        "y": 900.0,
        "scale": 120.0,
        "rotation": 33.0,
        "flip_x": True,
        "flip_y": False,
    }
    lying, layer = lain(place, {})
    canvas = {"width": CANVAS[0], "height": CANVAS[1]}
    told = {"place": place}
    for kind in MASKS:
        for fixed in ("layer", "canvas"):
            mask = mask_of(kind, rng).model_copy(update={"fixed": fixed})
            at = At(0)
            turn = np.radians(at(mask.rotation))
            c, s = np.cos(turn), np.sin(turn)
            own = np.array([[c, -s, at(mask.x)], [s, c, at(mask.y)], [0, 0, 1]])
            u, v = (float(one) for one in rng.uniform(-200, 200, 2))
            wanted = lying.base(layer, fixed, 3) @ own @ [u, v, 1]
            wanted = wanted / wanted[2]
            given = [mask.model_dump(mode="json"), told, 0, canvas, None, SIZE, u, v]
            yield Case("masks/shape", "maskMap", given, list(wanted[:2]), 1e-5,
                       "toCanvas")  # fmt: skip


def outline_cases(rng: np.random.Generator) -> list[MaskBase]:
    return [mask_of(kind, rng) for kind in MASKS for _ in range(3)]


ASK = """async (cases) => {
  const answers = [];
  for (const { script, name, given, take } of cases) {
    const module = await import(`/static/js/bench/${script}.js`);
    const args = given.map((one) => (one === null ? undefined : one));
    const it = module[name](...args);
    answers.push(take === "toCanvas" ? Object.values(it.toCanvas(...given.slice(-2)))
      : take === "along" ? it(...given.slice(-1)) : take === "toSource" ? Object.values(it.toSource(...given.slice(-2))) : it);
  }
  return answers;
}"""


def asked(page: Page, served: str, cases: list[Case]) -> list[Any]:
    if not page.url.startswith(served):
        page.goto(f"{served}/footage")
    told = [
        {"script": c.script, "name": c.function, "given": c.given, "take": c.take} for c in cases
    ]
    return list(page.evaluate(ASK, told))


def test_script_answers_as_python_does(clean: Page, served: str):  # noqa: F811
    rng = np.random.default_rng(16)
    cases = [*of_values(rng), *of_sounds(rng), *of_curves(rng), *of_places(rng), *of_masks(rng)]
    assert len(cases) > 150
    for case, got in zip(cases, asked(clean, served, cases), strict=True):
        if case.function == "curveAt":
            np.testing.assert_allclose(got, case.answer, atol=1e-9)
            continue
        assert got == pytest.approx(case.answer, abs=case.within), case


def test_outlines_that_script_draws_are_where_masks_cover(clean: Page, served: str):  # noqa: F811
    """The polygons drawn over the picture, filled, against the coverage that the engine computes."""
    side, masks = 480, outline_cases(np.random.default_rng(17))
    cases = [
        Case("masks/shape", "outlines", [mask.model_dump(mode="json"), 0], None) for mask in masks
    ]
    seen = set()
    for mask, lines in zip(masks, asked(clean, served, cases), strict=True):
        soft = Soft(0, 0, 0, 1.0)
        to_own = np.array([[1, 0, -side / 2], [0, 1, -side / 2], [0, 0, 1]], float)
        covered = mask.covered(At(0), Ground((side, side), to_own, 1.0, 1.0, soft)) > 127
        drawn = np.zeros((side, side), np.uint8)
        points = [np.array(line, float)[:, :2] + side / 2 for line in lines]
        if kind_of(type(mask)) == "straight":
            drawn[:, : side // 2] = 1
            if not covered[:, :10].all():
                drawn = 1 - drawn
        elif kind_of(type(mask)) == "band":
            left, right = sorted(float(one[0, 0]) for one in points)
            drawn[:, round(left) : round(right)] = 1
        else:
            shifted = [np.rint((one - 0.5) * 256).astype(np.int32) for one in points]
            cv2.fillPoly(drawn, shifted, 1, shift=8)
        both, either = (drawn > 0) & covered, (drawn > 0) | covered
        assert both.sum() / either.sum() > 0.97, mask
        seen.add(kind_of(type(mask)))
    assert seen == {kind_of(kind) for kind in MASKS}


def test_points_of_an_outline_between_two_keyframes(clean: Page, served: str):  # noqa: F811
    rng = np.random.default_rng(18)
    shapes = [
        [dict(zip(Vertex.model_fields, row, strict=True)) for row in np.abs(rng.uniform(-90, 90, (4, 7))).tolist()]
        for _ in range(3)
    ]  # fmt: skip
    told = {"keys": [{"frame": 9 * n, "value": s, "ease": EASES[n]} for n, s in enumerate(shapes)]}
    mask = next(kind for kind in MASKS if kind_of(kind) == "drawn").model_validate(
        {"id": "m-a", "outline": told}
    )
    cases = [Case("time/moving", "outlineAt", [told, frame], None) for frame in range(-2, 22)]
    for case, got in zip(cases, asked(clean, served, cases), strict=True):
        wanted = [one.model_dump() for one in outline_at(mask.outline, case.given[1])]
        for a, b in zip(got, wanted, strict=True):
            assert a == pytest.approx(b, abs=1e-6)
