"""Sound out of any file, as 48 kHz stereo."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.damage import CLIP_DAMAGE
from velvet_seam.core.problem import Problem
from velvet_seam.core.timing.rate import SOUND_RATE

Sound = NDArray[np.float32]
"""(samples, 2), left and right, full scale at ±1, :data:`SOUND_RATE` samples a second."""

MAX_SECONDS = 3 * 3600


def decode_sound(path: Path, progress: Callable[[float], None] | None = None) -> Sound:
    """The first sound stream of a file, resampled to 48 kHz stereo.

    Sample 0 lies at the time of the file's first picture (of its first sound where it has no
    pictures): a stream that starts later is padded with silence, one that starts earlier is cut.

    Raises:
        Problem: the file has no sound that can be decoded.
    """
    try:
        with av.open(str(path), metadata_errors="ignore") as container:
            heard = [s for s in container.streams.audio if s.codec_context is not None]
            if not heard:
                raise Problem("This file has no sound.")
            stream = heard[0]
            pictures = container.streams.video
            begin = 0.0
            if pictures and pictures[0].start_time is not None and pictures[0].time_base:
                begin = float(pictures[0].start_time * pictures[0].time_base)
            elif stream.start_time is not None and stream.time_base:
                begin = float(stream.start_time * stream.time_base)
            resampler = av.AudioResampler(format="fltp", layout="stereo", rate=SOUND_RATE)
            blocks: list[Sound] = []
            total, lead = 0, None
            for frame in _frames(container, stream):
                if lead is None:
                    lead = round(((frame.time or 0.0) - begin) * SOUND_RATE)
                frame.pts = None
                for out in resampler.resample(frame):
                    blocks.append(np.ascontiguousarray(out.to_ndarray().T, np.float32))
                    total += len(blocks[-1])
                if total > MAX_SECONDS * SOUND_RATE:
                    raise Problem("This sound is longer than three hours.")
                if progress and container.duration:
                    progress(min(1.0, total / SOUND_RATE / (container.duration / av.time_base)))
            for out in resampler.resample(None):
                blocks.append(np.ascontiguousarray(out.to_ndarray().T, np.float32))
    except Problem:
        raise
    except CLIP_DAMAGE:
        raise Problem("The sound of this file cannot be decoded; it may be damaged.") from None
    if not blocks:
        raise Problem("This file has no sound that can be decoded.")
    sound = np.concatenate(blocks)
    lead = lead or 0
    if lead > 0:
        return np.concatenate([np.zeros((lead, 2), np.float32), sound])
    return sound[-lead:]


def _frames(
    container: av.container.InputContainer, stream: av.AudioStream
) -> Iterator[av.AudioFrame]:
    """The frames of a stream; of one that breaks off, those that decode."""
    count = 0
    try:
        for frame in container.decode(stream):
            count += 1
            yield frame
    except CLIP_DAMAGE:
        if count == 0:
            raise


def peaks(sound: Sound, count: int) -> NDArray[np.float32]:
    """The greatest absolute value in each of ``count`` equal pieces: what a wave display draws.

    >>> peaks(np.array([[0, 0.5], [-1, 0], [0, 0], [0.25, 0]], np.float32), 2).tolist()
    [1.0, 0.25]
    """
    loud = np.abs(sound).max(axis=1) if len(sound) else np.zeros(1, np.float32)
    edges = np.linspace(0, len(loud), count + 1).astype(int)[:-1]
    return np.asarray(np.maximum.reduceat(loud, np.minimum(edges, len(loud) - 1)), np.float32)
