"""Planes of every depth and subsampling against the recommendations' own formulas, in float64."""

from __future__ import annotations

from dataclasses import replace

import av
import numpy as np
import pytest
from av.video.reformatter import VideoReformatter
from hypothesis import given, settings
from hypothesis import strategies as st

from velvet_seam.core.media.clip import layout_of, to_rgba
from velvet_seam.core.picture.planes import Planes, yuv420_to_rgba
from velvet_seam.core.picture.screen_key import loose_key, read_screen, screen_key
from velvet_seam.core.picture.study import STUDY, study
from velvet_seam.core.picture.yuv import WEIGHTS, coefficients, planes_to_rgb16

LAYOUTS = [
    f"yuv{a}{sub}p{deep}"
    for sub in ("420", "422", "444")
    for a, deep in (("", ""), ("j", ""), ("", "10le"), ("", "12le"), ("a", ""), ("a", "10le"))
]
SIZE = (38, 25)  # an odd height; and planes are padded


def filled(name: str, seed: int) -> tuple[av.VideoFrame, list[np.ndarray]]:
    """A frame of random samples within the range of video, and the samples."""
    frame = av.VideoFrame(*SIZE, name)
    bits = int(name[-4:-2]) if name.endswith("le") else 8
    kind, rng = np.dtype(np.uint16 if bits > 8 else np.uint8), np.random.default_rng(seed)
    held = []
    for plane in frame.planes:
        row = plane.line_size // kind.itemsize
        rows = plane.buffer_size // plane.line_size
        low, high = (0, 2**bits) if len(held) == 3 else (16 << (bits - 8), 235 << (bits - 8))
        samples = rng.integers(low, high, (rows, row)).astype(kind)
        plane.update(samples.tobytes())
        held.append(samples)
    frame.colorspace = 1
    return frame, held


def wanted(name: str, planes: list[np.ndarray], full: bool) -> np.ndarray:
    """R'G'B' and coverage in 0 to 1, not premultiplied, by BT.709 and the siting of H.264."""
    width, height = SIZE
    bits = int(name[-4:-2]) if name.endswith("le") else 8
    most = 2**bits - 1
    y, u, v = (p.astype(float) for p in planes[:3])
    if "420" in name:  # midway between two rows
        rows = np.arange(height)
        near = rows // 2
        far = np.clip(np.where(rows % 2, near + 1, near - 1), 0, (height + 1) // 2 - 1)
        u, v = (0.75 * p[near] + 0.25 * p[far] for p in (u, v))
    if "444" not in name:  # on the left one of two columns
        half = (width + 1) // 2
        columns = np.arange(width)
        left, right = columns // 2, np.minimum((columns + 1) // 2, half - 1)
        u, v = ((p[:, left] + p[:, right]) / 2 for p in (u, v))
    y, u, v = y[:height, :width], u[:height, :width], v[:height, :width]
    if full:
        y, u, v = y / most, (u - 2 ** (bits - 1)) / most, (v - 2 ** (bits - 1)) / most
    else:
        k = 2.0 ** (bits - 8)
        y, u, v = (y / k - 16) / 219, (u / k - 128) / 224, (v / k - 128) / 224
    kr, kb = WEIGHTS["709"]
    red, blue = y + 2 * (1 - kr) * v, y + 2 * (1 - kb) * u
    green = (y - kr * red - kb * blue) / (1 - kr - kb)
    alpha = planes[3][:height, :width] / most if len(planes) > 3 else np.ones((height, width))
    return np.dstack([np.clip(np.dstack([red, green, blue]), 0, 1), alpha])


@pytest.mark.parametrize("name", [n for n in LAYOUTS if not n.startswith("yuvj420")])
def test_every_layout_is_its_recommendation(name):
    try:
        frame, planes = filled(name, 3)
    except ValueError:
        pytest.skip(f"{name} does not exist")
    straight = wanted(name, planes, full="yuvj" in name)
    expected = np.dstack([straight[..., :3] * straight[..., 3:], straight[..., 3]]) * 255
    got = to_rgba(VideoReformatter(), frame)
    assert got.shape == (SIZE[1], SIZE[0], 4)
    assert np.abs(got - expected).max() <= 1.1
    assert (got[..., :3] <= got[..., 3:]).all()


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 2**32), st.integers(1, 20), st.integers(1, 20))
def test_both_ways_of_converting_the_usual_planes_agree(seed, width, height):
    rng = np.random.default_rng(seed)
    y = rng.integers(16, 236, (height, width)).astype(np.uint8)
    u, v = rng.integers(16, 241, (2, (height + 1) // 2, (width + 1) // 2)).astype(np.uint8)
    # the quick one reads one more column of chroma and more of luma, as decoders' padding allows
    room = [np.pad(p, ((0, 0), (0, 16)), mode="edge") for p in (y, u, v)]
    k = coefficients("709", False)
    quick = yuv420_to_rgba(*room, width, height, k).view(np.uint8).reshape(height, width, 4)
    deep = planes_to_rgb16(y, u, v, width, height, k, True, True, np.float32(1))
    assert np.abs(quick[..., :3] - deep / 257).max() <= 1.01


def test_other_planes_are_left_to_the_general_converter():
    for name in ("nv12", "yuv411p", "gbrp", "rgb24", "yuv420p16le", "yuv422p10be"):
        assert layout_of(av.VideoFrame(16, 16, name)) is None


def held(rng: np.random.Generator, height: int, width: int, most: int) -> Planes:
    """Random planes around the green of a screen, up to ``most`` away from it, with bytes beyond each row."""
    lines, columns = (height + 1) // 2, (width + 1) // 2

    def plane(middle: int, rows: int, row: int) -> np.ndarray:
        return rng.integers(middle - most, middle + most + 1, (rows, row), np.int64).astype(
            np.uint8
        )

    luma = plane(125, height, width + int(rng.integers(0, 40)))
    row = columns + int(rng.integers(0, 40))
    planes = plane(100, lines, row), plane(100, lines, row)
    return Planes(luma, *planes, width, height, coefficients("709", False))


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**32), st.sampled_from([2, 4, 6, 8, 12]), st.integers(0, 3))
def test_a_study_of_planes_is_that_of_their_picture(seed, step, wider):
    """But for each pixel's rounding, which a mean of four or more of them nearly forgets."""
    rng = np.random.default_rng(seed)
    sides = (STUDY * step, (STUDY + wider) * step)
    planes = held(rng, *(sides if seed % 2 else sides[::-1]), most=16)
    got, wanted = study(planes), study(planes.rgba())
    assert got.shape == wanted.shape
    error = (got - wanted) * 255
    assert np.abs(error).max() < 1.2
    assert np.abs(error).std() < 0.7 / step
    # an error of its place would show at the border first
    for side in (error[0], error[-1], error[:, 0], error[:, -1]):
        assert abs(side.mean()) < 0.1


def test_planes_smaller_than_their_picture_are_handed_to_no_kernel():
    whole = held(np.random.default_rng(2), 361, 375, most=2)
    screen = read_screen(whole, (60, 160, 70))
    for short in (
        {"luma": whole.luma[:-1]}, {"luma": whole.luma[:, :374]}, {"red": whole.red[:180]},
        {"blue": whole.blue[:, :187]},
    ):  # fmt: skip
        with pytest.raises(ValueError, match="smaller"):
            screen_key(replace(whole, **short), screen, (60, 160, 70))


@pytest.mark.parametrize("size", [(360, 362), (361, 375)])
def test_a_key_of_planes_is_that_of_their_picture_to_the_bit(size):
    rng = np.random.default_rng(8)
    planes, colour = held(rng, *size, most=2), (80, 165, 70)
    planes.luma[90:250, 100:220] = rng.integers(60, 220, (160, 120))
    planes.blue[45:125, 50:110], planes.red[45:125, 50:110] = 120, 140
    picture, screen = planes.rgba(), read_screen(planes, colour)
    mask = np.zeros(size, np.uint8)
    mask[40:230, 20:] = 200
    settings: dict
    for settings in ({}, {"mask": mask, "keep_shadows": 0.5}, {"rows": (70, 200), "despill": 0.3}):
        wanted = screen_key(picture, screen, colour, **settings)
        assert np.array_equal(screen_key(planes, screen, colour, **settings), wanted)
        loose = loose_key(planes, screen, colour, **settings)
        some = loose.held[:, 1] > 0
        assert np.array_equal(loose.pixels[some], wanted[some])
        assert not wanted[~some].any()
        assert 5000 < np.count_nonzero(wanted[..., 3]) < wanted[..., 3].size / 2
