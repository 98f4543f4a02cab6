"""A roto in fine detail: what is thin is found, and what was held in another detail stays as it was."""

from __future__ import annotations

from fractions import Fraction

import cv2
import numpy as np
import pytest

from tests.core.test_roto import DROP, KEEP, Filmed
from tests.lobes import iou, texture
from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.mattes.roto import RotoMatte
from velvet_seam.core.roto.carry import carried
from velvet_seam.core.roto.features import SHORT_SIDES, Detail, solve_size
from velvet_seam.core.roto.first import inside_of
from velvet_seam.core.roto.seen import seen
from velvet_seam.core.roto.soft import soft_matte
from velvet_seam.core.roto.telling import painted_sample

SIDES: tuple[Detail, ...] = ("usual", "fine")


class Large(Filmed):
    """The scene at one and a half times the size."""

    width, height, picture_size, digest = 540, 810, (540, 810), "large lobes"
    length = Fraction(9, 25)

    def read(self, number: int) -> np.ndarray:
        return cv2.resize(super().read(number), self.picture_size, interpolation=cv2.INTER_CUBIC)

    read_planes = read


def roto(detail: Detail, held: tuple = ()) -> RotoMatte:
    grown = [
        {**one, "points": [[1.5 * v for v in at] for at in one["points"]]} for one in (KEEP, DROP)
    ]
    return RotoMatte.model_validate(
        {"id": "k-a", "strokes": grown, "detail": detail, "held": [one.model_dump() for one in held]}
    )  # fmt: skip


def spider(t: float, size: tuple[int, int] = (540, 960)) -> tuple[np.ndarray, np.ndarray]:
    """A body with six legs two pixels wide, which drifts and turns: picture and coverage."""
    width, height = size
    cover = np.zeros((height, width), np.uint8)
    at = np.array([width * 0.45 + 4 * t, height * 0.5 - 2 * t])
    cv2.circle(cover, tuple(int(16 * v) for v in at), 16 * 45, 255, -1, cv2.LINE_AA, 4)
    for n in range(6):
        a = np.pi / 3 * n + 0.3 + 0.03 * t
        knee = at + 110 * np.array([np.cos(a), np.sin(a)])
        foot = knee + 70 * np.array([np.cos(a + 0.7), np.sin(a + 0.7)])
        line = np.rint(16 * np.array([at, knee, foot])).astype(np.int32)[None]
        cv2.polylines(cover, line, False, 255, 2, cv2.LINE_AA, 4)
    part = (cover / np.float32(255))[..., None]
    way = cv2.getRotationMatrix2D(tuple(at), np.degrees(-0.03 * t), 1.0)
    way[:, 2] += way[:, :2] @ (4 * t, -2 * t)
    mixed = cv2.warpAffine(texture(height, width, 3, (0.7, 0.4, 0.2), 0.05), way, size) * part
    mixed += texture(height, width, 4, (0.35, 0.45, 0.5)) * (1 - part)
    mixed += np.random.default_rng(int(t)).normal(0, 0.012, mixed.shape)
    picture = np.dstack([np.rint(np.clip(mixed, 0, 1) * 255), np.full(cover.shape, 255)])
    return picture.astype(np.uint8), cover / np.float32(255)


def followed(detail: Detail, count: int) -> float:
    """Overlap with the truth of the last of some frames, carried from a true region."""
    films = [spider(2.0 * n) for n in range(count)]
    size = solve_size(960, 540, SHORT_SIDES[detail])
    looks = [seen(picture, SHORT_SIDES[detail]) for picture, _ in films]
    cover = cv2.resize(films[0][1], size[::-1], interpolation=cv2.INTER_AREA)
    inside = inside_of(cover > 0.5)
    painted = painted_sample(inside, looks[0])
    for n in range(1, count):
        inside = carried(inside, looks[n - 1], looks[n], painted)
    picture, true = films[-1]
    return iou(soft_matte(picture, inside)[..., 3] > 127, true > 0.5)


def test_thin_legs_are_followed_in_fine_detail():
    usual, fine = (followed(one, 8) for one in SIDES)
    assert fine > 0.9
    assert fine > usual + 0.03


@pytest.mark.parametrize("detail", SIDES)
@pytest.mark.parametrize("begin", ["strokes", "movement", "screen", "people"])
def test_every_frame_is_of_the_size_that_was_asked_for(detail: Detail, begin: str):
    one = RotoMatte.model_validate({**roto(detail).model_dump(), "begin": begin})
    engine, frames = Engine(lambda _: Large()), one.frames(Large())
    for n in (4, 6):
        region = engine.result(frames.at(n))
        assert region.shape == solve_size(810, 540, SHORT_SIDES[detail])
        assert (region > 0).any()


def test_what_is_smaller_than_that_is_not_enlarged():
    shapes = {
        Engine(lambda _: Filmed()).result(roto(one).frames(Filmed()).at(4)).shape for one in SIDES
    }
    assert shapes == {(405, 270), (540, 360)}


@pytest.mark.parametrize(("first", "later"), [SIDES, SIDES[::-1]])
def test_what_is_held_stays_in_its_detail_and_others_are_followed_from_it(
    first: Detail, later: Detail
):
    before = roto(first)
    held = before.holding(5, 6)
    after = roto(later, held)
    engine = Engine(lambda _: Large())
    was, now = before.frames(Large()), after.frames(Large())
    assert [now.at(n).key == was.at(n).key for n in range(9)] == [n in (5, 6) for n in range(9)]
    size = solve_size(810, 540, SHORT_SIDES[later])
    for n in (4, 7, 8):
        region = engine.result(now.at(n))
        assert region.shape == size
        other = cv2.resize(engine.result(was.at(n)), size[::-1]) > 0
        assert iou(region > 0, other) > 0.97
    assert engine.result(now.doubt(8)) < 0.05  # type: ignore[arg-type]  # it is carried
