"""What roto is made of, against independent references."""

from __future__ import annotations

import itertools

import cv2
import numpy as np
import pytest
from pymatting import cf_laplacian
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra
from scipy.sparse.linalg import spsolve

from tests.lobes import scene, texture
from velvet_seam.core.roto import laplacian
from velvet_seam.core.roto.dividing import divided
from velvet_seam.core.roto.geodesic import geodesic
from velvet_seam.core.roto.laplacian import EPSILON, solved, stencils
from velvet_seam.core.roto.nearby import nearby, taken


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
        assert np.abs(whole[at, near] - rows[:, n]).max() < 5e-3


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


@pytest.mark.parametrize("size", [(96, 64), (97, 63), (130, 17)])
@pytest.mark.parametrize("reach", [3.0, 8.0])
def test_colours_near_by_are_those_of_each_side_alone(size: tuple[int, int], reach: float):
    """On either side colours rise evenly to the right: so do their means, away from where a side ends."""
    height, width = size
    x = np.arange(width, dtype=np.float32)
    deep = np.repeat((height / 2 - np.arange(height) - 0.5)[:, None], width, 1).astype(np.float32)
    ramp = 40 + 100 * x / width
    inner, outer = np.stack([ramp, ramp / 2, 255 - ramp]), np.stack([ramp / 3, 200 - ramp, ramp])
    picture = np.full((*size, 4), 255, np.uint8)
    picture[..., :3] = np.where(deep[..., None] > 0, inner.T, outer.T).round()
    picture[np.abs(deep) < reach] = (255, 0, 0, 255)  # belongs to neither
    *both, step = nearby(picture, deep, reach)
    assert [one.shape for one in both] == [(-(-height // step), -(-width // step), 4)] * 2
    for held, colours in zip(both, (inner, outer), strict=True):
        sure = (deep >= reach) if colours is inner else (deep <= -reach)
        y, out = int(np.flatnonzero(sure[:, 0])[[0, -1][colours is inner]]), np.empty(4, np.float32)
        middle = width // 2
        taken(held, y, middle, step, out)
        # as far as the widest mean reaches the ramp goes on, or it is the mean of all there is
        assert np.abs(out[:3] * 255 - colours[:, middle]).max() < 6
        assert 0 <= out[3] < 0.1


def test_what_is_held_of_coarse_places_is_had_as_a_picture_is_enlarged():
    held = np.random.default_rng(4).random((7, 5, 4)).astype(np.float32)
    large = cv2.resize(held, (20, 28), interpolation=cv2.INTER_LINEAR)
    out = np.empty(4, np.float32)
    for y, x in itertools.product(range(28), range(20)):
        taken(held, y, x, 4, out)
        np.testing.assert_allclose(out, large[y, x], atol=1e-5)
