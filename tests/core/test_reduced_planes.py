"""Planes reduced before they are converted say the same as pixels reduced after it."""

from __future__ import annotations

import av
import cv2
import numpy as np
import pytest
from av.video.reformatter import VideoReformatter
from hypothesis import given, settings
from hypothesis import strategies as st

from velvet_seam.core.media.clip import to_rgba
from velvet_seam.core.picture.reduced_planes import factor_of, reduced_planes


def spread(plane: np.ndarray, across: bool, down: bool) -> np.ndarray:
    """Chroma for every pixel, in float64: on the left sample of two across, midway between two down."""
    full = plane.astype(np.float64)
    if down:
        above, below = np.vstack([full[:1], full[:-1]]), np.vstack([full[1:], full[-1:]])
        rows = np.empty((2 * len(full), full.shape[1]))
        rows[::2], rows[1::2] = 0.75 * full + 0.25 * above, 0.75 * full + 0.25 * below
        full = rows
    if across:
        after = np.hstack([full[:, 1:], full[:, -1:]])
        columns = np.empty((len(full), 2 * full.shape[1]))
        columns[:, ::2], columns[:, 1::2] = full, (full + after) / 2
        full = columns
    return full


def means(plane: np.ndarray, by: int) -> np.ndarray:
    height, width = plane.shape
    return plane.reshape(height // by, by, width // by, by).mean((1, 3))


@settings(max_examples=60)
@given(
    st.integers(1, 7), st.integers(1, 7), st.sampled_from([2, 4, 6, 8, 10]), st.booleans(), st.booleans(),
    st.sampled_from([np.uint8, np.uint16]), st.integers(0, 5), st.integers(0, 2**32),
)  # fmt: skip
def test_means_of_blocks(wide, tall, by, across, down, kind, beyond, seed):
    rng, width, height = np.random.default_rng(seed), wide * by, tall * by

    def plane(columns: int, rows: int) -> np.ndarray:  # decoders keep longer rows than they show
        return rng.integers(0, 256 if kind is np.uint8 else 1024, (rows, columns + beyond)).astype(
            kind
        )

    small = (width // 2 if across else width, height // 2 if down else height)
    luma, blue, red = plane(width, height), plane(*small), plane(*small)
    got = reduced_planes(luma, blue, red, width, height, by, across, down)
    wanted = [means(luma[:, :width].astype(np.float64), by)]
    wanted += [means(spread(one[:, : small[0]], across, down), by) for one in (blue, red)]
    assert got.shape == (3, tall, wide)
    assert np.abs(got - wanted).max() < 1e-2  # of up to 1023


def frame_of(layout: str, width: int, height: int, transfer: int = 0) -> av.VideoFrame:
    """A soft picture of colours that all can be shown."""
    y, x = np.mgrid[:height, :width].astype(np.float32)
    rgb = np.dstack(
        [0.5 + 0.25 * np.sin(x / 9), 0.5 + 0.2 * np.cos(y / 7), 0.45 + 0.2 * np.sin((x + y) / 11)]
    )
    if transfer:  # wide colours that sRGB has, too
        rgb = 0.5 + 0.15 * (rgb - 0.5)
    made = av.VideoFrame.from_ndarray(np.rint(rgb * 255).astype(np.uint8), format="rgb24")
    frame = VideoReformatter().reformat(made, format=layout, dst_colorspace=1)
    frame.colorspace = 9 if transfer else 1
    if transfer:
        frame.color_trc, frame.color_primaries = transfer, 9
    return frame


@pytest.mark.parametrize("rotation", [0, 90, 180, 270])
@pytest.mark.parametrize(
    ("layout", "by", "transfer"),
    [("yuv420p", 4, 0), ("yuvj420p", 4, 0), ("yuv422p", 4, 0), ("yuv420p10le", 2, 0), ("yuv422p10le", 4, 0),
     ("yuv444p12le", 2, 0), ("yuv420p10le", 4, 18), ("yuv420p10le", 2, 16)],
)  # fmt: skip
def test_a_picture_that_is_asked_for_small_is_the_whole_one_reduced(layout, by, transfer, rotation):
    frame = frame_of(layout, 192, 128, transfer)
    size = (192 // by, 128 // by)[:: 1 if rotation % 180 == 0 else -1]
    small = to_rgba(VideoReformatter(), frame, rotation, size)
    assert small.shape == (size[1], size[0], 4)
    assert (small[..., 3] == 255).all()
    whole = to_rgba(VideoReformatter(), frame, rotation)
    reduced = cv2.resize(whole, size, interpolation=cv2.INTER_AREA)
    assert np.abs(small.astype(int) - reduced).max() <= 2


def test_what_is_cheap_to_convert_is_reduced_only_where_it_is_turned():
    frame = frame_of("yuv420p", 192, 128)
    whole, turned = (
        to_rgba(VideoReformatter(), frame, one, size)
        for one, size in ((0, (96, 64)), (90, (64, 96)))
    )
    assert whole.shape == (128, 192, 4)
    assert turned.shape == (96, 64, 4)
    upright = cv2.rotate(turned, cv2.ROTATE_90_COUNTERCLOCKWISE)
    reduced = cv2.resize(whole, (96, 64), interpolation=cv2.INTER_AREA)
    assert np.abs(upright.astype(int) - reduced).max() <= 2


@pytest.mark.parametrize("size", [(47, 32), (64, 43), (192, 128), (400, 300), (64, 64)])
def test_where_blocks_do_not_fit_it_is_converted_whole(size):
    frame = frame_of("yuv420p", 192, 128)
    assert factor_of(192, 128, size) == 1
    assert (to_rgba(VideoReformatter(), frame, 0, size) == to_rgba(VideoReformatter(), frame)).all()


def test_coverage_is_never_lost():
    frame = frame_of("yuv420p", 192, 128)
    covered = VideoReformatter().reformat(frame, format="yuva420p")
    covered.colorspace = 1
    for n, plane in enumerate(covered.planes):
        np.frombuffer(memoryview(plane), np.uint8)[:] = 90 if n == 3 else 120
    small = to_rgba(VideoReformatter(), covered, 0, (48, 32))
    assert (small[..., 3] == 90).all()
