"""Frame-accurate reading of a clip: frame n, always the same pixels, in any order."""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from functools import cached_property
from pathlib import Path
from typing import Any

import av
import av.error
import cv2
import numpy as np
from av.video.reformatter import ColorRange, Colorspace, Interpolation, VideoReformatter
from numpy.typing import NDArray

from velvet_seam.core.damage import CLIP_DAMAGE
from velvet_seam.core.media.pictures import WIDE, Pictures
from velvet_seam.core.media.probe import Probe
from velvet_seam.core.media.recent import Recent
from velvet_seam.core.picture.hdr import Transfer, to_sdr
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.picture.premultiply import premultiply
from velvet_seam.core.picture.reduced_planes import factor_of, reduced_planes
from velvet_seam.core.picture.yuv import (
    coefficients,
    planes_to_rgb16,
    rgb16_to_rgba,
)
from velvet_seam.core.problem import Problem

NEAR = 12
"""Reading on is cheaper than seeking when the wanted frame lies at most this far ahead."""

_QUALITY = Interpolation.BICUBIC | Interpolation.FULL_CHR_H_INT | Interpolation.ACCURATE_RND
_TRANSFERS: dict[int, Transfer] = {16: "PQ", 18: "HLG"}
_MATRICES = {1: "709", 5: "601", 6: "601", 9: "2020"}
_SWSCALE = {"709": Colorspace.ITU709, "601": Colorspace.ITU601, "2020": Colorspace.BT2020}
_TURNS = {90: cv2.ROTATE_90_CLOCKWISE, 180: cv2.ROTATE_180, 270: cv2.ROTATE_90_COUNTERCLOCKWISE}


_PLANES = re.compile(r"yuv(a|j)?(420|422|444)p(?:(10|12)le)?")
"""Names of planes of Y', Cb, Cr, with the bits of a sample where they are more than 8."""


def to_rgba(
    reformatter: VideoReformatter, frame: av.VideoFrame, rotation: int = 0,
    size: tuple[int, int] | None = None,
) -> NDArray[np.uint8]:  # fmt: skip
    """The pixels of a frame: (height, width, 4) uint8, display-referred sRGB, premultiplied.

    Honours the file's matrix (where it names none: BT.709 from 720 lines on, else BT.601, as
    players do), its range, its HDR, and the rotation given in degrees clockwise.

    Args:
        size: width and height, as seen, that are enough: what is dear to convert is reduced first.
    """
    transfer, by = transfer_of(frame), _reduced_by(frame, rotation, size)
    if by > 1:
        rgb = _reduced_rgb(frame, by, _matrix_from(frame, transfer))
        return upright(to_sdr(rgb, transfer) if transfer else _packed(rgb), rotation)
    if transfer:
        rgba = to_sdr(_wide_rgb(reformatter, frame, rotation, size), transfer)
        return upright(rgba, rotation)
    planes = planes_of(frame)
    if planes:
        rgba = planes.rgba()
        return upright(rgba, rotation)
    matrix = _matrix_of(frame)
    if layout_of(frame):
        rgba = _deep_to_rgba(frame, matrix)
        return upright(rgba, rotation)
    alpha = any(component.is_alpha for component in frame.format.components)
    converted = reformatter.reformat(
        frame, format="rgba", src_colorspace=_SWSCALE[matrix], interpolation=_QUALITY, threads=1
    )
    rgba = upright(np.ascontiguousarray(converted.to_ndarray(), np.uint8), rotation)
    return premultiply(rgba) if alpha else rgba


def upright(rgba: NDArray[np.uint8], rotation: int) -> NDArray[np.uint8]:
    """A picture (h, w, 4) turned clockwise by a multiple of 90 degrees, in a sixth of the time that copying a turned view takes.

    >>> upright(np.arange(8, dtype=np.uint8).reshape(1, 2, 4), 90)[..., 0].tolist()
    [[0], [4]]
    """
    way = _TURNS.get(rotation % 360)
    return rgba if way is None else np.asarray(cv2.rotate(rgba, way), np.uint8)


def _reduced_by(frame: av.VideoFrame, rotation: int, size: tuple[int, int] | None) -> int:
    """By how much a frame's planes are reduced before they are converted: only where that is dear."""
    layout = layout_of(frame)
    if not size or not layout or len(frame.planes) > 3:
        return 1
    by = factor_of(frame.width, frame.height, size if rotation % 180 == 0 else size[::-1])
    return by if by > 2 or layout[0] > 8 or rotation else 1


def _matrix_of(frame: av.VideoFrame) -> str:
    usual = "709" if min(frame.width, frame.height) >= 540 else "601"
    return _MATRICES.get(int(frame.colorspace), usual)


def planes_of(frame: av.VideoFrame) -> Planes | None:
    """The planes of a frame of the usual 8-bit 4:2:0 of SDR, which borrow its memory; else None."""
    if frame.format.name not in ("yuv420p", "yuvj420p") or transfer_of(frame):
        return None
    k = coefficients(_matrix_of(frame), _is_full(frame))
    luma, blue, red = (_plane(frame, n, 8) for n in range(3))
    return Planes(luma, blue, red, frame.width, frame.height, k)


def transfer_of(frame: av.VideoFrame) -> Transfer | None:
    """How a frame's signal stands for light, where that is not the usual way of SDR."""
    named: Transfer | None = _TRANSFERS.get(int(frame.color_trc))
    return named or WIDE.get(int(frame.color_primaries))


def _matrix_from(frame: av.VideoFrame, transfer: Transfer | None) -> str:
    """The matrix of a frame; all but P3 that is not of the usual SDR comes with BT.2020's."""
    return "2020" if transfer and transfer != "P3" else _matrix_of(frame)


def _wide_rgb(
    reformatter: VideoReformatter, frame: av.VideoFrame, rotation: int, size: tuple[int, int] | None
) -> NDArray[np.uint16]:
    """16 bits a channel, still in the frame's own primaries and transfer."""
    width, height = frame.width, frame.height
    matrix = _matrix_from(frame, transfer_of(frame))
    if size:
        w, h = size if rotation % 180 == 0 else size[::-1]
        width, height = min(width, w), min(height, h)
    if layout_of(frame):
        rgb = _deep_to_rgb(frame, matrix)
        if (width, height) != (frame.width, frame.height):
            rgb = np.asarray(
                cv2.resize(rgb, (width, height), interpolation=cv2.INTER_AREA), np.uint16
            )
        return rgb
    how = Interpolation.AREA if (width, height) != (frame.width, frame.height) else _QUALITY
    converted = reformatter.reformat(
        frame, width, height, format="rgb48le", src_colorspace=_SWSCALE[matrix],
        interpolation=how | Interpolation.ACCURATE_RND, threads=1,
    )  # fmt: skip
    return np.asarray(converted.to_ndarray(), np.uint16)


def layout_of(frame: av.VideoFrame) -> tuple[int, bool, bool] | None:
    """Bits of a sample and whether chroma is halved across and down, where a frame's planes are of a
    kind that is converted here: the general converter puts colour half a pixel aside of light."""
    found = _PLANES.fullmatch(frame.format.name)
    if not found:
        return None
    across, down = {"420": (True, True), "422": (True, False), "444": (False, False)}[found[2]]
    return int(found[3] or 8), across, down


def _is_full(frame: av.VideoFrame) -> bool:
    """Whether a frame uses the full range of its numbers rather than that of video."""
    return "yuvj" in frame.format.name or int(frame.color_range) == int(ColorRange.JPEG)


def _plane(frame: av.VideoFrame, number: int, bits: int) -> NDArray[Any]:
    plane, kind = frame.planes[number], np.dtype(np.uint16 if bits > 8 else np.uint8)
    return np.frombuffer(memoryview(plane), kind).reshape(-1, plane.line_size // kind.itemsize)


def _deep_to_rgb(frame: av.VideoFrame, matrix: str) -> NDArray[np.uint16]:
    layout, full = layout_of(frame), _is_full(frame)
    assert layout is not None
    bits, across, down = layout
    unit = 255 / (2**bits - 1) if full else 2.0 ** (8 - bits)
    planes = [_plane(frame, n, bits) for n in range(3)]
    return np.asarray(
        planes_to_rgb16(
            *planes, frame.width, frame.height, coefficients(matrix, full), across, down,
            np.float32(unit),
        )
    )  # fmt: skip


def _reduced_rgb(frame: av.VideoFrame, by: int, matrix: str) -> NDArray[np.uint16]:
    """A frame's R'G'B' (height / by, width / by, 3) of 16 bits, from means of its planes."""
    bits, across, down = layout_of(frame) or (8, True, True)
    full = _is_full(frame)
    unit = 255 / (2**bits - 1) if full else 2.0 ** (8 - bits)
    planes = (_plane(frame, n, bits) for n in range(3))
    means = reduced_planes(*planes, frame.width, frame.height, by, across, down)
    k = coefficients(matrix, full)
    rgb = planes_to_rgb16(*means, means.shape[2], means.shape[1], k, False, False, np.float32(unit))
    return np.asarray(rgb)


def _packed(rgb: NDArray[np.uint16]) -> NDArray[np.uint8]:
    """Opaque RGBA of 8 bits."""
    pixels = rgb16_to_rgba(rgb, np.empty((0, 0), np.uint16), 1)
    return np.asarray(pixels.view(np.uint8).reshape(*rgb.shape[:2], 4))


def _deep_to_rgba(frame: av.VideoFrame, matrix: str) -> NDArray[np.uint8]:
    """Planes of more bits, less subsampling or with coverage, as (height, width, 4) premultiplied."""
    layout = layout_of(frame)
    bits = layout[0] if layout else 8
    clear: NDArray[Any] = np.empty((0, 0), np.uint16 if bits > 8 else np.uint8)
    alpha = _plane(frame, 3, bits) if len(frame.planes) > 3 else clear
    pixels = rgb16_to_rgba(_deep_to_rgb(frame, matrix), alpha, 2**bits - 1)
    return np.asarray(pixels.view(np.uint8).reshape(frame.height, frame.width, 4))


class ClipReader:
    """Reads frames of one file by number. Not for use from two threads at once."""

    def __init__(self, path: Path, clip: Probe, *, intra: bool = False) -> None:
        self._clip = clip
        self._times = [time + clip.first_pts for time in clip.times]
        self._reformatter = VideoReformatter()
        self._pictures = Pictures(path, intra=intra)
        self._frames: Iterator[av.VideoFrame] = iter(())
        self._next = len(self._times) + 1  # nothing is known yet of where the decoder is
        self._last: tuple[int, av.VideoFrame] | None = None
        self._recent = Recent()

    def is_at(self, number: int) -> bool:
        """Whether a frame is had without a leap."""
        last = self._last is not None and self._last[0] == number
        return last or number in self._recent or self._next <= number <= self._next + NEAR

    def close(self) -> None:
        self._pictures.close()

    def read(self, number: int, size: tuple[int, int] | None = None) -> NDArray[np.uint8]:
        """Frame ``number``, counted from 0: (height, width, 4) uint8 RGBA, premultiplied.

        A frame that cannot be decoded is answered with the nearest one before it, or after it at
        the very start.

        Args:
            size: width and height, as seen, that are enough; the answer may be larger.
        """
        return to_rgba(self._reformatter, self._frame(number), self._clip.rotation, size)

    def read_planes(self, number: int) -> Planes | None:
        """Frame ``number`` as its codec holds it, where that is the picture as it is seen; else None."""
        return None if self._clip.rotation else planes_of(self._frame(number))

    def _frame(self, number: int) -> av.VideoFrame:
        frame = self._find(min(max(number, 0), len(self._times) - 1))
        if frame is None:
            raise Problem("A frame of a clip cannot be decoded; the file may be damaged there.")
        return frame

    def _find(self, number: int) -> av.VideoFrame | None:
        if self._last and self._last[0] == number:
            return self._last[1]
        found = self._recent.asked(number, self._last[0] if self._last else None)
        if found is None and self._leads_to(number):
            found = self._read_on(number)
        for back in (0.0, 2.0, 10.0, None):
            if found is not None:
                break
            found = self._jump(number, back)
        if found is not None:
            self._last = (number, found)
        return found

    def _leads_to(self, number: int) -> bool:
        """Whether reading on is cheaper than a leap, which goes back to the last picture that is whole."""
        if not self._next <= number < len(self._times):
            return False
        whole = bisect_right(self.wholes, number) - 1
        return number <= self._next + NEAR or (whole >= 0 and self.wholes[whole] < self._next)

    @cached_property
    def wholes(self) -> list[int]:
        """Numbers of the frames that a leap leads to, rising; none where the file does not say."""
        said = self._pictures.whole_times(len(self._times))
        places = [bisect_left(self._times, one) for one in said]
        if any(
            n >= len(self._times) or self._times[n] != t for n, t in zip(places, said, strict=True)
        ):
            return []
        return sorted(places)

    def _jump(self, number: int, back: float | None) -> av.VideoFrame | None:
        """The frame, read from some seconds before it or from the start on."""
        self._recent.leapt()
        try:
            if back is None:
                self._frames = self._pictures.from_start()
            else:
                begin = self._times[number] - self._pictures.ticks(back)
                if back and begin < self._times[0]:
                    return None
                self._frames = self._pictures.from_before(begin)
        except CLIP_DAMAGE:
            return None
        return self._read_on(number, at_any_cost=back is None)

    def _read_on(self, number: int, *, at_any_cost: bool = False) -> av.VideoFrame | None:
        """Decode up to a frame; None where the decoder turns out to be past it."""
        wanted = self._times[number]
        before: av.VideoFrame | None = None
        try:
            for frame in self._frames:
                if frame.pts is None:
                    continue
                place = bisect_left(self._times, frame.pts)
                self._next = place + 1
                if place < len(self._times) and self._times[place] == frame.pts:
                    self._recent.keep(place, frame)
                if frame.pts > wanted:
                    return before or (frame if at_any_cost else None)
                before = frame
                if frame.pts == wanted:
                    return frame
        except CLIP_DAMAGE:
            pass
        self._next = len(self._times) + 1
        return before
