"""Baking: a shot written without loss, with its coverage, to be used as footage."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from velvet_seam.core.engine.engine import MEGABYTE, Engine
from velvet_seam.core.engine.looking import Tables, no_table
from velvet_seam.core.engine.render import has_sound
from velvet_seam.core.media.writer import BAKED, ClipWriter
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sound.mix import Sounds, mix
from velvet_seam.core.steps import Footage, Shelf


def bake(
    shot: Shot, path: Path, footage: Callable[[str], Footage], sounds: Sounds, *,
    tables: Tables = no_table, shelf: Shelf | None = None, each: Callable[[int], None] = lambda _: None,
) -> None:  # fmt: skip
    """Write all frames of a shot as they lie over nothing, and its sound. The file has its name only when it is
    complete.

    Args:
        each: called with the number of frames done; what it raises ends the work.
    """
    engine = Engine(footage, cache_bytes=256 * MEGABYTE, passing=True, tables=tables, shelf=shelf)
    canvas = shot.canvas
    sound = mix(shot, sounds) if has_sound(shot, sounds.sound) else None
    with ClipWriter(path, canvas.width, canvas.height, shot.rate, BAKED, sound) as writer:
        for frame in range(shot.length):
            writer.add(engine.picture(engine.alone(shot, frame)))
            each(frame + 1)
        writer.finish()
