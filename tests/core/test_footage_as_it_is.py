"""What users have: every codec, rate, shape and range, cut-off files, coverage, HDR."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from av.video.reformatter import ColorRange, Colorspace
from PIL import Image

from tests.clips import coded_clip, coded_picture, read_code
from velvet_seam.core.media.material import Material
from velvet_seam.core.media.probe import Probe, probe
from velvet_seam.core.media.proxy import write_proxy
from velvet_seam.core.media.reader import open_clip
from velvet_seam.core.media.still import read_still
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.problem import Problem
from velvet_seam.core.sound.decode import decode_sound

FAST_VP = {"auto-alt-ref": "0", "cpu-used": "8", "deadline": "realtime", "crf": "10", "b": "0"}
QUIET = {"x265-params": "log-level=none"}
AV1 = {"preset": "8", "crf": "10"}

KINDS = {
    "hevc-10.mp4": {"codec": "libx265", "layout": "yuv420p10le", "options": QUIET},
    "av1-10.mp4": {"codec": "libsvtav1", "layout": "yuv420p10le", "options": AV1},
    "prores.mov": {"codec": "prores_ks", "layout": "yuva444p10le", "options": {"profile": "4444"}},
    "prores-422.mov": {"codec": "prores_ks", "layout": "yuv422p10le", "options": {}},
    "vp9.webm": {"codec": "libvpx-vp9", "layout": "yuva420p", "options": FAST_VP},
    "vp8.webm": {"codec": "libvpx", "layout": "yuva420p", "options": FAST_VP},
    "mpeg2.mpg": {"codec": "mpeg2video", "options": {"b": "2000000"}},
    "mpeg2.ts": {"codec": "mpeg2video", "options": {"b": "2000000"}},
    "h264.ts": {},
    "mpeg4.avi": {"codec": "mpeg4", "options": {}},
    "full.mp4": {"layout": "yuvj420p"},
    "444.mp4": {"layout": "yuv444p"},
    "a.gif": {"codec": "gif", "layout": "rgb8", "rate": Fraction(20), "options": {}},
    "a.apng": {"codec": "apng", "layout": "rgba", "rate": Fraction(20), "options": {}},
    "ffv1.mkv": {"codec": "ffv1", "layout": "bgra", "options": {}},
    "late.mp4": {"times": [*range(31, 91)]},
    "late.mkv": {"times": [*range(31, 91)]},
}
PLAIN = {"mpeg2.mpg", "mpeg2.ts", "h264.ts", "mpeg4.avi", "full.mp4", "late.mp4", "late.mkv"}
CLEAR = {"prores.mov", "vp9.webm", "vp8.webm", "a.apng", "ffv1.mkv"}


def material(path: Path, *, preview: bool) -> Material:
    clip = probe(path)
    proxy = path.with_name("proxy.mp4")
    if preview:
        write_proxy(path, clip, proxy)
    return Material("x", path, clip, preview=preview, proxy=proxy)


@pytest.mark.parametrize("preview", [False, True], ids=["original", "proxy"])
@pytest.mark.parametrize("name", KINDS)
def test_every_frame_of_every_kind_in_any_order(name, preview, tmp_path):
    path = tmp_path / name
    coded_clip(path, 60, **KINDS[name])
    footage = material(path, preview=preview)
    assert footage.probe.frames == 60
    order = [0, 59, 30, *range(28, 60, 3), 12, 11, 10, 58, *range(8)]
    assert [read_code(footage.read(n)) for n in order] == order
    for n in (30, 31):  # as the codec holds it, where a stack takes it so
        held = footage.read_planes(n)
        assert isinstance(held, Planes) == (name in PLAIN and not preview)
        picture = held.rgba() if isinstance(held, Planes) else held
        assert np.array_equal(picture, footage.read(n))
    assert footage.probe.alpha == (name in CLEAR or name == "a.gif")
    assert (footage.read(20)[120, :, 3].max() < 8) == (name in CLEAR)


@pytest.mark.parametrize("preview", [False, True], ids=["original", "proxy"])
@pytest.mark.parametrize("rate", ["24", "25", "30000/1001", "30", "50", "60", "120", "240"])
def test_a_shot_frame_shows_the_source_frame_of_its_time_at_every_rate(rate, preview, tmp_path):
    path, rate = tmp_path / "a.mp4", Fraction(rate)
    coded_clip(path, 240, rate=rate)
    footage = material(path, preview=preview)
    assert (footage.probe.rate, footage.probe.varies) == (rate, False)
    for shot_rate in (Fraction(25), Fraction(30000, 1001)):
        frames = range(0, int(240 / rate * shot_rate), 1 if rate > 60 else 5)
        times = [Fraction(frame) / shot_rate for frame in frames]
        shown = [read_code(footage.read(footage.frame_at(time))) for time in times]
        assert shown == [int(time * rate) for time in times]


def test_animated_webp_goes_by_its_own_times(tmp_path):
    path = tmp_path / "a.webp"
    pages = [Image.fromarray(coded_picture(n)) for n in range(20)]
    shown = [40, 120, 80, 0, *[40] * 16]  # one that claims no time at all is shown for 0.1 s
    pages[0].save(path, save_all=True, append_images=pages[1:], duration=shown, lossless=True)
    clip = probe(path)
    assert (clip.kind, clip.frames, clip.times[:6]) == ("clip", 20, [0, 40, 160, 240, 340, 380])
    assert clip.seconds == pytest.approx(0.98)
    reader = open_clip(path, clip)
    assert [read_code(reader.read(n)) for n in (0, 19, 3, 4, 12)] == [0, 19, 3, 4, 12]


def test_pixels_that_are_not_square_are_seen_as_they_are_meant(tmp_path):
    path = tmp_path / "wide.mp4"
    coded_clip(path, 5, shape=Fraction(4, 3))
    clip = probe(path)
    assert (clip.width, clip.height) == (256, 128)
    write_proxy(path, clip, tmp_path / "proxy.mp4")
    proxied = Material("x", path, clip, preview=True, proxy=tmp_path / "proxy.mp4")
    assert proxied.read(3).shape == (128, 256, 4)
    assert read_code(proxied.read(3)) == 3
    # what is found of it at preview size is found of the same pictures wherever it is asked for
    whole = Material("x", path, clip, preview=False, proxy=tmp_path / "proxy.mp4")
    assert (whole.small.digest, proxied.small.digest) == (proxied.digest, proxied.digest)
    assert np.array_equal(whole.small.read(3), proxied.read(3))
    assert whole.digest != proxied.digest


@pytest.mark.parametrize("name", ["cut.mkv", "cut.ts", "cut.avi"])
def test_a_file_that_breaks_off_gives_what_it_holds_and_says_what_is_missing(name, tmp_path):
    whole, cut = tmp_path / f"whole-{name}", tmp_path / name
    coded_clip(whole, 250, codec="mpeg4" if "avi" in name else "libx264", options={"g": "12"})
    cut.write_bytes(whole.read_bytes()[: int(whole.stat().st_size * 0.6)])
    assert probe(whole).missing == 0
    clip = probe(cut)
    assert 60 < clip.frames < 220
    if name == "cut.mkv":  # the others announce no length, or lost it with their index
        assert clip.missing == pytest.approx((250 - clip.frames) / 25, abs=0.2)
    reader = open_clip(cut, clip)
    assert [read_code(reader.read(n)) for n in (50, 0, 40)] == [50, 0, 40]


def test_sound_that_breaks_off_is_heard_up_to_there(tmp_path):
    whole, cut = tmp_path / "a.flac", tmp_path / "b.flac"
    with av.open(str(whole), "w") as container:
        stream = container.add_stream("flac", rate=48000, layout="stereo")
        noise = np.random.default_rng(1).integers(-9000, 9000, (1, 2 * 48000), dtype=np.int16)
        frame = av.AudioFrame.from_ndarray(noise, format="s16", layout="stereo")
        frame.sample_rate = 48000
        container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    cut.write_bytes(whole.read_bytes()[: whole.stat().st_size // 2])
    got, all_of_it = decode_sound(cut), decode_sound(whole)
    assert 15_000 < len(got) < 30_000
    assert np.array_equal(got[:15_000], all_of_it[:15_000])


@pytest.mark.parametrize(("rate", "layout"), [(8000, "mono"), (44100, "stereo"), (96000, "5.1")])
@pytest.mark.parametrize("name", ["a.wav", "a.mp3", "a.m4a", "a.flac", "a.ogg"])
def test_sounds_of_any_kind_rate_and_channels(name, rate, layout, tmp_path):
    codec = {"a.wav": "pcm_s16le", "a.mp3": "libmp3lame", "a.m4a": "aac", "a.flac": "flac",
             "a.ogg": "libopus"}[name]  # fmt: skip
    if codec == "libmp3lame":
        rate, layout = min(rate, 44100) if rate != 8000 else 16000, "mono"
    if codec == "libopus":
        rate = 48000
    path, seconds = tmp_path / name, 1.0
    channels = {"mono": 1, "stereo": 2, "5.1": 6}[layout]
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate, layout=layout)
        wave = np.sin(np.arange(int(seconds * rate)) / rate * 2 * np.pi * 440) * 0.4
        planes = np.tile(wave.astype(np.float32), (channels, 1))
        for start in range(0, planes.shape[1], 960):
            block = np.ascontiguousarray(planes[:, start : start + 960])
            frame = av.AudioFrame.from_ndarray(block, format="fltp", layout=layout)
            frame.sample_rate, frame.pts = rate, start
            frame.time_base = Fraction(1, rate)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    found = probe(path)
    assert (found.kind, found.sound_channels) == ("sound", channels)
    sound = decode_sound(path)
    assert len(sound) == pytest.approx(48000 * seconds, rel=0.06)
    middle = sound[12000:36000, 0]
    pitch = np.abs(np.fft.rfft(middle * np.hanning(len(middle)))).argmax() * 48000 / len(middle)
    assert pitch == pytest.approx(440, abs=3)
    assert np.abs(middle).max() > 0.25


# Patches of SDR; their R', G' and B' by BT.1886 are put into HDR by the formulas of BT.2100 and
# BT.2408 as printed there: SDR white is 203 cd/m². None is brighter than the knee of the tone curve.
PATCHES = np.array([[180, 140, 120], [60, 60, 60], [20, 24, 30], [90, 160, 70], [40, 70, 150],
                    [150, 40, 40], [170, 170, 170], [0, 0, 0]], float)  # fmt: skip
FROM_709 = np.array([[0.6274, 0.3293, 0.0433], [0.0691, 0.9195, 0.0114], [0.0164, 0.0880, 0.8956]])


def as_pq(light: np.ndarray) -> np.ndarray:
    y = (light / 10000) ** 0.1593017578125
    return ((0.8359375 + 18.8515625 * y) / (1 + 18.6875 * y)) ** 78.84375


def as_hlg(light: np.ndarray) -> np.ndarray:
    shown = light / 1000
    luminance = shown @ [0.2627, 0.6780, 0.0593]
    # the inverse OOTF: E = Fd · Yd^((1 − γ)/γ), with γ = 1.2
    scene = shown * np.maximum(luminance, 1e-9)[..., None] ** (-0.2 / 1.2)
    bright = 0.17883277 * np.log(np.maximum(12 * scene - 0.28466892, 1e-9)) + 0.55991073
    return np.where(scene <= 1 / 12, np.sqrt(3 * scene), bright)


@pytest.mark.parametrize(("trc", "encode", "kind"), [(16, as_pq, "PQ"), (18, as_hlg, "HLG")])
def test_hdr_lies_beside_the_same_colours_in_sdr(trc, encode, kind, tmp_path):
    light = (PATCHES / 255) ** 2.4 @ FROM_709.T * 203
    signal = np.clip(encode(light), 0, 1)
    wide = np.repeat(np.repeat((signal * 65535).round().astype(np.uint16)[None], 64, 0), 32, 1)
    path = tmp_path / "hdr.mp4"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx265", rate=25)
        stream.width, stream.height, stream.pix_fmt = 256, 64, "yuv420p10le"
        stream.options = {"crf": "4", **QUIET}
        context = stream.codec_context
        context.color_trc, context.color_primaries, context.colorspace = trc, 9, 9
        context.color_range = 1
        for number in range(3):
            frame = av.VideoFrame.from_ndarray(wide, format="rgb48le").reformat(
                format="yuv420p10le", dst_colorspace=Colorspace.BT2020,
                dst_color_range=ColorRange.MPEG,
            )  # fmt: skip
            frame.pts, frame.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    clip = probe(path)
    assert clip.hdr == kind
    got = open_clip(path, clip).read(1)[32, 16::32, :3].astype(float)
    assert np.abs(got - PATCHES).max() <= 4
    reduced = open_clip(path, clip).read(1, (128, 32))
    assert reduced.shape == (32, 128, 4)
    assert np.abs(reduced[16, 8::16, :3] - PATCHES).max() <= 5


def test_one_picture_is_a_still_and_several_are_a_clip(tmp_path: Path):
    pages = [Image.new("RGB", (60, 40), (200, 10 * n, 50)) for n in range(3)]
    for name in ("a.gif", "a.webp", "a.png", "a.bmp"):
        pages[0].save(tmp_path / name)
        assert probe(tmp_path / name).kind == "still", name
        assert np.abs(read_still(tmp_path / name)[5, 5, :3] - np.array([200, 0, 50.0])).max() < 8
        if name != "a.bmp":
            pages[0].save(tmp_path / name, save_all=True, append_images=pages[1:], duration=100)
            assert (probe(tmp_path / name).kind, probe(tmp_path / name).frames) == ("clip", 3)


def test_stills_of_every_kind(tmp_path):
    rgb = Image.new("RGB", (60, 40), (200, 100, 50))
    for name, options in {"a.jpg": {"quality": 95}, "a.png": {}, "a.webp": {"lossless": True},
                          "a.tif": {}, "a.avif": {"quality": 95}}.items():  # fmt: skip
        rgb.save(tmp_path / name, **options)
        found = probe(tmp_path / name)
        assert (found.kind, found.width, found.height) == ("still", 60, 40), name
        assert (
            np.abs(read_still(tmp_path / name)[20, 30, :3] - np.array([200, 100, 50.0])).max() < 5
        )
    deep = np.full((40, 60), 128 * 257, np.uint16)
    Image.fromarray(deep).save(tmp_path / "deep.png")
    assert read_still(tmp_path / "deep.png")[0, 0].tolist() == [128, 128, 128, 255]
    Image.new("P", (8, 8)).save(tmp_path / "p.png", transparency=0)
    assert probe(tmp_path / "p.png").alpha
    assert read_still(tmp_path / "p.png")[0, 0, 3] == 0


def test_what_is_too_large_or_absurd_is_refused_in_words(tmp_path):
    bomb = tmp_path / "bomb.png"
    Image.new("1", (20_000, 20_000)).save(bomb)  # some kilobytes that unpack to 1.6 GB
    assert bomb.stat().st_size < 100_000
    with pytest.raises(Problem, match=r"too large|up to 16384"):
        probe(bomb)
    sound = Probe(kind="sound", format="wav", sound_rate=48000, sound_channels=2)
    with pytest.raises(Problem, match="no picture"):
        Material("x", tmp_path / "a.wav", sound, preview=True).read(0)
