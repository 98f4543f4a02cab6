"""Writing a shot to a file."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from pathlib import Path

from velvet_seam.core.engine.engine import MEGABYTE, Engine, frames_at_once
from velvet_seam.core.engine.plan import Footage, Picture
from velvet_seam.core.media.still import write_png
from velvet_seam.core.media.writer import Mp4Writer
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sound.decode import Sound
from velvet_seam.core.sound.mix import mix


class Cancelled(Exception):  # noqa: N818 -- not an error
    """Raised by a progress callback to end a render; the unfinished file is removed."""


def render_mp4(
    shot: Shot,
    path: Path,
    footage: Callable[[str], Footage],
    sound_of: Callable[[str], Sound | None],
    *,
    each: Callable[[int, Picture], None] | None = None,
) -> None:
    """Write a shot as MP4 (H.264, AAC), at canvas size, from the originals.

    Args:
        each: called after every frame with its number and picture, (height, width, 4) uint8;
            whatever it raises ends the render and leaves no file behind.
    """
    engine = Engine(footage, cache_bytes=512 * MEGABYTE, passing=True)
    with Mp4Writer(path, shot.canvas.width, shot.canvas.height, shot.rate) as writer:
        sound = mix(shot, sound_of)
        if has_sound(shot, sound_of):
            writer.add_sound_stream()
            writer.add_sound(sound)
        for frame, picture in enumerate(_pictures(engine, shot)):
            writer.add(picture)
            if each:
                each(frame, picture)
        writer.finish()


def _pictures(engine: Engine, shot: Shot) -> Iterator[Picture]:
    """All frames in order, a few of them in the making."""
    ahead = frames_at_once() + 1
    making: deque[Future[Picture]] = deque()
    for frame in range(shot.length + ahead):
        if frame < shot.length:
            making.append(engine.begin(engine.plan(shot, frame), lambda picture: picture))
        if frame >= ahead:
            yield making.popleft().result()


def has_sound(shot: Shot, sound_of: Callable[[str], Sound | None]) -> bool:
    """Whether anything in the shot can be heard."""
    audible = [s.footage for s in shot.sounds if s.on]
    audible += [
        layer.source.footage
        for layer in shot.layers
        if layer.source.kind == "footage" and layer.sound.on and not layer.hidden
    ]
    return any(sound_of(footage) is not None for footage in audible)


def render_still(shot: Shot, frame: int, path: Path, footage: Callable[[str], Footage]) -> None:
    """Write one frame at canvas size as a lossless PNG."""
    if not 0 <= frame < shot.length:
        raise Problem(f"The shot has the frames 0 to {shot.length - 1}; there is no frame {frame}.")
    engine = Engine(footage, cache_bytes=0, passing=True)
    write_png(path, engine.picture(engine.plan(shot, frame)))
