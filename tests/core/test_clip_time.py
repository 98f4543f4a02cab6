"""A clip's own time: every shot frame shows the source frame it should, read off the pictures."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.clips import coded_clip, read_code
from velvet_seam.core.engine.clip_time import frames_shown
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.media.material import Material
from velvet_seam.core.media.probe import probe, timed
from velvet_seam.core.picture.between import flowed, mixed_frames
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.layer import TimeMap
from velvet_seam.core.shot.shot import Shot


@pytest.fixture(scope="module")
def clips(tmp_path_factory: pytest.TempPathFactory) -> Callable[[str], Material]:
    """The clips ``24``, ``25``, ``120``: of so many frames a second, 72 frames each, by name."""
    folder = tmp_path_factory.mktemp("rates")
    made: dict[str, Material] = {}

    def clip(name: str) -> Material:
        if name not in made:
            path = folder / f"{name}.mp4"
            coded_clip(path, 72, rate=Fraction(name))
            made[name] = Material(f"f-{name}", path, probe(path), preview=False)
        return made[name]

    return clip


def shot_of(rate: str, length: int = 72, **time) -> Shot:
    layer = {
        "id": "l-one", "name": "One", "source": {"kind": "footage", "footage": "f-one"},
        "span": {"first": 0, "last": length - 1}, "place": {"x": 96, "y": 64}, "time": time,
    }  # fmt: skip
    return Shot.model_validate(
        {"name": "S", "canvas": {"width": 192, "height": 128}, "rate": rate, "length": length,
         "layers": [layer]}
    )  # fmt: skip


def codes(shot: Shot, material: Material) -> list[int]:
    engine = Engine(lambda _: material, passing=True)
    return [read_code(engine.picture(engine.plan(shot, n))) for n in range(shot.length)]


def ramp(*keys: tuple[int, float, object]) -> dict:
    return {"keys": [{"frame": f, "value": v, "ease": e} for f, v, e in keys]}


LAST = 71

CASES = {
    "24 in 25": ("24", {}, lambda n: n * 24 // 25),
    "120 in 25": ("120", {}, lambda n: min(n * 24 // 5, LAST)),
    "120 in 25, each frame": ("120", {"speed": 100 * 25 / 120}, lambda n: n),
    "half speed": ("25", {"speed": 50}, lambda n: n // 2),
    "three and a half times": ("25", {"speed": 350}, lambda n: min(n * 7 // 2, LAST)),
    "backwards": ("25", {"speed": -100, "source_in": "71/25"}, lambda n: LAST - n),
    "backwards at half": ("25", {"speed": -50, "source_in": "71/25"},
                          lambda n: (2 * LAST - n) // 2),
    "frozen": ("25", {"speed": 0, "source_in": "33/25"}, lambda n: 33),
    "slipped": ("25", {"source_in": "13/25"}, lambda n: min(n + 13, LAST)),
    "looped": ("25", {"ends": "loop", "speed": 300}, lambda n: 3 * n % 72),
    "looped backwards": ("25", {"ends": "loop", "speed": -100}, lambda n: -n % 72),
    "back and forth": ("25", {"ends": "bounce", "speed": 400},
                       lambda n: min(4 * n % 142, 142 - 4 * n % 142)),
    # 100 % to 0 within 20 frames, straight: n − n²/40 frames have passed
    "ramp to a stand": ("25", {"speed": ramp((0, 100, "linear"), (20, 0, "linear"))},
                        lambda n: (40 * n - n * n) // 40 if n < 20 else 10),
    # held at double speed for 10 frames, then at half
    "steps": ("25", {"speed": ramp((0, 200, "hold"), (10, 50, "hold"))},
              lambda n: 2 * n if n <= 10 else 20 + (n - 10) // 2),
    # 3t² − 2t³ from 0 to 100 % in 16 frames: 16 (t³ − t⁴/2) frames have passed
    "smooth start": ("25", {"speed": ramp((0, 0, "smooth"), (16, 100, "hold"))},
                     lambda n: (32 * n**3 - n**4) // (2 * 16**3) if n < 16 else n - 8),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_every_frame_shows_the_source_frame_of_its_time(name, clips):
    rate, time, wanted = CASES[name]
    shot = shot_of("25", **time)
    assert codes(shot, clips(rate)) == [wanted(n) for n in range(72)]


def test_a_hand_drawn_ramp_shows_the_frame_of_its_area(clips):
    curve = (0.7, 0.1, 0.2, 1.0)
    shot = shot_of("25", speed=ramp((0, 20, curve), (60, 180, "hold")))
    s = np.linspace(0, 1, 400_001)
    x = 3 * (1 - s) ** 2 * s * curve[0] + 3 * (1 - s) * s**2 * curve[2] + s**3
    y = 3 * (1 - s) ** 2 * s * curve[1] + 3 * (1 - s) * s**2 * curve[3] + s**3
    area = np.concatenate([[0], np.cumsum(np.diff(x) * (y[1:] + y[:-1]) / 2)])
    for n, shown in enumerate(codes(shot, clips("25"))[:60]):
        passed = 0.2 * n + 1.6 * 60 * np.interp(n / 60, x, area)
        near = abs(passed - round(passed)) < 1e-4  # the reference itself is not sure there
        assert shown in ([round(passed) - 1, round(passed)] if near else [min(int(passed), LAST)])


@pytest.mark.parametrize("name", ["half speed", "backwards", "smooth start", "looped", "steps"])
def test_splitting_and_trimming_change_nothing_that_is_seen(name, clips):
    rate, time, wanted = CASES[name]
    shot = shot_of("25", **time)
    split = apply(shot, read_edit({"do": "split", "target": "l-one", "at": 7, "new_id": "l-two"}))
    split = apply(split, read_edit({"do": "split", "target": "l-two", "at": 31, "new_id": "l-3"}))
    assert codes(split, clips(rate)) == [wanted(n) for n in range(72)]


def test_a_clip_is_not_begun_before_its_first_frame(clips):
    shot = shot_of("25", source_in="4/25", speed=50)
    moved = apply(shot, read_edit({"do": "move-in-time", "target": "l-one", "by": 40}))
    longer = apply(moved, read_edit({"do": "trim", "target": "l-one", "edge": "first", "to": 0}))
    assert longer.layers[0].span.first == 32
    assert longer.layers[0].time.source_in == 0


@pytest.mark.parametrize("part", [0.25, 0.5, 0.8])
def test_between_two_frames(part):
    """A disc that moves 12 px: flow puts it where it is at that time, mixing shows it twice."""

    def disc(x: float) -> np.ndarray:
        down, across = np.mgrid[0:240, 0:320]
        cover = np.clip(40.5 - np.hypot(across - x, down - 120), 0, 1)
        rng = np.random.default_rng(1)
        rough = np.kron(rng.integers(90, 160, (30, 40)), np.ones((8, 8)))
        grain = 40 * np.sin(down / 7) + 160  # something to follow, that moves with the disc
        picture = np.full((240, 320, 4), 255, np.uint8)
        picture[..., :3] = (rough * (1 - cover) + grain * cover)[..., None]
        return picture

    one, other, truth = disc(140), disc(152), disc(140 + 12 * part)
    far = [np.abs(made.astype(int) - truth).mean()
           for made in (flowed(one, other, part), mixed_frames(one, other, part))]  # fmt: skip
    assert far[0] < 0.5 * far[1]
    assert np.abs(mixed_frames(one, other, part)[120, 60].astype(int) - one[120, 60]).max() <= 1


def test_slow_motion_is_mixed_or_flows(clips):
    whole = shot_of("25", speed=50, between="mix")
    engine = Engine(lambda _: clips("25"), passing=True)
    first, second, between = (engine.picture(engine.plan(whole, n)).astype(int) for n in (0, 2, 1))
    assert np.abs(between - (first + second) / 2).max() <= 1
    flow = shot_of("25", speed=50, between="flow")
    assert read_code(engine.picture(engine.plan(flow, 4))) == 2  # on a frame it is that frame


def test_a_still_and_a_clip_of_one_frame_stay_what_they_are(tmp_path: Path):
    path = tmp_path / "one.mp4"
    coded_clip(path, 1)
    one = Material("f", path, probe(path), preview=False)
    for ends in ("hold", "loop", "bounce"):
        assert codes(shot_of("25", 5, ends=ends, speed=-70, between="mix"), one) == [0] * 5


@pytest.mark.parametrize(
    "name",
    ["half speed", "backwards", "frozen", "steps", "ramp to a stand", "smooth start", "looped"],
)
def test_turned_round_it_shows_the_same_frames_from_the_end(name, clips):
    rate, time, wanted = CASES[name]
    shot = shot_of("25", **time)
    turned = apply(shot, read_edit({"do": "reverse", "target": "l-one"}))
    assert codes(turned, clips(rate)) == [wanted(n) for n in range(72)][::-1]


def test_a_speed_that_holds_here_and_slopes_there_is_not_turned(clips):
    shot = shot_of("25", speed=ramp((0, 100, "hold"), (9, 50, "linear"), (20, 0, "hold")))
    with pytest.raises(Problem, match="holds only here and there"):
        apply(shot, read_edit({"do": "reverse", "target": "l-one"}))


@pytest.mark.parametrize("apart", [False, True])
@pytest.mark.parametrize(("name", "at"), [("half speed", 21), ("smooth start", 9), ("24 in 25", 0)])
def test_a_frame_is_frozen_and_the_rest_waits_or_does_not(name, at, apart, clips):
    rate, time, wanted = CASES[name]
    edit = {"do": "freeze", "layer": "l-one", "at": at, "frames": 6, "frozen_id": "l-f",
            "rest_id": "l-r", "apart": apart}  # fmt: skip
    frozen = apply(shot_of("25", **time), read_edit(edit))
    plain = [wanted(n) for n in range(72)]
    late = 0 if apart else 6
    expected = plain[:at] + [plain[at]] * 6 + plain[at + 6 - late :]
    assert codes(frozen, clips(rate)) == expected[:72]
    assert frozen.layer("l-f").name == "One frozen"


def test_slipping_shows_another_stretch_but_not_before_the_first_frame(clips):
    shot = shot_of("25", source_in="8/25")
    later = apply(shot, read_edit({"do": "slip", "target": "l-one", "by": 5}))
    assert codes(later, clips("25"))[:3] == [13, 14, 15]
    first = apply(shot, read_edit({"do": "slip", "target": "l-one", "by": -50}))
    assert codes(first, clips("25"))[:3] == [0, 1, 2]


def test_ten_minutes_are_looped_ramped_and_exact_at_their_end(clips):
    length, material = 15_000, clips("25")
    engine = Engine(lambda _: material, passing=True)
    looped = shot_of("25", length, ends="loop")
    for frame in (0, 7_777, length - 1):
        assert read_code(engine.picture(engine.plan(looped, frame))) == frame % 72
    # 300 seconds at 50 %, then 300 at 150 %: the areas are exact fractions
    steps = ramp((0, 50, "hold"), (length // 2, 150, "hold"))
    turned = shot_of("25", length, speed=steps, ends="loop")
    wanted = (length // 2 // 2 + (length - 2 - length // 2) * 3 // 2) % 72
    assert read_code(engine.picture(engine.plan(turned, length - 2))) == wanted


def test_a_span_past_the_end_is_kept_and_the_shot_ends_where_it_ends(clips):
    material = clips("25")
    shot = shot_of("25", 40)
    longer = apply(shot, read_edit({"do": "trim", "target": "l-one", "edge": "last", "to": 500}))
    assert longer.layer("l-one").span.last == 500
    assert longer.length == 40
    assert codes(longer, material) == list(range(40))
    # made longer, the shot shows what was there all along
    more = apply(longer, read_edit({"do": "set-values", "target": None, "values": {"length": 60}}))
    assert codes(more, material) == list(range(60))
    for edge, to in (
        ("first", 501),
        ("last", -1),
    ):  # beyond its other end: said, not made one frame
        with pytest.raises(Problem, match="cannot lie"):
            apply(longer, read_edit({"do": "trim", "target": "l-one", "edge": edge, "to": to}))


def test_a_ramp_by_its_name_is_slow_where_it_says():
    """A quarter of the speed at its slow end, over a second; around a cut both clips are slow there."""
    layers = [
        {
            "id": identity, "name": identity, "source": {"kind": "footage", "footage": "f-a"},
            "span": {"first": first, "last": last}, "place": {"x": 64, "y": 64},
        }
        for identity, first, last in (("l-a", 0, 99), ("l-b", 100, 149))
    ]  # fmt: skip
    shot = shot_of("25", 150).model_validate(
        {**shot_of("25", 150).model_dump(), "layers": layers, "rate": "25"}
    )
    ramped = apply(shot, read_edit({"do": "ramp-speed", "layer": "l-a", "way": "both"}))
    speed = ramped.layers[0].time.speed
    assert [(key.frame, key.value) for key in speed.keys] == [
        (0, 25.0), (25, 100.0), (74, 100.0), (99, 25.0)
    ]  # fmt: skip
    cut = apply(shot, read_edit({"do": "ramp-speed", "layer": "l-a", "way": "cut"}))
    assert [key.value for key in cut.layers[0].time.speed.keys] == [100.0, 25.0]
    assert [(key.frame, key.value) for key in cut.layers[1].time.speed.keys] == [
        (0, 25.0),
        (24, 100.0),  # at most half of it
    ]
    even = apply(cut, read_edit({"do": "ramp-speed", "layer": "l-a", "way": "none"}))
    assert even.layers[0].time.speed == 100.0
    with pytest.raises(Problem, match="No other clip begins"):
        apply(shot, read_edit({"do": "ramp-speed", "layer": "l-b", "way": "cut"}))


@pytest.mark.parametrize("speed", [0, 1e-7, -1e-9])
def test_a_speed_of_as_good_as_nothing_is_refused_in_words(speed):
    with pytest.raises(Problem, match="stands still"):
        apply(shot_of("25"), read_edit({"do": "change-speed", "target": "l-one", "speed": speed}))


@pytest.mark.parametrize("declared", [True, False], ids=["rate declared", "only in milliseconds"])
@pytest.mark.parametrize(
    "rate", ["12", "15", "24", "25", "30", "50", "60", "24000/1001", "30000/1001", "60000/1001"]
)
def test_a_short_clip_counted_in_milliseconds_shows_its_frames_one_by_one(
    rate: str, declared: bool, tmp_path: Path
):
    """Eight frames at 60 a second last 117 of them: at the rate that this would be, each came a frame too late."""
    exact = Fraction(rate)
    for count in (2, 3, 5, 8, 21, 40):
        path = tmp_path / f"{count}.mkv"
        coded_clip(path, count, rate=exact)
        found = probe(path)
        if not declared:  # a file that says no more than when its frames begin
            found = timed({"kind": "clip", "format": "x"}, found.times, found.tick)
        # whole rates and those a thousandth lower lie alike while the clip is shorter than a second
        alike = {exact, exact * Fraction(1001, 1000), exact * Fraction(1000, 1001)}
        assert found.rate in (alike if not declared else {exact})
        for backward in (False, True):
            start = found.begins(count - 1) if backward else Fraction(0)
            time = TimeMap(source_in=start, speed=-100.0 if backward else 100.0)
            shown = frames_shown(found, time, count, found.rate)
            assert shown == list(range(count))[:: -1 if backward else 1]
