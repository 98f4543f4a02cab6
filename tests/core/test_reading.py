"""Reading: the right frame, in any order, from any container; colours as the file means them."""

from __future__ import annotations

import os
import subprocess
import sys
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from av.video.reformatter import Colorspace, Interpolation, VideoReformatter
from PIL import Image

from tests.clips import coded_clip, read_code
from velvet_seam.core.media.clip import ClipReader, to_rgba
from velvet_seam.core.media.material import Material
from velvet_seam.core.media.probe import probe
from velvet_seam.core.media.proxy import ProxyReader, write_proxy
from velvet_seam.core.media.still import read_still
from velvet_seam.core.media.writer import MASTER, ClipWriter, post
from velvet_seam.core.picture.planes import yuv420_to_rgba
from velvet_seam.core.picture.yuv import coefficients, rgba_to_yuv420
from velvet_seam.core.problem import Problem
from velvet_seam.core.sound.decode import decode_sound


def test_any_frame_in_any_order(coded: Path):
    clip = probe(coded)
    assert (clip.frames, clip.rate, clip.varies) == (90, Fraction(25), False)
    reader = ClipReader(coded, clip)
    order = [*range(12), 89, 0, 45, 44, 43, 60, 61, 59, *np.random.default_rng(1).permutation(90)]
    assert [read_code(reader.read(int(n))) for n in order] == order


def test_a_proxy_shows_the_same_frame_under_the_same_number(coded: Path, tmp_path: Path):
    clip = probe(coded)
    seen: list[int] = []
    write_proxy(coded, clip, tmp_path / "proxy.mp4", each=lambda n, _: seen.append(n))
    reader = ProxyReader(tmp_path / "proxy.mp4", clip)
    assert seen == list(range(90))
    assert [read_code(reader.read(n)) for n in (0, 89, 3, 4, 50, 49)] == [0, 89, 3, 4, 50, 49]


@pytest.mark.parametrize(
    ("name", "rate", "codec"),
    [
        ("a.mp4", Fraction(30000, 1001), "libx264"),
        ("a.mkv", Fraction(30), "libx264"),  # keeps milliseconds, so 66.666 becomes 67
        ("a.webm", Fraction(24000, 1001), "libvpx-vp9"),
        ("a.mp4", Fraction(60), "libx264"),
        ("a.mkv", Fraction(60000, 1001), "libx264"),
        ("a.mkv", Fraction(120), "libx264"),  # in milliseconds as long as at 119.88
        ("a.mkv", Fraction(240), "libx264"),
        ("a.mkv", Fraction(30000, 1001), "libx264"),
    ],
)
def test_shot_frames_show_the_source_frame_of_their_time(name, rate, codec, tmp_path):
    """Every shot frame of a 25-a-second shot, from frame codes: not one may be wrong."""
    path = tmp_path / name
    fast = {"cpu-used": "8", "deadline": "realtime"} if "vp9" in codec else None
    coded_clip(path, 75, rate=rate, codec=codec, options=fast)
    clip = probe(path)
    assert clip.rate == rate
    material = Material("x", path, clip, preview=False)
    for shot_frame in range(int(75 / rate * 25)):
        time = Fraction(shot_frame, 25)
        wanted = int(time * rate)  # the last frame that has begun
        assert read_code(material.read(material.frame_at(time))) == wanted, shot_frame


def test_variable_frame_rate_goes_by_presentation_time(tmp_path: Path):
    times = [0, 40, 80, 95, 160, 161, 400, 440]
    path = tmp_path / "varies.mkv"
    coded_clip(path, len(times), times=times, tick=Fraction(1, 1000))
    clip = probe(path)
    assert clip.varies
    material = Material("x", path, clip, preview=False)
    for ms, wanted in (
        (0, 0),
        (39, 0),
        (40, 1),
        (94, 2),
        (95, 3),
        (160, 4),
        (399, 5),
        (439, 6),
        (999, 7),
    ):
        assert read_code(material.read(clip.frame_at(Fraction(ms, 1000)))) == wanted, ms


@pytest.mark.parametrize("colorspace", [1, 5, 9])
@pytest.mark.parametrize("full", [False, True])
def test_planes_become_colours_as_the_library_makes_them(colorspace, full):
    rng = np.random.default_rng(2)
    smooth = np.kron(rng.integers(30, 220, (6, 8, 3)), np.ones((16, 16, 1))).astype(np.uint8)
    frame = av.VideoFrame.from_ndarray(smooth, format="rgb24").reformat(
        format="yuv420p", dst_colorspace=colorspace, dst_color_range=2 if full else 1
    )
    frame.colorspace, frame.color_range = colorspace, 2 if full else 1
    got = to_rgba(VideoReformatter(), frame)[..., :3].astype(int)
    long_way = frame.reformat(
        format="rgb24",
        src_colorspace={1: Colorspace.ITU709, 5: Colorspace.ITU601, 9: Colorspace.BT2020}[
            colorspace
        ],
        src_color_range=2 if full else 1,
        dst_color_range=2,
        interpolation=Interpolation.BICUBIC
        | Interpolation.FULL_CHR_H_INT
        | Interpolation.ACCURATE_RND,
    ).to_ndarray()
    inner = np.abs(got - long_way)[4::16, 4::16]  # away from the jumps, where filters differ
    assert inner.max() <= 2


def test_pictures_become_planes_as_the_library_makes_them():
    rng = np.random.default_rng(4)
    smooth = np.kron(rng.integers(0, 256, (6, 8, 3)), np.ones((16, 16, 1))).astype(np.uint8)
    rgba = np.dstack([smooth, np.full(smooth.shape[:2], 255, np.uint8)])
    planes = [np.zeros((96, 128), np.uint8), *np.zeros((2, 48, 64), np.uint8)]
    rgba_to_yuv420(rgba, *planes)
    frame = av.VideoFrame.from_ndarray(smooth, format="rgb24").reformat(
        format="yuv420p", dst_colorspace=Colorspace.ITU709, dst_color_range=1,
        interpolation=Interpolation.BICUBIC | Interpolation.ACCURATE_RND,
    )  # fmt: skip
    wanted = np.split(frame.to_ndarray().reshape(-1), [96 * 128, 96 * 128 + 48 * 64])
    for got, plane in zip(planes, wanted, strict=True):
        side = 16 if got.shape[0] == 96 else 8  # away from the jumps, where filters differ
        error = got.astype(int) - plane.reshape(got.shape)
        assert np.abs(error[side // 2 :: side, side // 2 :: side]).max() <= 1
    # there and back: chroma lies where it is looked for
    back = yuv420_to_rgba(*planes, 128, 96, coefficients("709", False)).view(np.uint8)
    error = np.abs(back.reshape(96, 128, 4).astype(int) - rgba)
    assert error[8::16, 8::16].max() <= 3
    ramp = np.linspace(0, 255, 128).round().astype(np.uint8)
    slope = np.dstack([np.tile(ramp, (96, 1)), np.tile(255 - ramp, (96, 1)),
                       np.full((96, 128), 90, np.uint8), np.full((96, 128), 255, np.uint8)])  # fmt: skip
    rgba_to_yuv420(slope, *planes)
    back = yuv420_to_rgba(*planes, 128, 96, coefficients("709", False)).view(np.uint8)
    assert np.abs(back.reshape(96, 128, 4).astype(int) - slope)[:, 2:-2].max() <= 3


def test_colours_survive_writing_and_are_tagged(tmp_path: Path):
    path = tmp_path / "colours.mp4"
    patches = np.array([[200, 30, 40], [30, 160, 60], [40, 60, 200], [128, 128, 128],
                        [255, 255, 255], [0, 0, 0]], np.uint8)  # fmt: skip
    picture = np.repeat(np.repeat(patches[None], 64, 0), 32, 1)
    with ClipWriter(path, 192, 64, Fraction(25), post(6)) as writer:
        for _ in range(5):
            writer.add(picture)
        writer.finish()
    with av.open(str(path)) as container:
        context = container.streams.video[0].codec_context
        assert (context.colorspace, context.color_range, context.color_primaries) == (1, 1, 1)
    got = ClipReader(path, probe(path)).read(2)[32, 16::32, :3].astype(int)
    assert np.abs(got - patches).max() <= 4


@pytest.mark.parametrize("encoding", [post(10), MASTER], ids=["4:2:0", "4:2:2, 10 bit"])
@pytest.mark.parametrize("channels", [3, 4])
@pytest.mark.parametrize("axis", [0, 1])
def test_colour_lies_where_light_does_after_writing_and_reading(tmp_path, encoding, channels, axis):
    """An edge of colour alone, drawn between pixels, is found at the same place again."""
    path = tmp_path / f"edge.{encoding.format}"
    along = np.arange(128) - 63.3
    share = (1 / (1 + np.exp(-along / 1.5)))[:, None]
    line = np.rint([[60, 200, 70]] * (1 - share) + [[200, 60, 180]] * share).astype(np.uint8)
    picture = np.repeat(line[None], 128, 0)
    picture = picture.transpose(1, 0, 2) if axis else picture
    if channels == 4:
        picture = np.dstack([picture, np.full((128, 128), 255, np.uint8)])
    with ClipWriter(path, 128, 128, Fraction(25), encoding) as writer:
        for _ in range(3):
            writer.add(np.ascontiguousarray(picture))
        writer.finish()

    def place(shown: np.ndarray) -> float:
        colour = shown[..., 1].astype(float) - shown[..., 0]
        profile = colour.mean(1 if axis else 0)
        part = (profile - profile[-20]) / (profile[20] - profile[-20])
        return float(np.interp(-0.5, -part[20:-20], np.arange(88)))

    assert place(ClipReader(path, probe(path)).read(1)) == pytest.approx(place(picture), abs=0.1)


def test_the_same_pictures_give_the_same_file_whatever_lies_in_memory(tmp_path: Path):
    """In processes of their own, whose fresh memory is filled with different bytes."""
    script = (
        "import sys, numpy as np; from fractions import Fraction; from pathlib import Path\n"
        "from velvet_seam.core.media.writer import ClipWriter, post\n"
        "noise = np.random.default_rng(5).normal(0, 9, (480, 600, 3))\n"
        "ramp = np.linspace(20, 220, 600)[None, :, None]\n"
        "with ClipWriter(Path(sys.argv[1]), 270, 480, Fraction(25), post(20)) as writer:\n"
        "    for n in range(40):\n"
        "        writer.add(np.clip(ramp + noise, 0, 255)[:, 7 * n : 7 * n + 270].astype(np.uint8))\n"
        "    writer.finish()\n"
    )
    files = []
    for fill in ("1", "77", "170", "255"):
        path = tmp_path / f"{fill}.mp4"
        env = {**os.environ, "MALLOC_PERTURB_": fill}
        subprocess.run([sys.executable, "-c", script, str(path)], env=env, check=True)
        files.append(path.read_bytes())
    assert all(file == files[0] for file in files[1:])


def test_an_unfinished_file_leaves_nothing_behind(tmp_path: Path):
    where = tmp_path / "x.mp4"
    with pytest.raises(RuntimeError), ClipWriter(where, 64, 64, Fraction(25), post()) as writer:
        writer.add(np.zeros((64, 64, 3), np.uint8))
        raise RuntimeError
    assert list(tmp_path.iterdir()) == []


def test_stills_keep_coverage_and_stand_upright(tmp_path: Path):
    picture = Image.new("RGBA", (40, 20), (200, 100, 0, 128))
    picture.save(tmp_path / "a.png")
    rgba = read_still(tmp_path / "a.png")
    assert rgba[0, 0].tolist() == [100, 50, 0, 128]
    assert probe(tmp_path / "a.png").alpha
    turned = Image.new("RGB", (40, 20), "red")
    exif = turned.getexif()
    exif[0x0112] = 6
    turned.save(tmp_path / "b.jpg", exif=exif)
    assert (probe(tmp_path / "b.jpg").width, probe(tmp_path / "b.jpg").height) == (20, 40)
    assert read_still(tmp_path / "b.jpg").shape == (40, 20, 4)


def test_clips_with_coverage_keep_it_in_the_proxy(tmp_path: Path):
    path = tmp_path / "alpha.mov"
    rgba = np.zeros((64, 96, 4), np.uint8)
    rgba[:, :48] = (240, 40, 40, 255)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("png", rate=25)
        stream.width, stream.height, stream.pix_fmt = 96, 64, "rgba"
        for _ in range(3):
            container.mux(stream.encode(av.VideoFrame.from_ndarray(rgba, format="rgba")))
        container.mux(stream.encode(None))
    clip = probe(path)
    assert clip.alpha
    write_proxy(path, clip, tmp_path / "proxy.mp4")
    small = ProxyReader(tmp_path / "proxy.mp4", clip).read(1)
    assert small.shape == (64, 96, 4)
    assert small[32, 20, 3] > 250
    assert small[32, 80].max() < 6


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "empty"),
        (b"hello, this is text" * 50, "no picture and no sound"),
        (b"\x89PNG\r\n\x1a\n" + b"\0" * 40, "can(not)? be read"),
        (b"\0\0\0\x20ftypisom" + b"\xff" * 300, "no picture and no sound"),
    ],
)
def test_files_that_are_no_media_are_refused_with_a_sentence(content, says, tmp_path):
    path = tmp_path / "odd.mp4"
    path.write_bytes(content)
    with pytest.raises(Problem, match=says):
        probe(path)


def test_a_picture_has_no_sound(tmp_path: Path):
    Image.new("RGB", (32, 32)).save(tmp_path / "a.png")
    with pytest.raises(Problem, match="no sound"):
        decode_sound(tmp_path / "a.png")
