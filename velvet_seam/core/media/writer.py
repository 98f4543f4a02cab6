"""Writing a clip: H.264 and AAC in MP4, tagged so that readers get the same colours back."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from types import TracebackType

import av
import av.error
import numpy as np
from av.video.reformatter import ColorRange, Colorspace, Interpolation, VideoReformatter
from numpy.typing import NDArray

from velvet_seam.core.problem import Problem
from velvet_seam.core.timing.rate import SOUND_RATE

_BT709 = 1
_SRGB_AS_709 = 1


class Mp4Writer:
    """Writes pictures, and a sound that is known from the start, to one MP4 file.

    The file is written beside its place as ``name.part`` and gets its name in :meth:`finish`;
    leaving the context without finishing removes it.
    """

    def __init__(
        self, path: Path, width: int, height: int, rate: Fraction, *, quality: int = 18,
        speed: str = "veryfast", intra: bool = False, threads: int = 0,
    ) -> None:  # fmt: skip
        """``quality`` is x264's constant rate factor: 0 is lossless, 18 looks it, 51 is worst."""
        self._path = path
        self._part = path.with_name(path.name + ".part")
        self._container = av.open(
            str(self._part), "w", format="mp4", options={"movflags": "+faststart+write_colr"}
        )
        stream = self._container.add_stream("libx264", rate=rate)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        self._tick = 1 / rate  # the muxer gives the stream a tick of its own
        stream.time_base = self._tick
        options: dict[str, object] = {"crf": str(quality), "preset": speed, "threads": str(threads)}
        if intra:
            options |= {"g": "1", "bf": "0", "tune": "fastdecode"}
        stream.options = options
        context = stream.codec_context
        context.colorspace, context.color_range = _BT709, int(ColorRange.MPEG)
        context.color_primaries = context.color_trc = _SRGB_AS_709
        self._stream = stream
        self._reformatter = VideoReformatter()
        self._count = 0
        self._finished = False

    def add(self, picture: NDArray[np.uint8]) -> None:
        """The next picture: (height, width, 3) RGB or (…, 4) opaque RGBA, uint8."""
        layout = "rgb24" if picture.shape[2] == 3 else "rgba"
        frame = av.VideoFrame.from_ndarray(picture, format=layout)
        yuv = self._reformatter.reformat(
            frame,
            format="yuv420p",
            dst_colorspace=Colorspace.ITU709,
            dst_color_range=ColorRange.MPEG,
            interpolation=Interpolation.BICUBIC | Interpolation.ACCURATE_RND,
            threads=1,
        )
        yuv.pts, yuv.time_base = self._count, self._tick
        self._count += 1
        for packet in self._stream.encode(yuv):
            self._container.mux(packet)

    def add_sound_stream(self) -> None:
        """Announce the sound; before the first picture."""
        self._sound = self._container.add_stream("aac", rate=SOUND_RATE, layout="stereo")
        self._sound.bit_rate = 192_000

    def add_sound(self, sound: NDArray[np.float32]) -> None:
        """The whole sound: (samples, 2) float32 at 48 kHz."""
        planes = np.ascontiguousarray(sound.T)
        for start in range(0, planes.shape[1], 1024):
            block = np.ascontiguousarray(planes[:, start : start + 1024])
            frame = av.AudioFrame.from_ndarray(block, format="fltp", layout="stereo")
            frame.sample_rate, frame.pts = SOUND_RATE, start
            frame.time_base = Fraction(1, SOUND_RATE)
            for packet in self._sound.encode(frame):
                self._container.mux(packet)
        for packet in self._sound.encode(None):
            self._container.mux(packet)

    def finish(self) -> None:
        """Write what is left and give the file its name."""
        for packet in self._stream.encode(None):
            self._container.mux(packet)
        self._container.close()
        self._part.replace(self._path)
        self._finished = True

    def __enter__(self) -> Mp4Writer:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:  # fmt: skip
        if not self._finished:
            self._container.close()
            self._part.unlink(missing_ok=True)
        if isinstance(error, av.error.FFmpegError | OSError):
            raise Problem(f"The file could not be written: {error.strerror}.") from error
