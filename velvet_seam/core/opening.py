"""Opening a file from outside: only kinds of files that hold media by themselves, only from this disk.

A playlist, or a list of files to join, is a text that names other files and addresses, which the library would
open in its turn. None of these formats is among those that may be opened, and no protocol but that of files.
"""

from __future__ import annotations

from pathlib import Path

import av

FORMATS = (
    "mov,mp4,m4a,3gp,3g2,mj2", "matroska,webm", "avi", "mpegts", "mpeg", "mpegvideo", "h264", "hevc", "m4v",
    "av1", "obu", "ivf", "flv", "ogg", "wav", "w64", "aiff", "au", "caf", "flac", "mp3", "aac", "ac3", "eac3",
    "amr", "dts", "wv", "ape", "gif", "apng", "mxf", "asf", "dv", "y4m", "yuv4mpegpipe", "nut", "rm"
)  # fmt: skip
"""Demuxers, by the names they have in the library; each of a list of names belongs to the same one."""

_OPTIONS = {
    "protocol_whitelist": "file",
    "format_whitelist": ",".join(FORMATS),
}


def open_file(path: Path) -> av.container.InputContainer:
    """A file from outside, for reading."""
    return av.open(str(path), metadata_errors="ignore", options=_OPTIONS)
