"""Writing a clip, tagged so that readers get the same colours back; and joining clips to one file."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from types import TracebackType

import av
import av.error
import cv2
import numpy as np
from av.video.reformatter import ColorRange
from numpy.typing import NDArray

from velvet_seam.core.picture.yuv import rgba_to_yuv420, rgba_to_yuv422p10
from velvet_seam.core.problem import Problem
from velvet_seam.core.timing.rate import SOUND_RATE

_BT709 = 1
_SRGB_AS_709 = 1
_SOUND_BLOCK = 1024
_AVX_512F = 13  # the number OpenCV has for it


@dataclass(frozen=True)
class Encoding:
    """A container format with its options, and the codecs of pictures and of sound in it."""

    format: str
    codec: str
    layout: str
    options: dict[str, str]
    sound: str

    def container(self, path: Path) -> av.container.OutputContainer:
        flags = {"movflags": "+faststart+write_colr"} if self.format in ("mp4", "mov") else {}
        return av.open(str(path), "w", format=self.format, options=flags)


def post(
    factor: int = 18, *, speed: str = "veryfast", intra: bool = False, threads: int = 0
) -> Encoding:
    """H.264 and AAC in MP4. ``factor``: x264's rate factor; 0 is lossless, 18 looks it, 51 is worst."""
    options = {"crf": str(factor), "preset": speed, "threads": str(threads)}
    if cv2.checkHardwareSupport(_AVX_512F):
        # x264's code for AVX-512 reads memory that it has not written when it looks ahead, and the
        # same pictures then give another file each time; measured, and gone with the code for AVX2
        options["x264-params"] = "asm=AVX2"
    if intra:
        options |= {"g": "1", "bf": "0", "tune": "fastdecode"}
    return Encoding("mp4", "libx264", "yuv420p", options, "aac")


MASTER = Encoding(
    "mov", "prores_ks", "yuv422p10le", {"profile": "hq", "vendor": "apl0"}, "pcm_s16le"
)


BAKED = Encoding("matroska", "ffv1", "bgra", {"level": "3", "slices": "4", "g": "1"}, "pcm_s16le")
"""Without loss, and with coverage."""


class ClipWriter:
    """Writes pictures to one file, with a sound for all of it where one is given: (samples, 2) float32 at 48 kHz.

    The file is written beside its place as ``name.part`` and gets its name in :meth:`finish`;
    leaving the context without finishing removes it.
    """

    def __init__(
        self, path: Path, width: int, height: int, rate: Fraction, encoding: Encoding,
        sound: NDArray[np.float32] | None = None,
    ) -> None:  # fmt: skip
        self._path = path
        self._part = path.with_name(path.name + ".part")
        self._encoding = encoding
        self._container = encoding.container(self._part)
        stream = self._container.add_stream(encoding.codec, rate=rate)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = width, height, encoding.layout
        self._tick = 1 / rate  # the muxer gives the stream a tick of its own
        stream.time_base = self._tick
        stream.options = dict(encoding.options)
        context = stream.codec_context
        if encoding.layout != "bgra":  # which is in no need of a matrix
            context.colorspace, context.color_range = _BT709, int(ColorRange.MPEG)
        context.color_primaries = context.color_trc = _SRGB_AS_709
        self._stream = stream
        self._heard = _Sound(self._container, encoding.sound, sound) if sound is not None else None
        self._count = 0
        self._finished = False

    def add(self, picture: NDArray[np.uint8]) -> None:
        """The next picture: (height, width, 3) RGB or (…, 4) opaque RGBA, uint8, whose coverage is kept where the layout has it; or, two-dimensional,
        the planes of a 4:2:0 frame, (height · 3/2, width)."""
        if picture.ndim == 2:
            self.add_frame(_planes420(picture))
            return
        if picture.shape[2] == 3:
            picture = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2RGBA), np.uint8)
        self.add_frame(_FRAMES[self._encoding.layout](picture))

    def add_frame(self, frame: av.VideoFrame) -> None:
        """The next picture, in the layout of the encoding."""
        frame.pts, frame.time_base = self._count, self._tick
        if self._heard:
            self._heard.write_up_to(self._count * self._tick)
        self._count += 1
        for packet in self._stream.encode(frame):
            self._container.mux(packet)

    def finish(self) -> None:
        """Write what is left and give the file its name."""
        for packet in self._stream.encode(None):
            self._container.mux(packet)
        if self._heard:
            self._heard.write_up_to(None)
        self._container.close()
        self._part.replace(self._path)
        self._finished = True

    def __enter__(self) -> ClipWriter:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:  # fmt: skip
        if not self._finished:
            # the disk that refused the pictures refuses the end of the file, too
            with contextlib.suppress(av.error.FFmpegError, OSError):
                self._container.close()
            self._part.unlink(missing_ok=True)
        if isinstance(error, av.error.FFmpegError | OSError):
            raise Problem(f"The file could not be written: {error.strerror}.") from error


def _yuv420(picture: NDArray[np.uint8]) -> av.VideoFrame:
    """An opaque picture as a frame for the encoder: without a detour, three times as fast."""
    height, width = picture.shape[:2]
    frame = av.VideoFrame(width, height, "yuv420p")
    luma, blue, red = (
        np.frombuffer(memoryview(plane), np.uint8).reshape(-1, plane.line_size)
        for plane in frame.planes
    )
    rgba_to_yuv420(picture, luma, blue, red)
    frame.colorspace, frame.color_range = _BT709, int(ColorRange.MPEG)
    return frame


def _planes420(planes: NDArray[np.uint8]) -> av.VideoFrame:
    """Planes that lie one after the other as a frame of their own.

    They are copied row by row: a frame that borrows such an array takes it for one whose height is a
    multiple of four, and finds its colour in the wrong place where it is not.
    """
    height, width = planes.shape[0] // 3 * 2, planes.shape[1]
    frame = av.VideoFrame(width, height, "yuv420p")
    parts = np.split(planes.reshape(-1), [height * width, height * width // 4 * 5])
    for plane, part in zip(frame.planes, parts, strict=True):
        rows = np.frombuffer(memoryview(plane), np.uint8).reshape(-1, plane.line_size)
        rows[: plane.height, : plane.width] = part.reshape(plane.height, plane.width)
    frame.colorspace, frame.color_range = _BT709, int(ColorRange.MPEG)
    return frame


def _yuv422p10(picture: NDArray[np.uint8]) -> av.VideoFrame:
    """The same in 10 bits, with colour on every line."""
    height, width = picture.shape[:2]
    frame = av.VideoFrame(width, height, "yuv422p10le")
    luma, blue, red = (
        np.frombuffer(memoryview(plane), np.uint16).reshape(-1, plane.line_size // 2)
        for plane in frame.planes
    )
    rgba_to_yuv422p10(picture, luma, blue, red)
    frame.colorspace, frame.color_range = _BT709, int(ColorRange.MPEG)
    return frame


def _bgra(picture: NDArray[np.uint8]) -> av.VideoFrame:
    """A premultiplied picture with its coverage, which files hold beside colours that are not multiplied by it."""
    covered = picture[..., 3:].astype(np.uint32)
    colour = (picture[..., :3] * np.uint32(255) + covered // 2) // np.maximum(covered, 1)
    straight = np.concatenate([np.minimum(colour, 255), covered], -1).astype(np.uint8)
    return av.VideoFrame.from_ndarray(straight, format="rgba").reformat(format="bgra")


_FRAMES = {"bgra": _bgra, "yuv420p": _yuv420, "yuv422p10le": _yuv422p10}
"""From an opaque picture to a frame, by the layout of the encoding."""


def join(
    parts: Sequence[Path], path: Path, rate: Fraction, encoding: Encoding,
    sound: NDArray[np.float32] | None, check: Callable[[], None] = lambda: None,
) -> None:  # fmt: skip
    """Put clips of one encoding one after the other, with a sound, without encoding them again.

    Args:
        sound: (samples, 2) float32 at 48 kHz for the whole length, or None.
        check: called after every part; what it raises ends the joining and leaves no file behind.
    """
    unfinished = path.with_name(path.name + ".part")
    try:
        with encoding.container(unfinished) as container:
            with av.open(str(parts[0])) as first:
                pictures = container.add_stream_from_template(first.streams.video[0])
            heard = _Sound(container, encoding.sound, sound) if sound is not None else None
            begin, ahead = 0, None
            for part in parts:
                with av.open(str(part)) as source:
                    stream = source.streams.video[0]
                    tick, count = stream.time_base or 1 / rate, 0
                    for packet in source.demux(stream):
                        if not packet.size or packet.pts is None or packet.dts is None:
                            continue
                        if ahead is None:
                            ahead = round(-packet.dts * tick * rate)
                        packet.pts = begin + round(packet.pts * tick * rate)
                        # a part of a few frames needs less time ahead than the others, and gets as much: where the
                        # step to it is longer, the clip is taken for one of another rate
                        packet.dts = begin + count - ahead
                        packet.time_base, packet.duration = 1 / rate, 1
                        packet.stream = pictures
                        if heard:
                            heard.write_up_to(Fraction(begin + count) / rate)
                        container.mux(packet)
                        count += 1
                begin += count
                check()
            if heard:
                heard.write_up_to(None)
        unfinished.replace(path)
    except (av.error.FFmpegError, OSError) as error:
        raise Problem(f"The file could not be written: {error.strerror}.") from error
    finally:
        unfinished.unlink(missing_ok=True)


class _Sound:
    """A sound stream, written alongside the pictures, so that a player need not look far for it."""

    def __init__(
        self, container: av.container.OutputContainer, codec: str, sound: NDArray[np.float32]
    ) -> None:
        self._container, self._planes = container, np.ascontiguousarray(sound.T)
        stream = container.add_stream(codec, rate=SOUND_RATE, layout="stereo")
        assert isinstance(stream, av.AudioStream)
        self._stream = stream
        if codec == "aac":
            self._stream.bit_rate = 192_000
        self._done = 0

    def write_up_to(self, time: Fraction | None) -> None:
        """Blocks that begin before a time; all that is left, and the end, where it is None."""
        last = self._planes.shape[1] if time is None else int(time * SOUND_RATE)
        while self._done < min(last, self._planes.shape[1]):
            block = np.ascontiguousarray(self._planes[:, self._done : self._done + _SOUND_BLOCK])
            frame = av.AudioFrame.from_ndarray(block, format="fltp", layout="stereo")
            frame.sample_rate, frame.pts = SOUND_RATE, self._done
            frame.time_base = Fraction(1, SOUND_RATE)
            self._done += block.shape[1]
            for packet in self._stream.encode(frame):
                self._container.mux(packet)
        if time is None:
            for packet in self._stream.encode(None):
                self._container.mux(packet)
