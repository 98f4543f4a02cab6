"""Plates, tracks and passes from a shell: JSON, or a sentence and exit code 2."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.web.test_passing import TAKE, written
from tests.web.test_tracking import FRAMES, SIZE, carried, corners
from velvet_seam.cli import main


@pytest.fixture(scope="module")
def card(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("takes") / "card.mp4"
    path.write_bytes(carried())
    return path


def told(capsys: pytest.CaptureFixture[str], *arguments: str) -> dict:
    assert main(list(arguments)) == 0
    return json.loads(capsys.readouterr().out)


def test_a_point_and_a_plane_are_followed(card: Path, capsys: pytest.CaptureFixture[str]):
    x, y = corners(10).mean(0)
    point = told(capsys, "track", str(card), "--frame", "10", "--at", f"{x},{y}", "--size", "60")
    assert (point["kind"], point["lost"], len(point["path"])) == ("point", [], FRAMES)
    off = [
        np.abs(np.array(point["path"][str(n)]) - corners(n).mean(0)).max() for n in range(FRAMES)
    ]
    assert np.median(off) < 0.5
    places = ",".join(str(one) for one in corners(10).ravel())
    plane = told(capsys, "track", str(card), "--frame", "10", "--at", places)
    off = [
        np.abs(np.array(plane["path"][str(n)]).reshape(4, 2) - corners(n)).max()
        for n in range(FRAMES)
    ]
    assert np.median(off) < 0.3


def test_the_layer_of_a_shot_file_is_followed(card: Path, capsys: pytest.CaptureFixture[str]):
    shot = {
        "format": "velvet-seam-shot", "footage": {"f-a": {"name": "card", "file": card.name}},
        "shot": {
            "schema_version": 4, "name": "One", "canvas": {"width": 480, "height": 360}, "rate": "25", "length": 20,
            "layers": [{"id": "l-a", "name": "Card", "source": {"kind": "footage", "footage": "f-a"},
                        "span": {"first": 0, "last": 19}, "place": {"x": 240, "y": 180}}],
        },
    }  # fmt: skip
    path = card.parent / "shot.json"
    path.write_text(json.dumps(shot))
    x, y = corners(5).mean(0)
    given = [
        "track",
        str(path),
        "--layer",
        "Card",
        "--frame",
        "5",
        "--at",
        f"{x},{y}",
        "--size",
        "60",
    ]
    assert len(told(capsys, *given)["path"]) == FRAMES
    assert main(["track", str(path), "--layer", "Nobody", "--at", "1,1"]) == 2
    assert "Layers with a clip: Card" in capsys.readouterr().err


def test_passes_are_told_and_matched(tmp_path: Path, capsys: pytest.CaptureFixture[str]):
    path = tmp_path / "rail.mp4"
    path.write_bytes(written(TAKE.frames))
    found = told(capsys, "passes", str(path), "--match")["passes"]
    assert len(found) == len(TAKE.legs)
    shows = np.array(found[1]["shows"])
    assert len(shows) == found[0]["last"] - found[0]["first"] + 1
    camera = np.interp(shows, np.arange(len(TAKE.camera)), TAKE.camera)
    here = TAKE.camera[found[0]["first"] : found[0]["last"] + 1]
    assert np.median(np.abs(camera - here)) < 0.01


def test_a_plate_is_written(card: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]):
    out = tmp_path / "plate.png"
    assert told(capsys, "plate", str(card), "-o", str(out))["frames"] == FRAMES
    assert cv2.imread(str(out)).shape == (SIZE[1], SIZE[0], 3)


def test_what_cannot_be_done_is_said(
    card: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
):
    still = tmp_path / "still.png"
    cv2.imwrite(str(still), np.zeros((20, 20, 3), np.uint8))
    for arguments, sentence in (
        (["track", str(card), "--at", "1,a"], "numbers with commas"),
        (["track", str(card), "--at", "1,2,3"], "four corners"),
        (["track", str(card), "--frame", "900", "--at", "9,9"], "has frames 0 to"),
        (["track", str(tmp_path / "no.mp4"), "--at", "9,9"], "no file"),
        (["passes", str(still)], "is no clip"),
    ):
        assert main(arguments) == 2
        assert sentence in capsys.readouterr().err
