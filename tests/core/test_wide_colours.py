"""Stills and clips that count in more colours than sRGB has: what they show is what they were made of."""

from __future__ import annotations

import struct
from pathlib import Path

import av
import numpy as np
import pytest
from av.video.reformatter import ColorRange, Colorspace
from PIL import Image, ImageCms

from velvet_seam.core.media.probe import probe
from velvet_seam.core.media.proxy import ProxyReader, write_proxy
from velvet_seam.core.media.reader import open_clip
from velvet_seam.core.media.still import read_still
from velvet_seam.work.picture_files import write_poster

PATCHES = np.array([[180, 140, 120], [60, 60, 60], [20, 24, 30], [90, 160, 70], [40, 70, 150],
                    [150, 40, 40], [170, 170, 170], [0, 0, 0]], float)  # fmt: skip


def xyz_of(*primaries: tuple[float, float]) -> np.ndarray:
    """Linear R, G, B with some primaries, and the white of D65, to X, Y, Z."""
    columns = np.array([[x / y, 1, (1 - x - y) / y] for x, y in primaries]).T
    return columns * np.linalg.solve(columns, [0.3127 / 0.3290, 1, 0.3583 / 0.3290])


P3 = xyz_of((0.680, 0.320), (0.265, 0.690), (0.150, 0.060))
P3_FROM_709 = np.linalg.solve(P3, xyz_of((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)))


def srgb_of(light: np.ndarray) -> np.ndarray:
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)


def in_p3(gamma: float) -> np.ndarray:
    """The patches as P3 counts them: (n, 3) uint8."""
    light = (PATCHES / 255) ** gamma @ P3_FROM_709.T
    return (255 * light ** (1 / gamma)).round().astype(np.uint8)


def p3_clip(path: Path, pixels: str, size: int) -> Path:
    """One frame of the patches, in P3."""
    wide = np.repeat(np.repeat(in_p3(2.4)[None], size, 0), 32, 1)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=25, options={"crf": "2"})
        stream.width, stream.height, stream.pix_fmt = wide.shape[1], size, pixels
        context = stream.codec_context
        context.color_trc, context.color_primaries, context.colorspace = 1, 12, 1
        context.color_range = 1
        frame = av.VideoFrame.from_ndarray(wide, format="rgb24").reformat(
            format=pixels, dst_colorspace=Colorspace.ITU709, dst_color_range=ColorRange.MPEG
        )
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


@pytest.mark.parametrize(
    ("pixels", "size"), [("yuv420p", 64), ("yuv444p", 64), ("yuv420p10le", 64), ("yuv420p", 640)]
)
def test_a_clip_in_p3_has_the_colours_it_was_made_of(pixels: str, size: int, tmp_path: Path):
    path = p3_clip(tmp_path / "p3.mp4", pixels, size)
    clip = probe(path)
    for got in (
        open_clip(path, clip).read(0),
        open_clip(path, clip).read(0, (16 * len(PATCHES), size // 2)),
    ):
        step = got.shape[1] // len(PATCHES)
        seen = got[got.shape[0] // 2, step // 2 :: step, :3].astype(float)
        assert np.abs(seen - PATCHES).max() <= 5


def test_a_proxy_and_a_poster_have_them_too(tmp_path: Path):
    path = p3_clip(tmp_path / "p3.mp4", "yuv420p", 64)
    clip = probe(path)
    write_proxy(path, clip, tmp_path / "proxy.mp4")
    write_poster(path, clip, tmp_path / "poster.jpg")
    poster = read_still(tmp_path / "poster.jpg")
    for got in (ProxyReader(tmp_path / "proxy.mp4", clip).read(0), poster):
        step = got.shape[1] // len(PATCHES)
        seen = got[got.shape[0] // 2, step // 2 :: step, :3].astype(float)
        assert np.abs(seen - PATCHES).max() <= 6


def icc_profile(matrix: np.ndarray) -> bytes:
    """A profile of a display with a gamma of 2.2 and some primaries (ICC.1, version 2.4)."""
    to_d50 = np.array([[1.0478, 0.0229, -0.0501], [0.0295, 0.9905, -0.0171], [-0.0092, 0.0151, 0.7517]])  # fmt: skip

    def fixed(values: np.ndarray) -> bytes:
        return b"".join(struct.pack(">i", round(float(v) * 65536)) for v in values)

    xyz = (to_d50 @ matrix).T
    parts = [
        (b"desc", b"desc" + struct.pack(">II", 0, 5) + b"wide\0" + bytes(78)),
        (b"wtpt", b"XYZ " + bytes(4) + fixed(np.array([0.9642, 1, 0.8249]))),
        *((name, b"XYZ " + bytes(4) + fixed(one)) for name, one in zip((b"rXYZ", b"gXYZ", b"bXYZ"), xyz, strict=True)),
        *((name, b"curv" + struct.pack(">IIH", 0, 1, round(2.2 * 256)) + bytes(2)) for name in (b"rTRC", b"gTRC", b"bTRC")),
    ]  # fmt: skip
    at, tags, body = 128 + 4 + 12 * len(parts), struct.pack(">I", len(parts)), b""
    for name, data in parts:
        tags += struct.pack(">4sII", name, at + len(body), len(data))
        body += data + bytes(-len(data) % 4)
    head = struct.pack(
        ">I4sI4s4s4s", at + len(body), bytes(4), 0x02400000, b"mntr", b"RGB ", b"XYZ "
    )
    head += bytes(12) + b"acsp" + bytes(28) + fixed(np.array([0.9642, 1, 0.8249]))
    return head.ljust(128, b"\0") + tags + body


def test_a_still_with_a_profile_has_the_colours_it_was_made_of(tmp_path: Path):
    wide = np.repeat(np.repeat(in_p3(2.2)[None], 16, 0), 8, 1)
    picture, profile = Image.fromarray(wide), icc_profile(P3)
    seen_as = 255 * srgb_of((PATCHES / 255) ** 2.2)
    half = Image.new("L", picture.size, 128)
    clear = picture.copy()
    clear.putalpha(half)
    for name, one in (("a.png", picture), ("b.jpg", picture), ("c.tif", picture), ("d.png", clear)):
        one.save(tmp_path / name, icc_profile=profile, quality=98)
        got = read_still(tmp_path / name)[8, 4::8].astype(float)
        assert np.abs(got[:, :3] * 255 / got[:, 3:] - seen_as).max() <= 4, name
    assert got[0, 3] == 128
    # what says the same as is taken for granted, and what cannot be read, changes no bit
    srgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    for said in (srgb, b"no profile at all", profile[:150], b""):
        picture.save(tmp_path / "e.png", icc_profile=said)
        assert (read_still(tmp_path / "e.png")[..., :3] == wide).all()
    # a profile of another kind of picture says nothing of this one
    picture.convert("L").save(tmp_path / "f.png", icc_profile=profile)
    assert (read_still(tmp_path / "f.png")[..., 0] == np.asarray(picture.convert("L"))).all()
