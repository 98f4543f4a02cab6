"""Roto, part by part: against independent references, and on pictures whose truth is known."""

from __future__ import annotations

import itertools
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from pymatting import cf_laplacian, estimate_alpha_cf
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra
from scipy.sparse.linalg import spsolve

from velvet_seam.core.engine.engine import Engine
from velvet_seam.core.engine.matte_files import write_mattes
from velvet_seam.core.mattes.roto import MOST_STROKES, RotoMatte, RotoStroke, Strokes, marks
from velvet_seam.core.problem import Problem
from velvet_seam.core.roto import laplacian
from velvet_seam.core.roto.carry import between, carried, corrected
from velvet_seam.core.roto.dividing import divided
from velvet_seam.core.roto.features import features, solve_size
from velvet_seam.core.roto.first import Marks, found, inside_of
from velvet_seam.core.roto.geodesic import FAR, geodesic
from velvet_seam.core.roto.laplacian import EPSILON, solved, stencils
from velvet_seam.core.roto.seen import seen
from velvet_seam.core.roto.soft import band_of, soft_matte
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.shot import Shot


def iou(a: np.ndarray, b: np.ndarray) -> float:
    return float((a & b).sum() / max((a | b).sum(), 1))


def texture(
    height: int, width: int, seed: int, tone: tuple[float, float, float], rough: float = 0.12
) -> np.ndarray:
    rng = np.random.default_rng(seed)
    noise = cv2.resize(
        rng.normal(0, 1, (height // 6 + 2, width // 6 + 2, 3)),
        (width, height),
        interpolation=cv2.INTER_CUBIC,
    )
    return np.clip(np.array(tone) + rough * noise, 0, 1)


def scene(
    t: float = 0.0, size: tuple[int, int] = (360, 540), seed: int = 1
) -> tuple[np.ndarray, np.ndarray]:
    """A soft-edged body of three lobes before texture, which drifts and turns: picture and coverage."""
    width, height = size
    y, x = np.mgrid[:height, :width].astype(np.float32)
    cover = np.zeros((height, width), np.float32)
    mid = np.array([width * 0.45 + 2.2 * t, height * 0.5 - 1.1 * t])
    for n in range(3):
        a = 2.1 * n + 0.02 * t
        spot = mid + 0.13 * min(size) * np.array([np.cos(a), np.sin(a)])
        soft = np.clip((0.15 * min(size) - np.hypot(x - spot[0], y - spot[1])) / 2.0 + 0.5, 0, 1)
        cover = np.maximum(cover, soft)
    own = texture(height, width, seed, (0.75, 0.45, 0.25))
    own = cv2.warpAffine(
        own, np.array([[1, 0, 2.2 * t], [0, 1, -1.1 * t]]), size, borderMode=cv2.BORDER_REFLECT
    )
    ground = texture(height, width, seed + 1, (0.35, 0.45, 0.5))
    mixed = own * cover[..., None] + ground * (1 - cover[..., None])
    mixed += np.random.default_rng(int(t) + 7).normal(0, 0.012, mixed.shape)
    return np.dstack([np.rint(np.clip(mixed, 0, 1) * 255), np.full((height, width), 255)]).astype(
        np.uint8
    ), cover


def small(cover: np.ndarray) -> np.ndarray:
    height, width = solve_size(*cover.shape)
    return cv2.resize(cover, (width, height), interpolation=cv2.INTER_AREA) > 0.5


def scribbled(there: np.ndarray) -> Marks:
    """A short line in the middle of a region, and the border of the picture."""
    keep, drop = np.zeros_like(there), np.zeros_like(there)
    y, x = (round(float(v)) for v in np.argwhere(there).mean(0))
    keep[y - 8 : y + 9, x - 1 : x + 2] = True
    drop[:3], drop[-3:], drop[:, :3], drop[:, -3:] = True, True, True, True
    return Marks.of(keep & there, drop & ~there)


# the parts


def test_dividing_finds_what_trying_everything_finds():
    """On pictures small enough to try every region there is."""
    rng = np.random.default_rng(3)
    for _ in range(12):
        height, width = 3, 4
        r = rng.normal(0, 1, (height, width)).astype(np.float32)
        cross = rng.uniform(0.1, 1, (2, height, width)).astype(np.float32)
        cross[0, :, -1] = cross[1, -1] = 0

        def cost(u: np.ndarray, r: np.ndarray = r, cross: np.ndarray = cross) -> float:
            across = (np.abs(np.diff(u, axis=1)) * cross[0, :, :-1]).sum()
            return float(
                (u * r).sum() + 0.8 * (across + (np.abs(np.diff(u, axis=0)) * cross[1, :-1]).sum())
            )

        every = (
            np.array(bits, float).reshape(height, width)
            for bits in itertools.product((0, 1), repeat=12)
        )
        best = min(cost(u) for u in every)
        ours = (divided(r, cross, 0.8) > 0.5).astype(float)
        assert cost(ours) <= best + 0.05 * abs(best) + 0.02


def test_geodesic_distances_are_those_of_dijkstra(monkeypatch: pytest.MonkeyPatch):
    rng = np.random.default_rng(2)
    plane = cv2.GaussianBlur(rng.random((14, 17)).astype(np.float32), (0, 0), 1.0)
    seeds = np.zeros(plane.shape, bool)
    seeds[3, 4] = seeds[11, 2] = True
    number = np.arange(plane.size).reshape(plane.shape)
    rows, columns, costs = [], [], []
    for dy, dx in ((0, 1), (1, 0), (1, 1), (1, -1)):
        a = np.s_[: 14 - dy, max(-dx, 0) : 17 - max(dx, 0)]
        b = np.s_[dy:, max(dx, 0) : 17 + min(dx, 0)]
        rows.append(number[a].ravel())
        columns.append(number[b].ravel())
        costs.append((0.02 * np.hypot(dy, dx) + 3 * np.abs(plane[a] - plane[b])).ravel())
    graph = coo_matrix(
        (np.concatenate(costs), (np.concatenate(rows), np.concatenate(columns))), (plane.size,) * 2
    )
    true = (
        dijkstra(graph.tocsr(), directed=False, indices=number[seeds]).min(0).reshape(plane.shape)
    )
    soon = geodesic(plane, seeds, 0.02, 3.0)
    assert (
        soon >= true - 1e-5
    ).all()  # never shorter; on noise like this now and then a longer way
    assert np.median(np.abs(soon - true)) < 1e-5
    monkeypatch.setattr("velvet_seam.core.roto.geodesic.SWEEPS", 12)
    assert np.abs(geodesic(plane, seeds, 0.02, 3.0) - true).max() < 1e-5


def numbered(band: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    places = np.flatnonzero(band).astype(np.int32)
    number = np.full(band.shape, -1, np.int32)
    number.ravel()[places] = np.arange(places.size, dtype=np.int32)
    return number, places


BLACK_ON_WHITE = np.repeat((np.hypot(*np.mgrid[-10:10, -12:12]) < 6)[..., None], 3, 2)
"""All channels agree there: of their covariance next to nothing is left."""


@pytest.mark.parametrize(
    "picture",
    [texture(20, 24, 5, (0.5, 0.4, 0.6), 0.2), BLACK_ON_WHITE],
    ids=["texture", "black on white"],
)
def test_the_laplacian_is_that_of_an_independent_library(picture: np.ndarray):
    rgb = picture.astype(np.float32)
    band = np.zeros((20, 24), bool)
    band[3:-3, 4:-4] = True
    number, places = numbered(band)
    rows = stencils(rgb, number, places.size)
    whole = cf_laplacian(rgb.astype(np.float64), epsilon=EPSILON, radius=1).toarray()
    for n, at in enumerate(places):
        y, x = divmod(int(at), 24)
        near = [(y + dy) * 24 + x + dx for dy in range(-2, 3) for dx in range(-2, 3)]
        assert np.abs(whole[at, near] - rows[n]).max() < 5e-3


def test_the_solution_is_that_of_a_direct_solver(monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(laplacian, "ROUNDS", 400)
    monkeypatch.setattr(laplacian, "CLOSE", 1e-6)
    picture, cover = scene(size=(48, 40))
    rgb = picture[..., :3].astype(np.float32) / 255
    band = np.zeros(cover.shape, bool)
    band[4:-4, 4:-4] = True
    number, places = numbered(band)
    weight = np.full(places.size, 0.02, np.float32)
    wanted = cover.ravel()[places].round().astype(np.float32)
    ours = solved(stencils(rgb, number, places.size), weight, wanted, places, cover.round())
    whole = cf_laplacian(rgb.astype(np.float64), epsilon=EPSILON, radius=1).tocsr()
    rest = np.flatnonzero(~band.ravel())
    right = weight * wanted - whole[places][:, rest] @ cover.round().ravel()[rest]
    system = whole[places][:, places] + coo_matrix((weight, (range(places.size),) * 2)).tocsr()
    assert np.abs(ours.ravel()[places] - spsolve(system.tocsc(), right)).max() < 0.02


# strokes


def known(*held: RotoStroke) -> Strokes:
    return Strokes(held, "")


@given(
    st.lists(
        st.builds(
            RotoStroke, how=st.sampled_from(["keep", "drop", "rub"]), width=st.floats(0.5, 2000),
            points=st.lists(st.tuples(st.floats(-32768, 32768), st.floats(-32768, 32768)), min_size=1, max_size=6).map(tuple),
        ),
        max_size=5,
    ),
    st.sampled_from([(1, 1), (3, 50), (90, 160)]),
)  # fmt: skip
def test_no_pixel_is_kept_and_dropped(strokes: list[RotoStroke], size: tuple[int, int]):
    said = marks(known(*strokes), (160, 90), size)
    assert said.keep.shape == said.drop.shape == size
    assert not (said.keep & said.drop).any()


def test_the_last_stroke_over_a_pixel_counts():
    line = ((-40.0, 0.0), (40.0, 0.0))
    keep, drop, rub = (
        RotoStroke(how=how, width=10, points=line) for how in ("keep", "drop", "rub")
    )
    size, source = (90, 160), (160, 90)
    middle = (45, 80)
    assert marks(known(keep), source, size).keep[middle]
    assert marks(known(keep, drop), source, size).drop[middle]
    assert not marks(known(keep, drop), source, size).keep[middle]
    rubbed = marks(known(keep, drop, rub), source, size)
    assert not rubbed.keep.any()
    assert not rubbed.drop.any()


def test_a_thin_stroke_on_a_large_source_still_marks_something():
    said = marks(
        known(RotoStroke(width=0.5, points=((0.0, 0.0), (900.0, 5.0)))), (3840, 2160), (270, 480)
    )
    assert 40 < said.keep.sum() < 400


def test_strokes_beyond_what_is_allowed_are_refused():
    with pytest.raises(ValidationError):
        RotoStroke(points=())
    with pytest.raises(ValidationError):
        RotoStroke(points=tuple((float(n), 0.0) for n in range(10_000)))
    with pytest.raises(ValidationError):
        RotoStroke(points=((float("nan"), 0.0),))
    one = RotoStroke(points=((0.0, 0.0),))
    with pytest.raises(Problem, match="at most"):
        RotoMatte(id="k-a", strokes=(one,) * MOST_STROKES).with_stroke(one)


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
        for a, b in itertools.pairwise(order):
            inside = carried(inside, looks[a], looks[b])
        assert iou(inside > 0, truths[order[-1]]) > 0.95
        assert iou(truths[order[0]], truths[order[-1]]) < 0.8  # it has moved


def test_what_is_empty_or_all_stays_so():
    one = seen(scene()[0])
    for inside in (
        np.full(one.light.shape, -FAR, np.float32),
        np.full(one.light.shape, FAR, np.float32),
    ):
        assert (carried(inside, one, one) == inside).all()


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


# in a shot


class Filmed:
    """The scene over nine frames."""

    digest, width, height, moving, frames, in_planes = "lobes", 360, 540, True, 9, False
    length, picture_size = Fraction(9, 25), (360, 540)

    def frame_at(self, time: Fraction) -> int:
        return min(max(int(time * 25), 0), 8)

    def begins(self, number: int) -> Fraction:
        return Fraction(number, 25)

    def read(self, number: int) -> np.ndarray:
        assert 0 <= number < 9
        return scene(2 * number)[0]

    read_planes = read


def shot_with(strokes: list[dict[str, Any]], **layer: Any) -> Shot:
    matte = {"kind": "roto", "id": "k-a", "strokes": strokes}
    one = {
        "id": "l-a", "name": "a", "source": {"kind": "footage", "footage": "f-a"}, "span": {"first": 0, "last": 8},
        "place": {"x": 180, "y": 270}, "seam": {"matte": [matte]}, **layer,
    }  # fmt: skip
    return Shot.model_validate(
        {
            "name": "s",
            "canvas": {"width": 360, "height": 540},
            "rate": "25",
            "length": 9,
            "layers": [one],
        }
    )


KEEP = {"frame": 4, "how": "keep", "width": 8, "points": [[-2, -30], [-2, 20]]}
DROP = {
    "frame": 4,
    "how": "drop",
    "width": 8,
    "points": [[-170, -260], [170, -260], [170, 260], [-170, 260], [-170, -260]],
}


def shown(shot: Shot, frame: int) -> np.ndarray:
    engine = Engine(lambda _: Filmed())
    return engine.picture(engine.plan(shot, frame))[..., :3].max(2) > 40


def test_a_shot_follows_from_the_painted_frame_to_both_ends():
    shot = shot_with([KEEP, DROP])
    for frame in range(9):
        assert iou(shown(shot, frame), scene(2 * frame)[1] > 0.5) > 0.93


def test_strokes_stay_with_their_source_frame_when_the_clip_is_trimmed_slipped_and_reversed():
    for time, first in (({"source_in": "2/25"}, 2), ({"speed": -100, "source_in": "8/25"}, 8)):
        shot = shot_with([KEEP, DROP], time=time, span={"first": 0, "last": 5})
        for frame in (0, 5):
            source = first + frame if first == 2 else first - frame
            assert iou(shown(shot, frame), scene(2 * source)[1] > 0.5) > 0.93


def test_nothing_is_followed_across_a_cut():
    shot = shot_with([KEEP, DROP])
    matte = shot.layers[0].seam.matte[0]
    edit = {"do": "add-roto-stroke", "layer": "l-a", "matte": "k-a", "stroke": DROP, "cuts": [6]}
    cut = apply(shot, read_edit(edit))
    assert cut.layers[0].seam.matte[0].cuts == (6,)
    assert (shown(cut, 5) == shown(shot, 5)).all()
    for frame in (6, 8):
        assert not shown(cut, frame).any()
    later = apply(cut, read_edit({**edit, "stroke": {**KEEP, "frame": 7}}))
    assert (
        shown(later, 5) == shown(shot, 5)
    ).all()  # what is painted after it changes nothing before
    assert iou(shown(later, 8), scene(16)[1] > 0.5) > 0.8
    assert matte.cuts == ()


def test_a_freeze_and_a_still_are_cut_out_on_their_one_frame():
    frozen = shot_with([KEEP, DROP], time={"speed": 0, "source_in": "4/25"})
    for frame in (0, 8):
        assert iou(shown(frozen, frame), scene(8)[1] > 0.5) > 0.95

    class Still(Filmed):
        digest, moving, frames, length = "still", False, 1, Fraction(0)

        def frame_at(self, time: Fraction) -> int:
            return 0

    engine = Engine(lambda _: Still())
    shot = shot_with([{**KEEP, "frame": 0}, {**DROP, "frame": 0}])
    picture = engine.picture(engine.plan(shot, 5))
    assert iou(picture[..., :3].max(2) > 40, scene(0)[1] > 0.5) > 0.95


def test_matte_files_of_a_roto(tmp_path: Path):
    shot = shot_with([KEEP, DROP])
    assert write_mattes(shot, "l-a", tmp_path, lambda _: Filmed(), range(3, 6)) == 3
    for frame in (3, 5):
        plane = cv2.imread(str(tmp_path / f"{frame:06}-coverage.png"), cv2.IMREAD_UNCHANGED)
        assert plane.dtype == np.uint16
        assert np.abs(plane / 65535 - scene(2 * frame)[1]).mean() < 0.01


def test_no_strokes_cut_nothing_out():
    assert shown(shot_with([]), 3).mean() > 0.99


def test_a_stroke_is_an_edit_like_any_other():
    shot = shot_with([KEEP])
    edit = {"do": "add-roto-stroke", "layer": "l-a", "matte": "k-a", "stroke": DROP}
    more = apply(shot, read_edit(edit))
    assert [one.how for one in more.layers[0].seam.matte[0].strokes] == ["keep", "drop"]
    with pytest.raises(Problem, match="no longer there"):
        apply(shot, read_edit({**edit, "matte": "k-b"}))


def test_other_footage_of_twice_the_size_keeps_the_strokes_in_place():
    new = apply(
        shot_with([KEEP]),
        read_edit({"do": "replace-footage", "target": "l-a", "footage": "f-b", "ratio": 0.5}),
    )
    stroke = new.layers[0].seam.matte[0].strokes[0]
    assert stroke.width == 16
    assert stroke.points == ((-4.0, -60.0), (-4.0, 40.0))
