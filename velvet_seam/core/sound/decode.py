"""Sound out of any file, as 48 kHz stereo."""

from __future__ import annotations

import io
import itertools
import os
from collections.abc import Iterator
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.damage import CLIP_DAMAGE
from velvet_seam.core.opening import open_file
from velvet_seam.core.problem import Problem
from velvet_seam.core.timing.rate import SOUND_RATE

Sound = NDArray[np.float32]
"""(samples, 2), left and right, full scale at ±1, :data:`SOUND_RATE` samples a second."""

MAX_SECONDS = 3 * 3600
FARTHEST = 60.0
"""Seconds."""

MOST_BROKEN = 1000
"""Pieces of a stream one after the other that do not decode: what comes after so many is not waited for."""


def decode_sound(path: Path) -> Sound:
    """The first sound stream of a file, resampled to 48 kHz stereo, in one piece; see :func:`sound_blocks`."""
    return np.concatenate(list(sound_blocks(path)))


def write_sound(path: Path, to: Path) -> None:
    """The same as a ``.npy`` file, which need not be read as a whole; written whole or not at all."""
    part = to.with_name(f"{to.name}.{os.getpid()}.part")
    try:
        with part.open("wb") as file:
            count, head = 0, _npy_head(0)
            file.write(head)
            for block in sound_blocks(path):
                file.write(np.ascontiguousarray(block, "<f4").tobytes())
                count += len(block)
            file.seek(0)
            file.write(_npy_head(count))
        part.replace(to)
    finally:
        part.unlink(missing_ok=True)


def _npy_head(count: int) -> bytes:
    """The head of a NumPy file of so many samples; always of one length, for it is filled up with spaces."""
    data = io.BytesIO()
    form = {"descr": "<f4", "fortran_order": False, "shape": (count, 2)}
    np.lib.format.write_array_header_1_0(data, form)
    head = data.getvalue()
    assert len(head) == 128
    return head


def sound_blocks(path: Path) -> Iterator[Sound]:
    """The first sound stream of a file, resampled to 48 kHz stereo, block by block.

    Sample 0 lies at the time of the file's first picture (of its first sound where it has no
    pictures): a stream that starts later is padded with silence, one that starts earlier is cut. A start that
    is claimed to lie further away than :data:`FARTHEST` is not believed.

    Raises:
        Problem: the file has no sound that can be decoded.
    """
    lead, total = None, 0
    for begin, block in _resampled(path):
        if lead is None:
            lead = round(begin * SOUND_RATE) if abs(begin) <= FARTHEST else 0
            if lead > 0:
                yield np.zeros((lead, 2), np.float32)
        skip = min(max(-lead, 0), len(block))
        lead += skip
        total += len(block)
        if total > MAX_SECONDS * SOUND_RATE:
            raise Problem("This sound is longer than three hours.")
        if skip < len(block):
            yield block[skip:]
    if lead is None:
        raise Problem("This file has no sound that can be decoded.")
    if lead < 0:  # all of it lay before the first picture
        yield np.zeros((1, 2), np.float32)


def _resampled(path: Path) -> Iterator[tuple[float, Sound]]:
    """Blocks of samples, each with the time in seconds at which the first of all blocks begins."""
    try:
        container = open_file(path)
    except CLIP_DAMAGE:
        raise Problem("This file has no sound that can be decoded.") from None
    try:
        with container:
            heard = [s for s in container.streams.audio if s.codec_context is not None]
            if not heard:
                raise Problem("This file has no sound.")
            stream = heard[0]
            pictures, origin = container.streams.video, 0.0
            if pictures and pictures[0].start_time is not None and pictures[0].time_base:
                origin = float(pictures[0].start_time * pictures[0].time_base)
            elif stream.start_time is not None and stream.time_base:
                origin = float(stream.start_time * stream.time_base)
            resampler, begin, done = None, None, 0
            for frame, broken in _frames(container, stream):
                if resampler is None:
                    resampler = _resampler(frame)
                if frame is not None:
                    at = (frame.time or 0.0) - origin
                    begin = at if begin is None else begin
                    lost = round((at - begin) * SOUND_RATE) - done if broken else 0
                    if (
                        0 < lost <= FARTHEST * SOUND_RATE
                    ):  # silence, and what comes after is heard when it should be
                        done += lost
                        yield begin, np.zeros((lost, 2), np.float32)
                    frame.pts = None
                for out in resampler.resample(frame):
                    done += out.samples
                    both = np.broadcast_to(out.to_ndarray(), (2, out.samples))
                    yield begin or 0.0, np.ascontiguousarray(both.T, np.float32)
    except Problem:
        raise
    except CLIP_DAMAGE:
        raise Problem("The sound of this file cannot be decoded; it may be damaged.") from None


def _resampler(first: av.AudioFrame | None) -> av.AudioResampler:
    """To one channel where there is one: both sides hear it as loud as it is, as players do it, and not 3 dB less, as the
    library spreads a middle over two."""
    alone = first is not None and first.layout.nb_channels == 1
    return av.AudioResampler(format="fltp", layout="mono" if alone else "stereo", rate=SOUND_RATE)


def _frames(
    container: av.container.InputContainer, stream: av.AudioStream
) -> Iterator[tuple[av.AudioFrame | None, bool]]:
    """The frames of a stream that decode, each with whether something before it does not; and then None."""
    count, broken, error = 0, 0, None
    packets = container.demux(stream)
    while broken < MOST_BROKEN:
        try:
            packet = next(packets, None)
        except CLIP_DAMAGE as one:  # the file breaks off
            error, packet = one, None
        if packet is None:
            break
        try:
            frames = packet.decode()
        except CLIP_DAMAGE as one:
            error, broken = one, broken + 1
            continue
        for frame in frames:
            yield frame, broken > 0
            count, broken = count + 1, 0
    if count == 0 and error is not None:
        raise error
    yield None, False


def peaks(sound: Sound, count: int) -> NDArray[np.float32]:
    """The greatest absolute value in each of ``count`` equal pieces: what a wave display draws.

    >>> peaks(np.array([[0, 0.5], [-1, 0], [0, 0], [0.25, 0]], np.float32), 2).tolist()
    [1.0, 0.25]
    """
    edges = np.linspace(0, len(sound), count + 1).astype(int)
    # piece by piece: a sound of hours is only mapped into memory
    pieces = (sound[a : max(b, a + 1)] for a, b in itertools.pairwise(edges))
    return np.array([np.abs(one).max(initial=0) for one in pieces], np.float32)
