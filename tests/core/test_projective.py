"""Planes in perspective against a reference that samples each canvas pixel 16 × 16 times."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from velvet_seam.core.picture.placement import affine, place

CANVAS = (240, 160)
SOURCE = (300, 200)


def textured(seed: int, opaque: bool = True) -> np.ndarray:
    """Patches and fine grain, as photographs have them; premultiplied."""
    rng = np.random.default_rng(seed)
    width, height = SOURCE
    out = np.full((height, width, 4), 255, np.uint8)
    coarse = cv2.resize(rng.uniform(0, 255, (9, 12, 3)), SOURCE, interpolation=cv2.INTER_CUBIC)
    grain = cv2.GaussianBlur(rng.normal(0, 60, (height, width, 3)), (0, 0), 1.2)
    out[..., :3] = (coarse + grain).clip(0, 255)
    out[60:120, 90:160, :3] = (250, 240, 30)
    if not opaque:
        cover = cv2.resize(rng.uniform(0, 1, (5, 7)), SOURCE, interpolation=cv2.INTER_LINEAR)
        out = np.rint(out * cover[..., None]).astype(np.uint8)
    return out


def pinned(*corners: tuple[float, float]) -> np.ndarray:
    """The matrix that sends a source's corners, clockwise from the top left, to places of the canvas."""
    width, height = SOURCE
    own = np.float32([[0, 0], [width, 0], [width, height], [0, height]])
    return cv2.getPerspectiveTransform(own, np.float32(corners)).astype(float)


PINNED = {
    "a little tilted": pinned((20, 14), (214, 30), (226, 140), (12, 150)),
    "a floor": pinned((90, 40), (150, 40), (236, 156), (4, 156)),
    "a wall that goes off": pinned((8, 10), (230, 60), (230, 92), (8, 150)),
    "turned and far": pinned((120, 20), (200, 70), (150, 140), (60, 90)),
    "enlarged beyond the canvas": pinned((-300, -180), (500, -100), (640, 400), (-260, 330)),
    "mirrored": pinned((214, 30), (20, 14), (12, 150), (226, 140)),
}


def reference(picture: np.ndarray, matrix: np.ndarray, times: int = 16) -> np.ndarray:
    """The mean over each canvas pixel of the source, between whose pixels it is bicubic."""
    width, height = CANVAS
    inverse = np.linalg.inv(matrix)
    steps = (np.arange(times) + 0.5) / times
    total = np.zeros((height, width, 4))
    x0, y0 = np.meshgrid(np.arange(width), np.arange(height))
    for dy in steps:
        for dx in steps:
            p = inverse @ np.stack([(x0 + dx).ravel(), (y0 + dy).ravel(), np.ones(x0.size)])
            u, v = (p[0] / p[2]).reshape(y0.shape), (p[1] / p[2]).reshape(y0.shape)
            inside = (u >= 0) & (u < SOURCE[0]) & (v >= 0) & (v < SOURCE[1])
            inside &= (p[2] > 0).reshape(y0.shape)
            seen = cv2.remap(
                picture.astype(np.float32), (u - 0.5).astype(np.float32), (v - 0.5).astype(np.float32),
                cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE,
            )  # fmt: skip
            total += seen * inside[..., None]
    return (total / times**2).clip(0, 255)


def on_canvas(picture: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    patch = place(picture, matrix, *CANVAS)
    out = np.zeros((CANVAS[1], CANVAS[0], 4), np.uint8)
    if patch is not None:
        h, w = patch.pixels.shape[:2]
        out[patch.top : patch.top + h, patch.left : patch.left + w] = patch.pixels
    return out


@pytest.mark.parametrize("opaque", [True, False], ids=["opaque", "see-through"])
@pytest.mark.parametrize("name", PINNED)
def test_a_plane_in_perspective_is_its_mean_over_each_pixel(name: str, opaque: bool):
    picture = textured(len(name), opaque)
    got, wanted = on_canvas(picture, PINNED[name]), reference(picture, PINNED[name])
    covered = wanted[..., 3] > 0
    off = np.abs(got.astype(float) - wanted)[covered | (got[..., 3] > 0)]
    assert covered.mean() > 0.1
    assert off.mean() <= 0.55  # 0.21 to 0.52; rounding alone makes a quarter
    assert np.quantile(off, 0.99) < 16
    assert (got[..., :3].max(-1) <= got[..., 3]).all()


def test_an_affine_matrix_gives_what_it_always_gave():
    picture = textured(3)
    matrix = affine(118.3, 77.2, 0.9, 23, True, False, *SOURCE)
    tilted = matrix.copy()
    tilted[2, 0] = 1e-9  # projective, and all but the same
    off = np.abs(on_canvas(picture, tilted).astype(int) - on_canvas(picture, matrix))
    assert off.mean() < 1.5


@pytest.mark.parametrize("far", [1.0, 1.5])
def test_what_lies_behind_the_eye_is_not_seen(far: float):
    """A floor that reaches below the one who looks: nothing of it turns up above the horizon."""
    picture = np.full((SOURCE[1], SOURCE[0], 4), 255, np.uint8)
    matrix = np.array([[0.8, -0.6, 120], [0.0, -0.75, 80], [0.0, -0.0075 * far, 1.0]])
    got = on_canvas(picture, matrix)
    inverse = np.linalg.inv(matrix)
    y, x = np.mgrid[0 : CANVAS[1], 0 : CANVAS[0]] + 0.5
    p = inverse @ np.stack([x.ravel(), y.ravel(), np.ones(x.size)])
    front = (p[2] > 0).reshape(x.shape)
    u, v = (p[0] / p[2]).reshape(x.shape), (p[1] / p[2]).reshape(x.shape)
    inside = front & (u > 4) & (u < SOURCE[0] - 4) & (v > 4) & (v < SOURCE[1] - 4)
    assert inside.any()
    assert (got[inside][:, 3] > 200).all()
    assert (got[~front][:, 3] == 0).all()


def test_a_plane_seen_from_its_edge_is_nothing():
    flat = np.array([[1.0, 2.0, 3.0], [2.0, 4.0, 6.0], [0.1, 0.2, 1.0]])
    assert place(textured(1), flat, *CANVAS) is None
