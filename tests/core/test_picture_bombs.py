"""Small files that would fill the memory: pictures far larger than the file says, or says it can be."""

from __future__ import annotations

import io
import struct
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image

from velvet_seam.core.media.probe import probe
from velvet_seam.core.media.reader import open_clip
from velvet_seam.core.problem import Problem


def test_a_huge_frame_inside_a_small_clip_is_passed_over(tmp_path: Path):
    """The file says 96 × 96; its second picture would take a gigabyte as RGBA."""
    path = tmp_path / "bomb.mov"
    huge = io.BytesIO()
    Image.new("L", (16_000, 16_000), 200).save(huge, "PNG")
    tick = Fraction(1, 25)
    with av.open(str(path), "w", format="mov") as container:
        stream = container.add_stream("png", rate=25)
        stream.width = stream.height = 96
        stream.pix_fmt = "gray"
        for number in range(4):
            if number == 1:
                packet = av.Packet(huge.getvalue())
                packet.stream, packet.pts, packet.dts, packet.time_base = stream, 1, 1, tick
                container.mux(packet)
                continue
            frame = av.VideoFrame.from_ndarray(np.full((96, 96), 90 + number, np.uint8), "gray")
            frame.pts, frame.time_base = number, tick
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    assert path.stat().st_size < 2_000_000
    found = probe(path)
    assert (found.width, found.frames) == (96, 4)
    reader = open_clip(path, found)
    for number in (0, 1, 2, 3):
        picture = reader.read(number)
        assert picture.shape == (96, 96, 4)
    assert abs(int(reader.read(3)[0, 0, 0]) - 93) < 2
    reader.close()


def gif(width: int, height: int) -> bytes:
    """Two pages on a screen of this size."""
    frame = b"\x21\xf9\x04\x04\x0a\x00\x00\x00" + b"\x2c" + struct.pack("<4H", 0, 0, 1, 1)
    frame += b"\x00\x02\x02\x44\x01\x00"
    head = b"GIF89a" + struct.pack("<2H", width, height) + b"\x80\x00\x00" + b"\0\0\0\xff\xff\xff"
    return head + frame + frame + b"\x3b"


@pytest.mark.parametrize(("width", "height"), [(65_535, 65_535), (16_000, 16_000)])
def test_an_animation_that_claims_a_huge_screen_is_refused(tmp_path: Path, width, height):
    path = tmp_path / "bomb.gif"
    path.write_bytes(gif(width, height))
    with pytest.raises(Problem, match=r"pixels|large"):
        probe(path)
    path.write_bytes(gif(64, 48))
    assert probe(path).frames == 2
