"""What a render shows at half its size or less it reads at half of it, and nothing else."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tests.clips import coded_clip
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.nested import Nested
from velvet_seam.core.engine.reading_size import as_seen
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.media import material
from velvet_seam.core.media.material import Material
from velvet_seam.core.media.probe import probe
from velvet_seam.core.shot.shot import Shot

CANVAS = (96, 64)
HALF = {"x": 48, "y": 32, "scale": 50}


@pytest.fixture
def clip(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Material:
    """A clip of 192 × 128 that counts as large."""
    monkeypatch.setattr(material, "LARGE", 100)
    coded_clip(tmp_path / "clip.mp4", 30)
    return Material("f-a", tmp_path / "clip.mp4", probe(tmp_path / "clip.mp4"), preview=False)


def layer_of(number: int = 0, **fields: Any) -> dict[str, Any]:
    return {
        "id": f"l-{number}", "name": "one", "source": {"kind": "footage", "footage": "f-a"},
        "span": {"first": 0, "last": 9}, "place": HALF, **fields,
    }  # fmt: skip


def shot_of(*layers: dict[str, Any]) -> Shot:
    canvas = {"width": CANVAS[0], "height": CANVAS[1]}
    return Shot.model_validate(
        {"name": "s", "canvas": canvas, "rate": "25", "length": 10, "layers": layers}
    )


def keyed(*values: float) -> dict[str, Any]:
    return {"keys": [{"frame": 3 * n, "value": one} for n, one in enumerate(values)]}


PLATE = {"kind": "difference-key", "id": "k-a", "plate": {"kind": "footage", "footage": "f-a"}}
CAMERA = {
    "id": "l-9", "name": "camera", "source": {"kind": "camera"}, "span": {"first": 0, "last": 9},
    "place": {"x": 48, "y": 32, "scale": 130},
}  # fmt: skip


@pytest.mark.parametrize(
    ("layers", "is_halved"),
    [
        ([layer_of()], True),
        ([layer_of(place={**HALF, "scale": 20, "rotation": 30, "flip_x": True})], True),
        ([layer_of(place={**HALF, "scale": 51})], False),
        ([layer_of(place={**HALF, "scale": keyed(20, 50, 30)})], True),
        ([layer_of(place={**HALF, "scale": keyed(20, 60, 30)})], False),
        ([layer_of(), layer_of(1, place={**HALF, "scale": 30})], True),
        ([layer_of(), layer_of(1, place={**HALF, "scale": 100})], False),
        ([layer_of(seam={"matte": [PLATE]})], False),  # a plate is read as it is
        ([layer_of(), CAMERA], False),  # comes nearer
        ([layer_of(place={**HALF, "scale": 30}), CAMERA], True),
        ([layer_of(place={**HALF, "pins": {"top_right_x": 90, "bottom_right_x": 90}})], False),
        ([layer_of(place={**HALF, "pins": {"top_left_x": 60, "bottom_left_x": 60}})], True),
    ],
)
def test_what_is_seen_at_half_its_size_is_read_at_half(clip, layers, is_halved):
    shot = shot_of(*layers)
    found = as_seen(shot, Sheet.of(shot), lambda _: clip)("f-a")
    assert found is (clip.halved if is_halved else clip)


def test_a_larger_sheet_asks_for_more(clip):
    shot, twice = shot_of(layer_of()), Sheet.all(CANVAS, (2 * CANVAS[0], 2 * CANVAS[1]))
    assert as_seen(shot, twice, lambda _: clip)("f-a") is clip
    small = shot_of(layer_of(place={**HALF, "scale": 25}))
    assert as_seen(small, twice, lambda _: clip)("f-a") is clip.halved


def test_its_pictures_are_those_of_the_whole_one(clip):
    for extra in (
        {},
        {"time": {"speed": 40, "between": "mix"}},
        {"place": {**HALF, "rotation": 20}},
    ):
        shot = shot_of(layer_of(**extra))
        whole, halved = (
            Engine(one).picture(Engine(one).plan(shot, 7))
            for one in (lambda _: clip, as_seen(shot, Sheet.of(shot), lambda _: clip))
        )
        off = np.abs(whole.astype(int) - halved)
        assert off.mean() < 1.5
        assert np.percentile(off, 95) <= 6


def test_what_a_shot_inside_shows_is_read_whole(clip):
    inner = shot_of(layer_of())
    shot = shot_of(layer_of(), layer_of(1, source={"kind": "nested", "footage": "f-n"}))
    held = {"f-a": clip, "f-n": Nested(inner, lambda _: "a")}
    assert as_seen(shot, Sheet.of(shot), held.__getitem__)("f-a") is clip
    assert as_seen(shot, Sheet.of(shot), held.__getitem__)("f-n") is held["f-n"]


def test_halves_are_of_large_clips_at_full_size_only(clip, tmp_path, monkeypatch):
    assert clip.halves
    assert clip.halved.picture_size == (96, 64)
    assert clip.halved.read(3).shape == (64, 96, 4)
    assert (
        clip.halved.small.digest == clip.small.digest
    )  # what is found at preview size is the same
    assert not clip.halved.halves
    assert not clip.halved.in_planes
    assert not Material("f", tmp_path / "clip.mp4", clip.probe, preview=True).halves
    monkeypatch.setattr(material, "LARGE", 128)
    assert not clip.halves
