"""The pictures of a file in their order, from any place on."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Literal

import av

from velvet_seam.core.damage import CLIP_DAMAGE
from velvet_seam.core.media.size import MAX_PIXELS
from velvet_seam.core.opening import open_file
from velvet_seam.core.problem import Problem

NO_PLACES = {"mpeg", "mpegvideo", "h264", "hevc", "m4v", "ivf", "obu"}
"""Formats without an index in which the times after a jump are guesses; they are read from the
start each time (MPEG programme streams and bare streams)."""

WIDE: dict[int, Literal["2020", "P3"]] = {9: "2020", 12: "P3"}
"""The primaries that hold more colours than those of SDR, by the number that a file gives them (ITU-T H.273)."""

_BOUNDS = {"max_pixels": str(MAX_PIXELS)}


class Pictures:
    """Decodes a file's first picture stream; every picture has its presentation time as ``pts``."""

    def __init__(self, path: Path, *, intra: bool = False) -> None:
        self._path, self._intra = path, intra
        self._open()

    def _open(self) -> None:
        try:
            self._container = open_file(self._path)
            self._stream = picture_streams(self._container)[0]
            self._stream.thread_type = "SLICE" if self._intra else "AUTO"
            self._decoder = decoder_with_coverage(self._stream)
        except CLIP_DAMAGE:
            raise Problem("A clip can no longer be opened.") from None

    def close(self) -> None:
        self._container.close()

    def from_start(self) -> Iterator[av.VideoFrame]:
        """All pictures. Opens the file again: not every kind of file can be rewound."""
        self._container.close()
        self._open()
        return self._frames()

    def from_before(self, pts: int) -> Iterator[av.VideoFrame]:
        """Pictures from some place before a time on, as near to it as the file allows, or, in files
        without an index, from a place after it or from none at all."""
        if self._container.format.name in NO_PLACES:
            return self.from_start()
        self._container.seek(pts, stream=self._stream, backward=True)
        if self._decoder is not None:
            self._decoder.flush_buffers()
        return self._frames()

    def ticks(self, seconds: float) -> int:
        """A duration in the ticks of ``pts``."""
        return round(seconds / self._stream.time_base) if self._stream.time_base else 0

    def whole_times(self, pictures: int) -> list[int]:
        """The times of all pictures that are whole, as the file's index has them; none where it does not have all of so many
        ``pictures``, since some are known only once they were met. It has the times of decoding, which lie as much
        earlier as the first picture's does."""
        entries = self._stream.index_entries
        if len(entries) < pictures or self._stream.start_time is None:
            return []
        later = self._stream.start_time - entries[0].timestamp
        return [one.timestamp + later for one in entries if one.is_keyframe]

    def _frames(self) -> Iterator[av.VideoFrame]:
        if self._decoder is None:
            yield from self._container.decode(self._stream)
            return
        for packet in self._container.demux(self._stream):
            yield from self._decoder.decode(packet if packet.size else None)


def picture_streams(container: av.container.InputContainer) -> list[av.VideoStream]:
    """The streams of pictures that can be decoded; the cover of a sound file is none.

    A picture larger than can be worked with counts as damaged, whatever the file says of its size.
    """
    found = [
        stream
        for stream in container.streams.video
        if stream.codec_context is not None
        and not stream.disposition & av.stream.Disposition.attached_pic
    ]
    for stream in found:
        stream.codec_context.options = dict(_BOUNDS)
    return found


def decoder_with_coverage(stream: av.VideoStream) -> av.VideoCodecContext | None:
    """A decoder of its own for a stream whose coverage the usual one leaves out, else None.

    VP8 and VP9 hold coverage as a second picture beside the first; only their own library reads it.
    """
    name = {"vp8": "libvpx", "vp9": "libvpx-vp9"}.get(stream.codec_context.name)
    if name is None or stream.metadata.get("alpha_mode") != "1":
        return None
    decoder = av.CodecContext.create(name, "r")
    assert isinstance(decoder, av.VideoCodecContext)
    decoder.options = dict(_BOUNDS)
    return decoder
