"""How a subject moves: told by nothing but the subject, as one piece or several, and with its edge between pixels."""

from __future__ import annotations

from itertools import pairwise

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from velvet_seam.core.roto.carry import DEEP, moved
from velvet_seam.core.roto.first import inside_of
from velvet_seam.core.roto.kept import packed, unpacked
from velvet_seam.core.roto.laid import Blurred
from velvet_seam.core.roto.motion import motion
from velvet_seam.core.roto.pieces import as_one, off_by
from velvet_seam.core.roto.seen import Seen, flow
from velvet_seam.core.roto.settled import settled

SIZE = (200, 160)
F32 = np.ndarray


def grain(seed: int, size: tuple[int, int] = SIZE) -> F32:
    """Something with structure of every size, 0 to 255, three channels."""
    rng = np.random.default_rng(seed)
    made = np.zeros((*size, 3), np.float32)
    for blur in (1.5, 4, 12):
        one = cv2.GaussianBlur(rng.normal(0, 1, (*size, 3)).astype(np.float32), (0, 0), blur)
        made += one / one.std()
    return np.clip(128 + 30 * made, 0, 255)


def cable() -> F32:
    """A ring three pixels wide with a stalk: coverage, four times as large."""
    large = np.zeros((4 * SIZE[0], 4 * SIZE[1]), np.float32)
    cv2.circle(large, (320, 360), 140, 1, 12)
    cv2.line(large, (320, 500), (320, 660), 1, 12)
    return large


def turned(
    by: float, about: tuple[float, float] = (80, 100), shift: tuple[float, float] = (0, 0)
) -> F32:
    way = cv2.getRotationMatrix2D(about, by, 1.01 if by else 1.0)
    way[:, 2] += shift
    return way


def frame(cover: F32, way: F32, ground: F32, own: F32) -> tuple[Seen, F32]:
    """A subject with its own texture, moved, before a ground; and its coverage."""
    large = np.diag([4.0, 4.0, 1.0]) @ np.vstack([way, [0, 0, 1]]) @ np.diag([0.25, 0.25, 1.0])
    shape = cv2.warpAffine(cover, large[:2], cover.shape[::-1])
    covered = cv2.resize(shape, SIZE[::-1], interpolation=cv2.INTER_AREA)[..., None]
    colour = cv2.warpAffine(own, way, SIZE[::-1], borderMode=cv2.BORDER_REFLECT)
    shown = covered * colour + (1 - covered) * ground
    return Seen(np.rint(shown).astype(np.uint8)), covered[..., 0]


def wrong(way: F32, of: F32, where: np.ndarray) -> float:
    """How far from where they were pixels are said to have been, in pixels at the middle of all: ``of`` (2, 3) moved them."""
    back = cv2.invertAffineTransform(of)
    rows, columns = np.nonzero(where)
    true = np.stack([columns, rows, np.ones(rows.size)], 1) @ back.T - np.stack([columns, rows], 1)
    return float(np.median(np.hypot(*(way[rows, columns] - true).T)))


@pytest.mark.parametrize("shift", [(0, 0), (3, -2), (-7, 5)])
def test_a_cable_is_followed_though_every_patch_holds_more_of_the_ground(shift) -> None:
    way, own = turned(4, shift=shift), grain(1) * np.float32([1, 0.6, 0.5])
    there, before = frame(cable(), turned(0), grain(2), own)
    here, now = frame(cable(), way, np.roll(grain(2), (4, -6), (0, 1)), own)
    inside = inside_of(before > 0.5)
    off = wrong(motion(inside, there, here), way, now > 0.5)
    assert off < 0.25
    assert off < 0.25 * wrong(flow(here, there), way, now > 0.5)


@pytest.mark.parametrize(("by", "shift"), [(0, (26, -14)), (8, (-16, 12)), (-10, (15, 4))])
def test_what_moves_far_between_two_frames_is_found(by: float, shift: tuple[float, float]) -> None:
    thing = np.zeros((800, 640), np.float32)
    thing[200:330, 160:400], thing[330:560, 250:282] = 1, 1  # a blade and its handle
    way, own = turned(by, shift=shift), grain(1) * np.float32([0.5, 0.4, 0.4])
    there, before = frame(thing, turned(0), grain(2), own)
    here, now = frame(thing, way, np.roll(grain(2), (2, -3), (0, 1)), own)
    off = wrong(motion(inside_of(before > 0.5), there, here), way, now > 0.5)
    assert wrong(flow(here, there), way, now > 0.5) > 4  # which patches of the picture do not say
    assert off < 0.3


def test_what_swings_at_a_joint_is_another_piece() -> None:
    body, arm = np.zeros((800, 640), np.float32), np.zeros((800, 640), np.float32)
    body[120:400, 200:440], arm[400:720, 260:380] = 1, 1
    own, ground = grain(3), grain(4)
    way, swing = turned(0, shift=(4, 2)), turned(-11, (80, 100), (4, 2))
    there, before = frame(body + arm, turned(0), ground, own)
    plain, left = frame(body, way, ground, own)
    here, below = frame(arm, swing, plain.lab.astype(np.float32), own)
    got = motion(inside_of(before > 0.5), there, here)
    low = below > 0.9
    low[:120] = False
    assert wrong(got, way, (left > 0.9) & ~(below > 0)) < 0.3
    assert wrong(got, swing, low) < 0.3


def test_thin_things_do_not_wear_away_on_a_long_way() -> None:
    own, ground = grain(5) * np.float32([1, 0.6, 0.5]), grain(6)
    frames = [
        frame(cable(), turned(1.7 * n, shift=(0.7 * n, -0.9 * n)), ground, own) for n in range(11)
    ]
    kept = plain = inside_of(frames[0][1] > 0.5)
    for (there, _), (here, _) in pairwise(frames):
        kept, _ = moved(kept, there, here)
        one, _ = moved(plain, there, here)
        plain = inside_of(one > 0)
    truth = frames[-1][1] > 0.5
    over = [((one > 0) & truth).sum() / ((one > 0) | truth).sum() for one in (kept, plain)]
    assert over[0] > 0.8
    assert 1 - over[0] < 0.6 * (1 - over[1])


@pytest.mark.parametrize(
    "region",
    [
        np.s_[5:6, 5:6],
        np.s_[5:9, 5:9],
        np.s_[:, :80],
        np.s_[:, :],
        np.s_[60:64, :],
        np.s_[60:63, 20:60],
    ],
)
@pytest.mark.parametrize("flat", [True, False])
def test_any_region_of_any_picture_has_a_finite_way(region, flat: bool) -> None:
    inside = np.zeros(SIZE, bool)
    inside[region] = True
    there, here = (
        Seen((np.full_like(grain(n), 90) if flat else grain(n)).astype(np.uint8)) for n in (7, 8)
    )
    got = motion(inside_of(inside), there, here)
    assert got.shape == (*SIZE, 2)
    assert np.isfinite(got).all()


def test_a_start_that_leads_out_of_the_frame_is_not_the_best() -> None:
    there, before = frame(cable(), turned(0), grain(11), grain(12))
    way = turned(1, shift=(1, 1))
    here, _ = frame(cable(), way, grain(11), grain(12))
    rows, columns = np.nonzero(before > 0.5)
    out = np.array([[1.0, 0, 900], [0, 1, 0]])
    piece = as_one((rows, columns), [out, np.eye(2, 3)], [Blurred(there.f, here.f)], [])
    assert np.abs(piece.off(columns, rows) - off_by(way, columns, rows)).max() < 0.3


def test_a_change_of_light_moves_nothing() -> None:
    own, ground = grain(9), grain(10)
    there, before = frame(cable(), turned(0), ground, own)
    brighter = Seen(np.clip(there.lab.astype(np.float32) + [18, 0, 0], 0, 255).astype(np.uint8))
    assert wrong(motion(inside_of(before > 0.5), there, brighter), turned(0), before > 0.5) < 0.1


@given(
    arrays(np.bool_, st.tuples(st.integers(1, 40), st.integers(1, 40))),
    st.integers(0, 2**32 - 1),
)
def test_an_edge_between_pixels_is_kept_to_the_bit(region, seed: int) -> None:
    shape = np.random.default_rng(seed).uniform(-DEEP, DEEP, region.shape).astype(np.float32)
    one = settled(region, shape)
    np.testing.assert_array_equal(one > 0, region)
    np.testing.assert_array_equal(unpacked(packed(one)), one)
    if region.any() and not region.all():
        whole = inside_of(region)
        assert np.abs(one - whole).max() <= 0.5
        told = np.abs(shape - whole) < 0.4
        near = told & (np.abs(whole) <= 3)
        assert np.abs(one - shape)[near].max(initial=0) <= 1 / 128


def test_what_is_no_edge_of_a_region_is_no_region() -> None:
    region = np.zeros((30, 30), bool)
    region[10:20, 10:20] = True
    held = packed(settled(region, inside_of(region) + np.float32(0.25)))
    for cut in (3, len(held) - 4):
        with pytest.raises(ValueError, match="no"):
            unpacked(held[:cut])
