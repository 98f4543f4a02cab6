"""Regions from strokes, carried, put right, and their final mattes, on a drawn scene whose coverage is known."""

from __future__ import annotations

import itertools

import cv2
import numpy as np
import pytest
from pymatting import estimate_alpha_cf

from tests.lobes import iou, scene, scribbled, small
from velvet_seam.core.roto.carry import between, carried, corrected
from velvet_seam.core.roto.features import features
from velvet_seam.core.roto.first import Marks, found, inside_of
from velvet_seam.core.roto.geodesic import FAR
from velvet_seam.core.roto.seen import Seen, seen
from velvet_seam.core.roto.soft import band_of, soft_matte
from velvet_seam.core.roto.telling import painted_sample
from velvet_seam.demo import fur, stage

# regions


@pytest.mark.parametrize("size", [(360, 540), (541, 361), (200, 120), (1080, 700)])
def test_a_line_in_the_subject_and_one_around_find_it(size: tuple[int, int]):
    picture, cover = scene(size=size)
    there = small(cover)
    assert iou(found(features(picture), scribbled(there)) > 0, there) > 0.96


def test_keep_alone_and_drop_alone_and_nothing():
    picture, cover = scene()
    there, f = small(cover), features(picture)
    none = np.zeros_like(there)
    said = scribbled(there)
    assert (
        iou(found(f, Marks(said.keep, none)) > 0, there) > 0.9
    )  # the border is taken for what is around
    assert (found(f, Marks(none, said.drop)) == -FAR).all()
    assert (found(f, Marks(none, none)) == -FAR).all()
    assert (found(f, Marks(~none, none)) > 0).all()


def test_strokes_are_obeyed_wherever_they_lie():
    rng = np.random.default_rng(5)
    picture, cover = scene()
    f, there = features(picture), small(cover)
    for _ in range(4):
        keep, drop = (
            cv2.dilate((rng.random(there.shape) < 0.0005).astype(np.uint8), np.ones((3, 3))) > 0
            for _ in range(2)
        )
        said = Marks.of(keep, drop)
        region = found(f, said) > 0
        assert region[said.keep].mean() > 0.99
        assert not region[said.drop].any()


def test_a_hole_stays_only_where_it_was_dropped_or_is_large():
    picture, cover = scene()
    y, x = (round(float(v)) for v in np.argwhere(cover > 0.5).mean(0))
    cv2.circle(picture, (x + 28, y), 4, (20, 20, 20, 255), -1)
    there, f = small(cover), features(picture)
    said = scribbled(there)
    k = there.shape[0] / cover.shape[0]
    at = round(y * k), round((x + 28) * k)
    assert found(f, said)[at] > 0
    drop = said.drop.copy()
    drop[at[0] - 1 : at[0] + 2, at[1] - 1 : at[1] + 2] = True
    assert found(f, Marks(said.keep, drop))[at] < 0


# carrying


def test_a_region_follows_its_subject_forward_and_backward():
    frames = [scene(2 * n) for n in range(9)]
    looks = [seen(picture) for picture, _ in frames]
    truths = [small(cover) for _, cover in frames]
    for order in (range(9), range(8, -1, -1)):
        inside = inside_of(truths[order[0]])
        painted = painted_sample(inside, looks[order[0]])
        for a, b in itertools.pairwise(order):
            inside = carried(inside, looks[a], looks[b], painted)
        assert iou(inside > 0, truths[order[-1]]) > 0.95
        assert iou(truths[order[0]], truths[order[-1]]) < 0.8  # it has moved


def test_what_is_empty_or_all_stays_so():
    one = seen(scene()[0])
    for inside in (
        np.full(one.light.shape, -FAR, np.float32),
        np.full(one.light.shape, FAR, np.float32),
    ):
        assert (carried(inside, one, one, painted_sample(inside, one)) == inside).all()


def test_a_correction_changes_its_neighbourhood_only():
    picture, cover = scene()
    here, there = seen(picture), small(cover)
    wrong = there.copy()
    y, x = (round(float(v)) for v in np.argwhere(there).mean(0))
    wrong[:, x + 12 :] = False  # a piece is missing
    none = np.zeros_like(there)
    keep = none.copy()
    keep[y - 2 : y + 3, x + 16 : x + 24] = True
    better = corrected(inside_of(wrong), here, Marks(keep & there, none)) > 0
    assert iou(better, there) > iou(wrong, there) + 0.05
    far = cv2.distanceTransform((~keep).astype(np.uint8), cv2.DIST_L2, 5) > 75
    assert (better[far] == wrong[far]).all()
    assert (corrected(inside_of(wrong), here, Marks(none, none)) == inside_of(wrong)).all()


def test_between_two_frames_the_nearer_counts_more():
    y, x = np.mgrid[:60, :80]
    left, right = inside_of(np.hypot(y - 30, x - 30) < 15), inside_of(np.hypot(y - 30, x - 40) < 15)
    assert iou(between(left, right, 0.0) > 0, left > 0) == 1
    assert iou(between(left, right, 1.0) > 0, right > 0) == 1
    middle = between(left, right, 0.5) > 0
    assert abs(np.argwhere(middle)[:, 1].mean() - 35) < 1


# the final matte


def test_the_final_matte_beats_the_same_band_solved_by_a_library():
    ours, theirs = [], []
    for seed in range(4):
        picture, cover = scene(seed=10 * seed)
        inside = inside_of(small(cover))
        ours.append(((soft_matte(picture, inside)[..., 3] / 255 - cover) ** 2).mean())
        deep = cv2.resize(inside, cover.shape[::-1]) * (cover.shape[0] / inside.shape[0])
        trimap = np.where(deep > 0, 1.0, 0.0)
        trimap[np.abs(deep) < band_of(cover.shape)] = 0.5
        theirs.append(((estimate_alpha_cf(picture[..., :3] / 255, trimap) - cover) ** 2).mean())
    assert np.mean(ours) < np.mean(theirs)


def test_a_region_at_the_border_of_the_picture_and_one_of_everything():
    picture, _ = scene()
    for region in (np.ones((405, 270), bool), np.zeros((405, 270), bool)):
        cut = soft_matte(picture, inside_of(region))
        assert (cut == picture * np.uint8(region[0, 0])).all()
    half = np.zeros((405, 270), bool)
    half[:, 135:] = True
    cut = soft_matte(picture, inside_of(half))
    assert (cut[:, 200:] == picture[:, 200:]).all()
    assert not cut[:, :160].any()


def test_what_the_picture_lets_through_stays_open():
    picture, cover = scene()
    thin = (picture * 0.5).astype(np.uint8)
    assert soft_matte(thin, inside_of(small(cover)))[..., 3].max() <= 128


def test_a_wider_fringe_finds_fur_and_leaves_the_rest_as_it_is():
    """The fox whose every hair is known, along an edge that knows nothing of hairs."""
    size = (540, 960)
    colour, cover = (cv2.resize(one, size, interpolation=cv2.INTER_AREA) for one in fur.truth(0))
    ground = cv2.resize(stage.picture(0), size, interpolation=cv2.INTER_AREA) / 255
    shown = colour + ground * (1 - cover[..., None])
    picture = np.dstack([shown * 255 + 0.5, np.full(cover.shape, 255)]).astype(np.uint8)
    rough = cv2.GaussianBlur(cv2.resize(cover, (270, 480), interpolation=cv2.INTER_AREA), (0, 0), 4)
    inside = inside_of(rough > 0.55)
    cuts = [soft_matte(picture, inside, fringe)[..., 3] / 255 for fringe in (0.5, 1.0, 4.0)]
    errors = [float(((cut - cover) ** 2).mean()) for cut in cuts]
    assert errors[2] < 0.55 * errors[1] < 0.55 * errors[0]
    deep = cv2.resize(inside, size) * (size[0] / inside.shape[1])
    far = np.abs(deep) > band_of(cover.shape, 4.0) + 3
    assert (cuts[2][far] == cuts[1][far]).all()


@pytest.mark.parametrize("size", [(540, 960), (540, 406), (1080, 1920)])
@pytest.mark.parametrize("wide", [4, 7])
def test_a_cable_is_solid_before_a_ground_of_its_own_tones(size: tuple[int, int], wide: int):
    """No pixel of it lies as deep as the band reaches; at one end it has another colour than at the other, and so has what it
    hangs on. The cable is the same with the ground and the subject exchanged: a gap."""
    (width, height), rng = size, np.random.default_rng(wide)
    line = np.zeros((height, width), np.float32)
    thick = round(wide * min(size) / 540)
    middle, radii = (width // 2, height // 2), (width // 3, height // 3)
    cv2.ellipse(line, middle, radii, 20, 0, 300, 1, thick, cv2.LINE_AA)
    tones = cv2.resize(rng.uniform(0.1, 0.9, (30, 30)).astype(np.float32), size)
    x = np.linspace(0.15, 0.8, width, dtype=np.float32)
    own = np.stack([np.broadcast_to(one, line.shape) for one in (x, 0.9 * x, 0.7 * x)], -1)
    for cover in (line, 1 - line):
        shown = own * line[..., None] + np.dstack([tones] * 3) * (1 - line[..., None])
        picture = np.dstack([shown * 255, np.full(line.shape, 255)]).astype(np.uint8)
        wrong = [
            ((soft_matte(picture, inside_of(small(cover)), narrows=one)[..., 3] / 255 - cover) ** 2).mean()
            for one in (True, False)
        ]  # fmt: skip
        assert wrong[0] < 0.8 * wrong[1]
        assert wrong[0] < 0.1 * line.mean()


@pytest.mark.parametrize("keep", [True, False])
def test_a_dot_reaches_no_farther_than_what_is_wrong_about_it(keep: bool) -> None:
    """In a small piece that is missing, or too much, where subject and surroundings look the same."""
    rng = np.random.default_rng(4)
    look = Seen(np.clip(rng.normal(120, 3, (200, 200, 3)), 0, 255).astype(np.uint8))
    there, disc, dot = (np.zeros((200, 200), np.uint8) for _ in range(3))
    cv2.circle(there, (100, 100), 60, 1, -1)
    cv2.circle(disc, (100, 160), 7, 1, -1)
    dot[156 if keep else 164, 100] = 1
    wrong = np.where(disc > 0, not keep, there > 0)
    none = np.zeros_like(wrong)
    marks = Marks(dot > 0, none) if keep else Marks(none, dot > 0)
    better = corrected(inside_of(wrong), look, marks) > 0
    assert better[dot > 0].all() == keep
    rows, columns = np.nonzero(better != wrong)
    assert np.hypot(rows - 160, columns - 100).max() < 25
    assert iou(better, there > 0) > iou(wrong, there > 0) - 0.01
