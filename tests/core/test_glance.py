"""Frames spread over a clip, had quickly: the nearest whole pictures, or by reading on."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.clips import coded_clip, read_code
from tests.core.test_heads import leaps
from velvet_seam.core.media.clip import ClipReader
from velvet_seam.core.media.glance import glance
from velvet_seam.core.media.material import Material
from velvet_seam.core.media.probe import probe

__all__ = ["leaps"]

FRAMES = 121
SPREAD = [0, 30, 60, 90, 120]


def clip_of(path: Path, distance: int, kind: str = "mp4", **options: str) -> Path:
    """A clip with a whole picture every so many frames."""
    coding = {"g": str(distance), "keyint_min": str(distance), "sc_threshold": "0", "bf": "2"}
    made = path / f"clip.{kind}"
    coded_clip(made, FRAMES, options={**coding, "crf": "18", **options})
    return made


@pytest.mark.parametrize(
    ("kind", "whole"), [("mp4", True), ("mov", True), ("mkv", False), ("ts", False)]
)
def test_whole_pictures_are_known_by_their_numbers(tmp_path: Path, kind: str, whole: bool):
    path = clip_of(tmp_path, 25, kind)
    wholes = ClipReader(path, probe(path)).wholes
    assert wholes == ([0, 25, 50, 75, 100] if whole else [])  # of some it is not said beforehand


@pytest.mark.parametrize(
    ("distance", "seen", "leapt"),
    [
        (25, [0, 25, 60, 90, 120], 5),  # within seven frames, a quarter of the way to the next
        (7, [0, 28, 63, 91, 119], 5),
        (1000, SPREAD, 1),  # only the first is whole: they are read on to
        (1, SPREAD, 5),
    ],
)
def test_a_whole_picture_near_by_is_taken_instead(tmp_path, leaps, distance, seen, leapt):
    path = clip_of(tmp_path, distance)
    found = probe(path)
    assert [read_code(one) for one in glance(path, found, SPREAD, (192, 128))] == seen
    assert len(leaps) == leapt
    # a shorter stretch is not left for a whole picture outside it
    assert read_code(glance(path, found, [26, 48], (192, 128))[0]) >= 26
    assert glance(path, found, [], (192, 128)) == []


def test_the_frames_of_a_preview_have_its_size_and_a_still_its_own_way(tmp_path: Path):
    path = clip_of(tmp_path, 25)
    material = Material("f", path, probe(path), preview=True)
    size = material.picture_size
    assert {one.shape for one in material.glances([3, 50])} == {(size[1], size[0], 4)}
    assert [read_code(one) for one in material.glances([3, 50])] == [3, 50]


@pytest.mark.parametrize("distance", [25, 1000])
def test_reading_on_within_a_stretch_gives_the_very_frame(tmp_path, leaps, distance):
    path = clip_of(tmp_path, distance)
    reader = ClipReader(path, probe(path))
    order = [0, 20, 40, 90, 91, 118, 30, 60, 5, 120]
    assert [read_code(reader.read(one)) for one in order] == order
    assert len(leaps) == (8 if distance == 25 else 3)
