"""People found by themselves, on a photograph of one whose outline was traced by hand."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest

from tests.people import outline, portrait
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.people import guess as guessing
from velvet_seam.core.people.guess import Guess, guess, steadied
from velvet_seam.core.people.region import people, without_specks
from velvet_seam.core.problem import Problem
from velvet_seam.core.roto.soft import soft_matte
from velvet_seam.core.shot.shot import Shot


def iou(a: np.ndarray, b: np.ndarray) -> float:
    return float((a & b).sum() / (a | b).sum())


def cut_out(picture: np.ndarray) -> np.ndarray:
    return soft_matte(picture, people(picture, guess(picture).likely))


@pytest.mark.parametrize(
    ("size", "left", "height", "width"),
    [
        (200, 0, 200, 200),
        (400, 0, 400, 400),
        (640, 0, 640, 640),
        (400, 0, 237, 400),
        (400, 80, 237, 190),
        (1080, 220, 640, 513),
    ],
)
def test_a_person_is_found_at_every_size_and_shape(size: int, left: int, height: int, width: int):
    picture = np.ascontiguousarray(portrait(size)[:height, left : left + width])
    there = outline(size)[:height, left : left + width]
    cut = cut_out(picture)
    assert iou(cut[..., 3] > 127, there) > 0.9
    # what is surely inside is whole and as it was, what is surely outside is nothing
    inside = cv2.erode(there.astype(np.uint8), np.ones((size // 10 + 1,) * 2), borderValue=1) > 0
    outside = cv2.dilate(there.astype(np.uint8), np.ones((size // 10 + 1,) * 2)) == 0
    assert (cut[inside] == picture[inside]).all(1).mean() > 0.99
    assert cut[outside][:, 3].mean() < 2


def test_the_edge_is_softer_than_a_region_and_colours_are_no_brighter_than_covered():
    cut = cut_out(portrait())
    assert (cut[..., :3] <= cut[..., 3:]).all()
    soft = (cut[..., 3] > 12) & (cut[..., 3] < 243)
    assert 0.002 < soft.mean() < 0.05


def test_the_wall_behind_hair_is_unmixed():
    """Before black, what is left of the pale wall at the edge of the hair would be a bright rim."""
    cut, there = cut_out(portrait()).astype(float), outline()
    head = np.zeros_like(there)
    head[8:96, 108:246] = True
    rim = head & (cut[..., 3] > 25) & (cut[..., 3] < 230)
    own = (cut[..., :3].sum(2) / np.maximum(cut[..., 3], 1))[rim] / 3
    raw = portrait()[..., :3].mean(2)[rim] / 255
    assert rim.sum() > 60
    assert own.mean() < raw.mean() - 0.05


def test_what_is_found_in_a_mirror_is_the_mirror_of_what_is_found():
    picture = portrait(256)  # as the model is shown it
    there, mirrored = guess(picture).likely, guess(np.ascontiguousarray(picture[:, ::-1])).likely
    assert np.abs(mirrored[:, ::-1] - there).max() < 1e-4


def test_no_person_no_coverage():
    y, x = np.mgrid[:200, :300]
    plain = np.dstack([x * 0.8, y, 200 - y, np.full_like(x, 255)]).astype(np.uint8)
    assert not cut_out(plain).any()
    assert not cut_out(np.full((64, 64, 4), 255, np.uint8)).any()


def test_pictures_of_a_few_pixels_are_borne():
    for shape in ((1, 1), (2, 9), (9, 2), (5, 400)):
        cut = cut_out(np.full((*shape, 4), 120, np.uint8))
        assert cut.shape == (*shape, 4)


def test_what_stands_still_is_steadied_and_what_moves_is_not():
    seen = np.full((40, 40, 3), 90, np.uint8)
    moved = seen.copy()
    moved[:, 20:] = 200
    own, other = np.full((40, 40), 0.2, np.float32), np.full((40, 40), 0.8, np.float32)
    said = steadied(Guess(own, seen), Guess(other, moved))
    assert abs(said[20, 5] - 0.5) < 0.01  # the mean of both
    assert abs(said[20, 35] - 0.2) < 0.01  # another thing is there now


def test_more_is_taken_in_where_less_is_asked_for():
    picture = portrait()
    likely = cv2.GaussianBlur(guess(picture).likely, (0, 0), 6)
    areas = [int((people(picture, likely, least) > 0).sum()) for least in (0.05, 0.5, 0.95)]
    assert areas[0] > areas[1] > areas[2] > 0


def test_specks_and_small_holes_go():
    region = np.zeros((60, 60), bool)
    region[10:50, 10:50] = True
    region[30, 30] = False
    region[2:4, 2:4] = True
    whole = np.zeros_like(region)
    whole[10:50, 10:50] = True
    assert (without_specks(region) == whole).all()


def test_a_missing_model_is_said(monkeypatch: pytest.MonkeyPatch, tmp_path: Path):
    monkeypatch.setattr(guessing, "FOLDER", tmp_path)
    monkeypatch.setattr(guessing, "_held", type(guessing._held)())
    with pytest.raises(Problem, match="missing or damaged"):
        guess(portrait())
    (tmp_path / "upright.tflite").write_bytes(b"no model at all" * 90)
    with pytest.raises(Problem, match="missing or damaged"):
        guess(portrait())


class Filmed:
    """The photograph as a clip of three frames in which nothing moves."""

    digest, width, height, moving, frames, in_planes, picture_size = (
        "filmed",
        400,
        400,
        True,
        3,
        False,
        (400, 400),
    )
    length = 3

    def frame_at(self, time):
        return min(int(time * 25), 2)

    def begins(self, number):
        return number / 25

    def read(self, number: int):
        picture = portrait()
        picture[0, 0, 0] = number  # frames differ by next to nothing
        return picture

    read_planes = read


def shot_of(**matte: float) -> Shot:
    layer = {
        "id": "l-a", "name": "a", "source": {"kind": "footage", "footage": "f-a"}, "span": {"first": 0, "last": 2},
        "place": {"x": 200, "y": 200}, "seam": {"matte": [{"kind": "people", "id": "k-a", **matte}]},
    }  # fmt: skip
    return Shot.model_validate(
        {
            "name": "s",
            "canvas": {"width": 400, "height": 400},
            "rate": "25",
            "length": 3,
            "layers": [layer],
        }
    )


def test_a_wider_fringe_looks_for_hair_farther_out():
    """In the shot: the edge is soft over more of the picture, and nothing far from it changes."""
    engine = Engine(lambda _: Filmed())
    thin, wide = (
        engine.picture(engine.plan(shot_of(fringe=fringe), 1)).astype(int) for fringe in (100, 400)
    )
    there = outline().astype(np.uint8)
    near = (cv2.dilate(there, np.ones((61, 61))) > 0) & (
        cv2.erode(there, np.ones((61, 61)), borderValue=1) == 0
    )
    changed = np.abs(wide - thin).max(2) > 8
    assert changed[near].mean() > 0.02
    assert changed[~near].mean() < 0.003


def test_a_shot_with_people_cut_out():
    engine = Engine(lambda _: Filmed())
    shown = engine.picture(engine.plan(shot_of(), 1))
    there = outline()
    outside = cv2.dilate(there.astype(np.uint8), np.ones((41, 41))) == 0
    assert (shown[outside][:, :3] < 4).mean() > 0.98  # black below
    inside = cv2.erode(there.astype(np.uint8), np.ones((41, 41)), borderValue=1) > 0
    assert (np.abs(shown[inside][:, :3].astype(int) - portrait()[inside][:, :3]) <= 1).mean() > 0.98
