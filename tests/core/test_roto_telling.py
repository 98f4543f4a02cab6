"""What tells the subject from what is around it near the edge of a carried region, and what is made of that."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bench.fit_telling import by_rule
from bench.roto import iou
from bench.roto_films import Sources, film_to_fit
from bench.small_network import passed
from tests.lobes import scene, small
from velvet_seam.core.roto.carry import carried, kept_to_edges, moved
from velvet_seam.core.roto.first import inside_of
from velvet_seam.core.roto.likeness import AWAY, FAR, Search, nearest, signs
from velvet_seam.core.roto.network import layers, likely
from velvet_seam.core.roto.seen import Seen, seen
from velvet_seam.core.roto.telling import FACTS, REACH, facts, painted_sample, sample


def looked_for(here: np.ndarray, there: np.ndarray, side: np.ndarray, at: tuple[int, int], to: tuple[float, float], reach: int) -> list[float]:  # fmt: skip
    """The nearest of either side, by looking at every pixel within reach."""
    height, width = side.shape
    y, x = np.mgrid[:height, :width]
    middle = [
        min(max(int(np.floor(one + 0.5)), 0), most - 1)
        for one, most in zip(to, (height, width), strict=True)
    ]
    near = (np.abs(y - middle[0]) <= reach) & (np.abs(x - middle[1]) <= reach)
    far = ((here[at] - there) ** 2).sum(-1) + AWAY * ((y - middle[0]) ** 2 + (x - middle[1]) ** 2)
    return [float(np.sqrt(far[near & one].min(initial=FAR * FAR))) for one in (side <= 0, side > 0)]


@settings(deadline=None, max_examples=60)
@given(
    seed=st.integers(0, 10_000), height=st.integers(3, 30), width=st.integers(3, 30), reach=st.integers(1, 9),
    apart=st.integers(1, 4),
)  # fmt: skip
def test_the_nearest_place_is_found_and_over_steps_one_nearly_as_near(
    seed: int, height: int, width: int, reach: int, apart: int
) -> None:
    rng = np.random.default_rng(seed)
    here, there = (
        signs(rng.uniform(0, 200, (height, width, 3)).astype(np.float32)) for _ in range(2)
    )
    side = rng.normal(0, 1, (height, width)).astype(np.float32)
    rows, columns = (rng.integers(0, most, 5) for most in (height, width))
    to = tuple(rng.uniform(-3, most + 3, 5).astype(np.float32) for most in (height, width))
    every = np.array(
        [
            looked_for(here, there, side, (r, c), (y, x), reach)
            for r, c, y, x in zip(rows, columns, *to, strict=True)
        ]
    )
    whole = np.stack(nearest((rows, columns), here, there, side, to, Search(reach, 1)), 1)
    np.testing.assert_allclose(whole, every, rtol=1e-4, atol=1e-3)
    some = np.stack(nearest((rows, columns), here, there, side, to, Search(reach, apart)), 1)
    beyond = np.array(
        [
            looked_for(here, there, side, (r, c), (y, x), reach + 2)
            for r, c, y, x in zip(rows, columns, *to, strict=True)
        ]
    )
    assert (some >= beyond - 1e-2 - 1e-4 * beyond).all()


@pytest.mark.parametrize("size", [(48, 32), (16, 90), (7, 5), (61, 60)])
def test_facts_are_finite_and_bounded_for_any_picture(size: tuple[int, int]) -> None:
    rng = np.random.default_rng(size[0])
    for make in (
        lambda: rng.integers(0, 256, (*size, 3), dtype=np.uint8),
        lambda: np.full((*size, 3), 128, np.uint8),
    ):
        here, there = Seen(make()), Seen(make())
        region = np.zeros(size, bool)
        region[1 : size[0] // 2 + 1, 1 : size[1] // 2 + 1] = True
        inside = inside_of(region)
        before = sample(inside, there)
        shape, way = moved(inside, there, here)
        near, told = facts(shape, way, before, painted_sample(inside, there), here.f)
        assert near.any()
        assert told.shape == (near.sum(), FACTS)
        assert np.isfinite(told).all()
        assert (np.abs(told) <= 1 + 1e-5).all()
        assert (carried(inside, there, here, before) != 0).all()


def test_a_region_with_more_edge_than_a_row_of_places_may_hold_is_carried() -> None:
    size = (480, 270)
    bars = np.arange(size[0])[:, None] // 12 % 2 == np.zeros(
        size[1], int
    )  # all of it is near an edge
    tones = np.where(bars, 180, 70)[..., None] + np.random.default_rng(1).normal(0, 5, (*size, 3))
    look, inside = Seen(np.rint(tones).astype(np.uint8)), inside_of(bars)
    assert (np.abs(inside) <= REACH).sum() > 100_000
    made = carried(inside, look, look, painted_sample(inside, look))
    assert ((made > 0) == bars).mean() > 0.99


def ruled(inside: np.ndarray, there: Seen, here: Seen) -> np.ndarray:
    """Carried by shape and colour alone."""
    before = sample(inside, there)
    shape, way = moved(inside, there, here)
    near, told = facts(shape, way, before, before, here.f)
    return inside_of(kept_to_edges(shape, near, by_rule(told), here.f))


def test_films_it_was_not_fitted_on_are_followed_nearer_than_by_shape_and_colour() -> None:
    learnt, plain = [], []
    for number in range(70_001, 70_009):
        film = film_to_fit(Sources([], []), number, 7, 2)
        looks, truths = [seen(one) for one in film.frames], [film.truth(n) for n in range(7)]
        if truths[0].sum() < 400:
            continue
        one = other = inside_of(truths[0])
        painted = painted_sample(one, looks[0])
        for a, b in pairwise(looks):
            one, other = carried(one, a, b, painted), ruled(other, a, b)
        learnt.append(iou(one > 0, truths[6]))
        plain.append(iou(other > 0, truths[6]))
    assert len(learnt) >= 5
    wrong, before = 1 - np.array(learnt), 1 - np.array(plain)
    assert wrong.mean() < 0.7 * before.mean()


def test_what_was_painted_brings_back_what_was_lost_on_the_way() -> None:
    (first, cover), (there, between), (here, now) = (scene(2 * n) for n in range(3))
    truth = small(between)
    wrong = truth.copy()
    rows, columns = np.nonzero(truth)
    wrong[rows.min() : rows.min() + 7] = False  # its top is lost
    grown = wrong | (inside_of(wrong) > -5) & (np.arange(truth.shape[1]) > columns.max() - 2)
    a, b = seen(there), seen(here)
    by = [
        iou(carried(inside_of(grown), a, b, painted_sample(inside_of(one), look)) > 0, small(now))
        for one, look in ((small(cover), seen(first)), (grown, a))
    ]
    assert 1 - by[0] < 0.5 * (1 - iou(grown, truth))
    assert by[0] > by[1]


def test_the_network_gives_what_its_layers_give_in_plain_products() -> None:
    told = np.random.default_rng(4).uniform(-1, 1, (500, FACTS)).astype(np.float32)
    plain = passed([one.astype(np.float64) for one in layers("telling")], told.astype(np.float64))
    np.testing.assert_allclose(likely(layers("telling"), told), plain[-1][:, 0], atol=1e-4)
