"""Generated sources: what each says it is, at any frame by itself, and looping where a length is set."""

from __future__ import annotations

import re
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
import pytest
from PIL import Image, ImageDraw

from tests.core.test_goldens import HEIGHT, MADE, WIDTH, layer, seen, shot
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.picture.burst import DIRECTIONS, burst
from velvet_seam.core.picture.filled import filling
from velvet_seam.core.picture.lettering import (
    FAMILIES,
    Setting,
    _font,
    lacking,
    laid,
    lettered,
    lines_of,
)
from velvet_seam.core.picture.noise import noise
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sources import GENERATED
from velvet_seam.core.sources.gradient import mixed
from velvet_seam.core.words import kind_of

PLAIN = Setting("sans", 40.0, 500, 0.0, 1.2, 0, 0.0)


def only(source: dict[str, Any], **more: Any) -> Shot:
    own = {**layer("a", "wall"), "source": source, "span": {"first": 0, "last": 299}, **more}
    return shot(own).model_copy(update={"length": 300})


def picture(of: Shot, frame: int, view: str = "joined", engine: Engine | None = None) -> np.ndarray:
    engine = engine or Engine(lambda identity: None)  # type: ignore[arg-type, return-value]
    step = engine.plan(of, frame, view=view, chosen="l-a")  # type: ignore[arg-type]
    return engine.picture(step)[..., :3].copy()


@pytest.mark.parametrize("kind", GENERATED, ids=kind_of)
def test_any_frame_can_be_asked_for_by_itself(kind: type[Any]):
    name = kind_of(kind)
    of = only({"kind": name, **MADE.get(name, {})})
    warm = Engine(lambda identity: None)  # type: ignore[arg-type, return-value]
    for frame in (0, 40, 7, 123, 40):
        np.testing.assert_array_equal(picture(of, frame, engine=warm), picture(of, frame))


@pytest.mark.parametrize("kind", GENERATED, ids=kind_of)
def test_every_value_and_every_word_changes_the_picture(kind: type[Any]):
    name = kind_of(kind)
    own = {"kind": name, **MADE.get(name, {})}
    source = kind.model_validate(own)
    switched = {"every": {"what": "strobe"}, "soft": {"revealed": 50}, "outline_colour": {"outline": 3},
                "by": {"revealed": 40}, "loop": {"loop": 3.0}, "angle": {"shape": "straight"}, "rate": {"jitter": 9.0}, "seed": {"jitter": 9.0},
                "size": {"shape": "round"}, "across": {"shape": "round"}, "down": {"shape": "round"}, "slant": {"layout": "columns"}}  # fmt: skip
    for field, held in kind.model_fields.items():
        if field == "kind":
            continue
        extra = {
            k: v
            for k, v in switched.get(field, {}).items()
            if k in kind.model_fields and k != field
        }
        bounds = next((m for m in held.metadata if hasattr(m, "low")), None)
        now = getattr(source, field)
        if bounds is not None:
            low, high = bounds.reach(WIDTH, HEIGHT)
            others = [low + (high - low) * part for part in (0.1, 0.35, 0.8)]
        elif isinstance(now, tuple):
            others = [()] if field == "strokes" else [("#ffffff", "#000000")]
        elif field == "text":
            others = ["Other words"]
        elif isinstance(now, str) and now.startswith("#"):
            others = ["#12f08c"]
        else:
            others = [word for word in held.annotation.__args__ if word != now]
        frames = (3, 8, 14, 20)
        base = [picture(only({**own, **extra}), frame) for frame in frames]
        assert any(
            (picture(only({**own, **extra, field: other}), frame) != base[n]).any()
            for other in others
            for n, frame in enumerate(frames)
        ), (name, field)  # fmt: skip


@pytest.mark.parametrize("source", [
    {"kind": "clouds", "size": 50, "drift": 30, "change": 0.6}, {"kind": "particles", "size": 5, "life": 1.3},
    {"kind": "particles", "what": "snow", "size": 4, "speed": 40},
    {"kind": "rays", "change": 0.7}, {"kind": "light-leak", "change": 0.7},
])  # fmt: skip
def test_what_loops_ends_as_it_began_and_goes_on_evenly(source: dict[str, Any]):
    of = only({**source, "loop": 4.0})
    frames = [picture(of, frame).astype(int) for frame in range(0, 104, 4)]
    np.testing.assert_array_equal(frames[0], frames[25])  # 100 frames are 4 s
    steps = [np.abs(b - a).mean() for a, b in pairwise(frames)]
    assert max(steps[-1], steps[0]) < 1.25 * max(steps[1:-1])  # no jump where it begins again
    assert max(steps) < 3.5 * min(steps) + 0.5
    assert (picture(only({**source, "loop": 0}), 100) != frames[0]).any()


def test_noise_has_no_mean_of_its_own_and_is_smooth():
    field = noise((400, 300), 60, 4, 2.7)
    assert abs(field.mean()) < 0.12
    assert 0.15 < field.std() < 0.5
    assert np.abs(np.diff(field, axis=0)).max() < 0.2
    one, other = noise((400, 300), 60, 4, 2.7), noise((400, 300), 60, 4, 2.7, seed=2)
    np.testing.assert_array_equal(one, field)
    assert abs(np.corrcoef(field.ravel(), other.ravel())[0, 1]) < 0.25


def test_a_gradient_keeps_its_ends_and_mixes_as_paints_do():
    for mix in ("oklab", "display"):
        table = mixed(("#ff0000", "#0000ff"), mix)
        np.testing.assert_allclose(table[[0, -1]] * 255, [[255, 0, 0], [0, 0, 255]], atol=0.6)
    grey = mixed(("#000000", "#ffffff"), "display")
    np.testing.assert_allclose(grey[:, 0], np.linspace(0, 1, len(grey)), atol=1e-9)
    made = seen(
        shot(
            {
                **layer("a", "wall"),
                "source": {"kind": "gradient", "colours": ["#000000", "#ffffff"], "mix": "display"},
            }
        )
    )
    rows = made[..., 1].mean(axis=1)
    assert (np.diff(rows) > 0).all()
    assert abs(rows.mean() - 127.5) < 1
    # no steps: the mean of a row is what it is to be, though no pixel can hold it
    want = (np.arange(HEIGHT) + 0.5) / HEIGHT * 255
    assert np.abs(rows - want).max() < 0.5


def test_a_flash_is_brightest_where_it_says():
    for what in ("flash", "strobe", "lightning"):
        of = only(
            {
                "kind": "flash",
                "at": 0.6,
                "rise": 0.2,
                "fall": 0.5,
                "every": 0.8,
                "what": what,
                "colour": "#ffffff",
            }
        )
        light = [picture(of, frame).mean() for frame in range(40)]
        assert int(np.argmax(light)) == 15  # 0.6 s at 25 frames a second
        assert light[15] == 255


def test_bars_leave_the_ratio_open():
    plane = picture(only({"kind": "bars", "ratio": 3}), 0, "matte")[..., 0] / 255
    assert abs((1 - plane).sum() / WIDTH - WIDTH / 3) < 0.02
    upright = picture(only({"kind": "bars", "ratio": 0.5}), 0, "matte")[..., 0] / 255
    assert abs((1 - upright).sum() / HEIGHT - HEIGHT * 0.5) < 0.02
    assert picture(only({"kind": "bars", "ratio": 3, "open": 0}), 0, "matte").min() == 255


def test_text_is_set_broken_and_revealed():
    setting = Setting("serif", 30.0, 400, 0.0, 1.2, 0, 150.0)
    lines = lines_of("The moth comes at nine,\nwhen the lamp is lit", setting)
    assert len(lines) > 2
    assert all(line.width <= 150 for line in lines)
    assert " ".join(line.text for line in lines) == "The moth comes at nine, when the lamp is lit"
    for align, side in ((-1, "left"), (1, "right")):
        plane = lettered("i\nMMMM", Setting("sans", 30.0, 400, 0.0, 1.2, align, 0.0), (300, 120))
        thin = np.flatnonzero(plane[:60].any(axis=0))
        wide = np.flatnonzero(plane[60:].any(axis=0))
        assert (abs(thin[0] - wide[0]) < 4) if side == "left" else (abs(thin[-1] - wide[-1]) < 4)
    spaced = Setting("sans", 40.0, 500, 12.0, 1.2, 0, 0.0)
    assert lines_of("moth", spaced)[0].width - lines_of("moth", PLAIN)[0].width == pytest.approx(
        48, abs=0.5
    )


@pytest.mark.parametrize("way", ["grown", "spread"])
@pytest.mark.parametrize(("size", "far"), [(24.0, 0.2), (60.0, 0.2), (120.0, 0.2), (330.0, 0.55)])
def test_letters_go_evenly_where_a_text_is_grown_or_spread(way: str, size: float, far: float):
    """The middle of each letter lies on a straight line over time, to a fifth of a pixel; each on whole pixels, they
    would be half a pixel beside it, and jump by one. Large ones would be more than a pixel beside it."""
    at = []
    for part in np.linspace(0, 1, 24):
        by = 1 + 0.05 * part if way == "grown" else 1.0
        tracking = size / 10 * part if way == "spread" else 0.0
        own = Setting("sans", round(size * by, 2), 500, round(tracking, 2), 1.2, 0, 0.0)
        columns = lettered("I I I I I", own, (1200, 400)).sum(0, dtype=float)
        starts = np.cumsum(np.diff(columns > 0, prepend=False) & (columns > 0)) * (columns > 0)
        assert starts.max() == 5
        weights = [columns * (starts == n) for n in range(1, 6)]
        at.append([(one * np.arange(1200)).sum() / one.sum() for one in weights])
    fit = np.polynomial.polynomial.polyfit(np.arange(24), np.array(at), 1)
    off = np.array(at) - (fit[0] + np.outer(np.arange(24), fit[1]))
    assert np.abs(off).max() < far
    assert np.abs(np.diff(off, axis=0)).max() < 1.5 * far


@pytest.mark.parametrize("tracking", [0.0, -9.0, 4.0])
@pytest.mark.parametrize("family", FAMILIES)
def test_a_text_is_the_same_drawn_much_larger_and_shrunk(family: str, tracking: float):
    own = Setting(family, 40.0, 500, tracking, 1.1, 0, 0.0)
    text, size, by = "wave ford Tin\nliq waltz\nAVE To", (210, 90), 16
    plane = Image.new("L", (size[0] * by, size[1] * by))
    draw, file = ImageDraw.Draw(plane), FAMILIES[family][0]
    font = _font(file, FAMILIES[family][1][0], 40.0 * by, 500)
    for x, y, line in laid(text, own, size):
        for one in re.finditer(
            r"\S" if tracking else r"\S+", line.text
        ):  # letters of a hand hang together
            at = ((x + line.places[one.start()]) * by, y * by)
            draw.text(at, one.group(), 255, font, "ls")
    wanted = cv2.resize(np.asarray(plane), size, interpolation=cv2.INTER_AREA)
    off = np.abs(lettered(text, own, size).astype(int) - wanted)
    assert off.mean() < 2
    assert np.quantile(off, 0.99) < 40
    assert lettered("far\n" * 40, own, (60, 4)).shape == (4, 60)


@pytest.mark.parametrize(
    "family", sorted(set(FAMILIES) - {"hand"})
)  # whose letters are others in a word
def test_letters_that_are_spread_stay_as_near_to_each_other_as_in_a_word(family: str):
    """What a font takes from between an A and a V is between them, not behind the V."""
    own = [Setting(family, 120.0, 500, tracking, 1.2, 0, 0.0) for tracking in (0.0, 0.01)]
    word, spread = (lettered("AVATo", one, (700, 200)).astype(int) for one in own)
    assert np.abs(word - spread).mean() < 1


@pytest.mark.parametrize("by", ["letters", "words", "lines"])
def test_a_reveal_only_ever_adds(by: str):
    text = {"kind": "text", "text": "Tin waltz\nat nine", "size": 22, "by": by, "soft": 1}
    last, planes = -1.0, []
    for revealed in (0, 20, 40, 60, 80, 100):
        plane = picture(only({**text, "revealed": revealed}), 0, "matte")[..., 0].astype(int)
        assert plane.sum() >= last
        if planes:
            assert (plane >= planes[-1]).all()
        planes.append(plane)
        last = plane.sum()
    assert planes[0].sum() == 0
    np.testing.assert_array_equal(planes[-1], picture(only(text), 0, "matte")[..., 0])


def test_a_text_of_any_signs_is_drawn_and_what_is_missing_is_said():
    assert lacking("Tonight! «Größe» Łódź", "sans") == []
    assert lacking("привет", "hand") == []
    assert lacking("moth 🦋 שלום", "serif")[:1] == ["🦋"]
    for family in FAMILIES:
        for text in ("", "   \n\n ", "e\u0301\u0300", "🦋", "שלום עולם", "a" * 2000, "x\ty", "‮abc"):
            made = picture(only({"kind": "text", "text": text, "size": 20, "family": family}), 0)
            assert made.shape == (HEIGHT, WIDTH, 3)


@pytest.mark.parametrize(
    "source",
    [
        {"kind": "speed-lines"}, {"kind": "speed-lines", "clear": 20, "width": 0.4}, {"kind": "speed-lines", "shape": "straight"},
        {"kind": "rays", "width": 1}, {"kind": "particles"}, {"kind": "text", "size": 30},
    ],
)  # fmt: skip
def test_what_is_thin_covers_as_much_in_a_small_preview(source: dict[str, Any]):
    own = {**layer("a", "wall"), "source": source, "place": {"x": 480, "y": 480}}
    canvas = {"width": 960, "height": 960}
    of = Shot.model_validate(
        {"name": "s", "canvas": canvas, "rate": "30", "length": 12, "layers": [own]}
    )
    engine = Engine(lambda identity: None)  # type: ignore[arg-type, return-value]
    whole = engine.picture(engine.plan(of, 3))[..., :3].mean()
    for side in (480, 240, 120):
        small = engine.picture(engine.plan(of, 3, short_side=side))[..., :3].mean()
        assert abs(small / whole - 1) < 0.06, side


@pytest.mark.parametrize("height", [64, 66, 78, 142])
def test_preview_and_full_size_show_the_same(height: int):
    """Whatever the canvas, whatever its height is divided by."""
    for name, more in (
        ("clouds", {"size": 40}),
        ("gradient", {}),
        ("bars", {"ratio": 2}),
        ("text", {"size": 24}),
        ("rays", {}),
        ("light-leak", {}),
        ("speed-lines", {"count": 9, "width": 8}),
        ("speed-lines", {"shape": "straight", "count": 9, "width": 12, "angle": 30}),
        ("scan-lines", {"every": 13}),
    ):
        canvas = {"width": 96, "height": height}
        own = {
            **layer("a", "wall"),
            "source": {"kind": name, **more},
            "place": {"x": 48, "y": height / 2},
        }
        of = Shot.model_validate(
            {"name": "s", "canvas": canvas, "rate": "30", "length": 12, "layers": [own]}
        )
        engine = Engine(lambda identity: None)  # type: ignore[arg-type, return-value]
        whole = engine.picture(engine.plan(of, 3)).astype(float)
        small = engine.picture(engine.plan(of, 3, short_side=min(96, height) // 2)).astype(float)
        mean = (
            whole[: small.shape[0] * 2, : small.shape[1] * 2]
            .reshape(small.shape[0], 2, small.shape[1], 2, 4)
            .mean(axis=(1, 3))
        )
        assert np.abs(mean - small).mean() < 4, name


@pytest.mark.parametrize(
    "source",
    [
        {"kind": "text", "size": 34},
        {"kind": "paint", "strokes": [{"points": [[-40, 0], [40, 0]], "width": 30}]},
    ],
)
def test_writing_is_filled_with_a_moving_texture(source: dict[str, Any]):
    """A text or paint is a matte for another layer, itself hidden."""
    matte = {"kind": "layer-matte", "id": "k-a", "layer": "l-a"}
    letters = {**layer("a", "wall"), "source": source, "hidden": True}
    clouds = {"kind": "clouds", "size": 30, "cover": 100, "colour": "#ffaa00"}
    filled = {**layer("b", "wall"), "source": clouds, "seam": {"matte": [matte]}}
    engine = Engine(lambda identity: None)  # type: ignore[arg-type, return-value]
    of = shot(letters, filled)
    plane = engine.picture(engine.plan(of, 3, view="matte", chosen="l-a"))[..., 0]
    made = engine.picture(engine.plan(of, 3))[..., :3].astype(int)
    ground = np.array([0x30, 0x38, 0x48])
    assert (made[plane == 0] == ground).all()
    assert np.abs(made[plane == 255] - ground).sum(-1).mean() > 100


def test_rays_run_straight_from_their_light_and_fade_on_the_way():
    """Against the arc tangent of NumPy: along a direction the coverage is one number less another times the way."""
    chance = np.random.Generator(np.random.Philox(5))
    smooth = np.convolve(np.tile(chance.random(DIRECTIONS), 3), np.hanning(90) / 45, "same")
    level = smooth[DIRECTIONS : 2 * DIRECTIONS]
    for size, middle in (((161, 90), (0.3, 0.4)), ((64, 203), (1.2, -0.5)), ((33, 35), (0.5, 0.5))):
        made = burst(size, middle, np.stack([level, -level / 1.3], -1), filling((255, 255, 255)))
        cx, cy = middle[0] * size[0], middle[1] * size[1]
        y, x = np.mgrid[: size[1], : size[0]] + 0.5
        far = np.hypot(max(cx, size[0] - cx), max(cy, size[1] - cy))
        at = np.arctan2(y - cy, x - cx) / (2 * np.pi) % 1 * DIRECTIONS
        lit = np.interp(at, np.arange(DIRECTIONS + 1), [*level, level[0]])
        away = np.hypot(x - cx, y - cy) / far
        want = 255 * (lit * (1 - away / 1.3)).clip(0, 1)
        seen = away > 0.02  # but for the core
        assert np.abs(made[..., 3].astype(float) - want)[seen].max() < 1.5
        np.testing.assert_array_equal(made[..., 0], made[..., 3])


@pytest.mark.parametrize("every", [2.0, 3.7, 9.0, 31.3])
def test_scan_lines_cover_their_share_at_any_size(every: float):
    for share in (0, 20, 45, 100):
        of = only({"kind": "scan-lines", "every": every, "share": share, "strength": 100})
        rows = picture(of, 0).mean(axis=(1, 2))
        period = np.arange(HEIGHT * 64) / 64 % every < every * share / 100
        want = period.reshape(HEIGHT, 64).mean(axis=1)  # by counting 64 points of every row
        ground = picture(only({"kind": "scan-lines", "share": 0}), 0).mean(axis=(1, 2))
        np.testing.assert_allclose(rows, ground * (1 - want), atol=5)
