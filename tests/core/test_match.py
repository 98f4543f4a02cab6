"""Match: takes of one scene in other light, brought back; and the part of a look that does it."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import pytest

from bench.register import covered, drawn, seen
from velvet_seam.core.analyse.match import Matched, curved, gain_of, lent, matched
from velvet_seam.core.looks import LookPart
from velvet_seam.core.looks.base import Planes, Tone
from velvet_seam.core.picture.colour import delta_e
from velvet_seam.core.timing.at import At
from velvet_seam.web.matching import _part

SIZE = (270, 480)


@cache
def view(seed: int) -> np.ndarray:
    whole = np.clip(seen(drawn(seed), np.eye(3), np.random.default_rng(0)), 0, 255)
    return cv2.resize(whole, SIZE, interpolation=cv2.INTER_AREA) / 255


def in_other_light(kind: str, v: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    if kind == "exposure":
        return np.clip(2 ** rng.uniform(-0.5, 0.5) * v**2.2, 0, 1) ** (1 / 2.2)
    if kind == "balance":
        return np.clip(np.exp(rng.uniform(-0.15, 0.15, 3)) * v**2.2, 0, 1) ** (1 / 2.2)
    if kind == "mix":
        mix = np.eye(3) + rng.uniform(-0.12, 0.12, (3, 3))
        return np.clip(
            v @ (mix / mix.sum(1, keepdims=True)).T * rng.uniform(0.85, 1.1)
            + rng.uniform(-0.02, 0.02),
            0,
            1,
        )
    return np.clip(v ** rng.uniform(0.75, 1.3) * (1 - 0.1 * np.sin(v * np.pi)), 0, 1)


def takes(kind: str, seed: int) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Two takes with noise and other things before them; and both without."""
    rng = np.random.default_rng(seed)
    plain = view(seed % 3 + 910)
    lit = in_other_light(kind, plain, rng)
    made = []
    for one in (plain, lit):
        large = cv2.resize((255 * one + rng.normal(0, 2, one.shape)).astype(np.float32), (540, 960))
        some, _ = covered(large, 0.15, drawn(915), rng)
        made.append(
            np.clip(cv2.resize(some, SIZE, interpolation=cv2.INTER_AREA), 0, 255).astype(np.uint8)
        )
    return made[0], made[1], plain, lit


def worn(part: LookPart, picture: np.ndarray) -> np.ndarray:
    planes: Planes = np.ascontiguousarray(picture.reshape(-1, 3).T.astype(np.float32))
    assert isinstance(part, Tone)
    for stage in part.stages(At(0), 0):
        stage.function(planes, *stage.numbers)
    return np.asarray(planes.T.reshape(picture.shape))


@pytest.mark.parametrize(
    ("kind", "model"),
    [("exposure", "gain"), ("balance", "gain"), ("mix", "mix"), ("curve", "curve")],
)
def test_light_is_brought_back_by_the_least_that_says_it_and_by_a_part_of_a_look(
    kind: str, model: str
):
    left = []
    for seed in (1, 2, 3):
        first, second, plain, lit = takes(kind, seed)
        found = matched(first, second, np.ones(first.shape[:2], bool))
        assert isinstance(found, Matched)
        assert found.model == model, (seed, found.model)
        assert found.after < found.before
        back = worn(_part("p-match", found), lit)
        inside = (lit > 0.02).all(-1) & (lit < 0.98).all(-1)
        left.append(float(np.median(delta_e(np.clip(back, 0, 1), plain)[inside])))
    assert np.median(left) < 0.3, left


def test_flicker_is_told_to_a_part_of_a_per_cent():
    plain = view(911)
    rng = np.random.default_rng(9)
    off = []
    for _ in range(8):
        gain = 1 + rng.uniform(-0.1, 0.1)
        pair = [
            np.clip(255 * plain * g + rng.normal(0, 2, plain.shape), 0, 255).astype(np.uint8)
            for g in (1.0, gain)
        ]
        found = gain_of(pair[0], pair[1], np.ones(plain.shape[:2], bool))
        assert found is not None
        off.append(np.mean(found) * gain - 1)
    assert np.abs(off).max() < 0.005


def test_what_shows_nothing_in_common_is_not_matched_but_may_be_lent():
    first = np.round(255 * view(910)).astype(np.uint8)
    second = np.round(255 * (0.4 * view(912) + 0.1)).astype(np.uint8)
    assert matched(first, second, np.ones(first.shape[:2], bool)) is None
    assert matched(first, first, np.zeros(first.shape[:2], bool)) is None
    whole = np.ones(first.shape[:2], bool)
    slope, offset = lent(first, second, whole, whole) or (None, None)
    made = second[..., :3] / 255 * slope + offset
    np.testing.assert_allclose(made.mean((0, 1)), first.mean((0, 1)) / 255, atol=0.01)
    assert lent(first, second, ~whole, whole) is None


def test_a_curve_never_falls_and_goes_where_its_knots_say():
    first, second, *_ = takes("curve", 4)
    found = matched(first, second, np.ones(first.shape[:2], bool))
    assert found is not None
    assert (np.diff(found.curves, axis=1) >= 0).all()
    at = np.full((1, 3), 3 / 8)
    np.testing.assert_allclose(curved(at, found.curves)[0], found.curves[:, 3])
