"""Parts of a look that work on a picture rather than a colour: blurs against their formulas, and how far they reach."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_goldens import HEIGHT, WIDTH, layer, seen, shot
from velvet_seam.core.looks import LOOKS, Area, Ground
from velvet_seam.core.picture.along import along
from velvet_seam.core.picture.disc import defocused, rows_of
from velvet_seam.core.picture.gaussian import blurred
from velvet_seam.core.picture.polar import spun, zoomed
from velvet_seam.core.timing.at import At
from velvet_seam.core.words import kind_of


@pytest.mark.parametrize("sigma", [0.6, 2, 4.1, 4.3, 7, 18, 60])
@pytest.mark.parametrize("extend", [True, False])
@pytest.mark.parametrize("size", [(120, 87), (61, 200)])
def test_a_blur_is_the_gaussian(sigma: float, extend: bool, size: tuple[int, int]):
    rng = np.random.default_rng(4)
    picture = rng.integers(0, 256, (*size, 4), dtype=np.uint8)
    picture[20:45, 20:60], picture[50:, 10:30] = 255, 0
    kernel = cv2.getGaussianKernel(2 * int(np.ceil(4.5 * sigma)) + 1, sigma, cv2.CV_64F)
    border = cv2.BORDER_REPLICATE if extend else cv2.BORDER_CONSTANT
    exact = cv2.sepFilter2D(picture.astype(np.float64), -1, kernel, kernel, borderType=border)
    off = np.abs(blurred(picture, sigma, extend) - exact)
    assert off.mean() <= 0.55  # rounding alone is 0.25
    assert off.max() <= 2.6
    plane = np.ascontiguousarray(picture[..., 1])
    np.testing.assert_array_equal(
        blurred(plane, sigma, extend), blurred(picture, sigma, extend)[..., 1]
    )


@pytest.mark.parametrize(
    ("length", "degrees"), [(31, 0), (31, 90), (45, 30), (21.4, -50), (60, 135)]
)
def test_a_blur_along_a_line_is_the_mean_along_it(length: float, degrees: float):
    rng = np.random.default_rng(5)
    picture = cv2.GaussianBlur(rng.integers(0, 256, (180, 160, 4), dtype=np.uint8), (0, 0), 2)
    y, x = np.mgrid[:180, :160].astype(np.float32)
    steps = np.linspace(-(length - 1) / 2, (length - 1) / 2, int(length * 4) + 1)
    turn = np.radians(degrees)
    total = sum(
        cv2.remap(picture.astype(np.float32), x + np.float32(t * np.cos(turn)), y + np.float32(t * np.sin(turn)), cv2.INTER_LINEAR)
        for t in steps
    )  # fmt: skip
    off = np.abs(along(picture, length, degrees) - total / len(steps))[40:-40, 40:-40]
    assert off.mean() < 0.7
    assert off.max() < 6


def test_out_of_focus_keeps_bright_points_bright_and_even_areas_even():
    dark = np.zeros((90, 90, 4), np.uint8)
    dark[..., 3] = 255
    dark[45, 45] = 255
    made = defocused(dark, 6)
    assert made[45, 45, 0] > 20  # a mean of display values would leave 2
    far = np.hypot(*(np.mgrid[:90, :90] - 45))
    assert (made[far > 8, 0] == 0).all()
    assert (made[far < 5, 0] == made[45, 45, 0]).all()
    even = np.full((60, 80, 4), 137, np.uint8)
    for radius in (3, 9, 25):
        np.testing.assert_array_equal(defocused(even, radius), even)


def test_a_focus_is_pulled_evenly():
    """The radius of what becomes of a bright square, by its second moment, follows the one that is asked for."""
    square = np.zeros((240, 240, 4), np.uint8)
    square[..., 3] = 255
    square[108:132, 108:132] = 255
    across = np.arange(240) - 119.5

    def found(radius: float) -> float:
        light = defocused(square, radius)[..., 0].astype(np.float64) ** 2
        return np.sqrt(
            max(4 * ((light.sum(0) * across**2).sum() / light.sum() - (24**2 - 1) / 12), 0)
        )

    asked = np.arange(1, 27.9, 0.1)
    radii = np.array([found(radius) for radius in asked])
    assert np.abs(radii - asked).max() < 0.3
    assert np.abs(np.diff(radii) - 0.1).max() < 0.2


@pytest.mark.parametrize("radius", [0.5, 0.9, 1.4, 2.0, 3.3, 4.75, 6.1, 7.0])
def test_a_disc_is_one_whatever_its_radius(radius: float):
    halves, wholes, parts = rows_of(radius)
    side, fine = len(halves) + 4, 24
    ours = np.zeros((side, side))
    for row, half, whole, part in zip(ours[2:-2], halves, wholes, parts, strict=True):
        middle = side // 2
        row[middle - half : middle + half + 1] += whole
        row[middle - half - 1 : middle + half + 2] += part
    places = (np.arange(side * fine) + 0.5) / fine - side / 2
    within = np.hypot(places, places[:, None]) <= radius
    true = within.reshape(side, fine, side, fine).mean((1, 3))
    assert np.abs(ours / ours.sum() - true / true.sum()).sum() / 2 < 0.045


def turned_by_hand(picture: np.ndarray, middle: tuple[float, float], moves) -> np.ndarray:
    """The mean of a grey picture read bilinearly at many places, in floats; beyond its edge it goes on as it ends."""
    height, width = picture.shape
    y, x = np.mgrid[:height, :width].astype(np.float64)
    z = (x - middle[0]) + 1j * (y - middle[1])
    total = np.zeros(picture.shape)
    for move in moves:
        there = z * move
        xs = np.clip(there.real + middle[0], 0, width - 1)
        ys = np.clip(there.imag + middle[1], 0, height - 1)
        i, j = np.minimum(xs.astype(int), width - 2), np.minimum(ys.astype(int), height - 2)
        u, v = xs - i, ys - j
        upper = picture[j, i] * (1 - u) + picture[j, i + 1] * u
        total += upper * (1 - v) + (picture[j + 1, i] * (1 - u) + picture[j + 1, i + 1] * u) * v
    return total / len(moves)


def patterns(height: int, width: int) -> dict[str, np.ndarray]:
    rng = np.random.default_rng(3)
    y, x = np.mgrid[:height, :width]
    drawn = {
        "noise": rng.integers(0, 256, (height, width)), "bars": (x // 13 % 2) * 255,
        "lines": (y % 19 == 0) * 255, "slope": x * 255 / width,
        "disc": (np.hypot(x - width * 0.6, y - height * 0.3) < height * 0.2) * 255,
    }  # fmt: skip
    return {name: np.repeat(one[..., None], 4, 2).astype(np.uint8) for name, one in drawn.items()}


@pytest.mark.parametrize("name", patterns(8, 8))
@pytest.mark.parametrize(
    ("middle", "size"), [((44.5, 59.5), 9), ((10.0, 130.0), 25), ((-20.0, 45.0), 140)]
)
def test_a_blur_round_or_away_from_a_point_is_the_mean_along_its_arcs_or_rays(name, middle, size):
    picture = patterns(120, 90)[name]
    parts = (np.arange(240) + 0.5) / 240 - 0.5
    for made, moves in (
        (spun(picture, size, middle), np.exp(1j * np.radians(size) * parts)),
        (zoomed(picture, size, middle), np.exp(np.log(1 + size / 100) * parts)),
    ):
        off = np.abs(made[..., 0] - turned_by_hand(picture[..., 0], middle, moves))
        # between two lines half a pixel apart what is one pixel fine loses some of its contrast
        assert off.mean() < (2.6 if name == "noise" else 1.0)
        assert np.quantile(off, 0.99) < 25


@settings(max_examples=60, deadline=None)
@given(
    st.integers(1, 70),
    st.integers(1, 70),
    st.floats(0.1, 360),
    st.floats(-90, 160),
    st.floats(-90, 160),
)
def test_blurs_about_a_point_leave_what_is_even_as_it_is(height, width, size, x, y):
    even = np.full((height, width, 4), 151, np.uint8)
    np.testing.assert_array_equal(spun(even, size, (x, y)), even)
    np.testing.assert_array_equal(zoomed(even, size, (x, y)), even)


def test_a_blur_that_grows_soft_reaches_beyond_the_frame():
    small = {"place": {"x": WIDTH / 2, "y": HEIGHT / 2, "scale": 40}}
    soft = {"parts": [{"kind": "blur", "id": "p-a", "radius": 12, "edges": "clear"}]}
    hard = {"parts": [{"kind": "blur", "id": "p-a", "radius": 12}]}
    plain = seen(shot())
    made = seen(shot({**layer("garden", "garden"), **small, "look": soft}))
    x0 = round(WIDTH / 2 - 0.2 * WIDTH)
    assert (made[HEIGHT // 2, x0 - 4] != plain[HEIGHT // 2, x0 - 4]).any()
    kept = seen(shot({**layer("garden", "garden"), **small, "look": hard}))
    np.testing.assert_array_equal(kept[HEIGHT // 2, x0 - 4], plain[HEIGHT // 2, x0 - 4])


def test_length_is_as_seen_on_the_canvas_whatever_the_scale():
    """Half of a picture at half its scale, blurred, is the same as the whole one blurred by half as much, shrunk."""

    def of(scale: float) -> np.ndarray:
        look = {"parts": [{"kind": "blur", "id": "p-a", "radius": 8}]}
        place = {"x": WIDTH / 2, "y": HEIGHT / 2, "scale": scale}
        return seen(shot({**layer("garden", "garden"), "place": place, "look": look}))

    big = cv2.resize(of(100), (WIDTH // 2, HEIGHT // 2), interpolation=cv2.INTER_AREA)
    wide = of(50)[HEIGHT // 4 : HEIGHT * 3 // 4, WIDTH // 4 : WIDTH * 3 // 4]
    sharper = np.abs(np.diff(big.astype(int), axis=1)).mean()
    softer = np.abs(np.diff(wide.astype(int), axis=1)).mean()
    assert softer < sharper  # the same length on the canvas is twice as much of the picture


def test_an_area_part_says_how_far_it_looks():
    """What lies further away than that changes nothing."""
    rng = np.random.default_rng(7)
    ground = Ground((120, 120), 1.0)
    for kind in LOOKS:
        if not issubclass(kind, Area) or kind_of(kind) in ("slices", "mirror"):
            continue
        small = {"blur": {"radius": 6}, "line-blur": {"length": 14}, "defocus": {"radius": 5}, "glow": {"radius": 3},
                 "sharpen": {"radius": 2}, "channel-split": {"apart": 4}, "blocks": {"size": 9}, "ripple": {"amount": 4},
                 "spin-blur": {"angle": 1}, "zoom-blur": {"amount": 2}}  # fmt: skip
        one = kind.model_validate(
            {"kind": kind_of(kind), "id": "p-a", **small.get(kind_of(kind), {})}
        )
        work = one.work(At(0), ground)
        assert work is not None
        a = rng.integers(0, 256, (120, 120, 4), dtype=np.uint8)
        a[..., 3] = 255
        b = a.copy()
        far = int(np.ceil(one.reach(At(0)))) + 1
        b[:, 60 + far :] = 255 - b[:, 60 + far :]
        b[..., 3] = 255
        made = [work.function(*work.args, each)[:, :60].astype(int) for each in (a, b)]
        assert np.abs(made[0] - made[1]).max() <= 1, kind_of(kind)
