"""Writing a shot to a file, in ranges: one that is finished is never done again.

Each range is encoded by itself and kept as a small file; at the end all are put together without
encoding them again. So a render that was killed and taken up again gives the very same file.
"""

from __future__ import annotations

import hashlib
import shutil
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future
from functools import partial
from itertools import islice
from pathlib import Path

from velvet_seam.core.engine.delivery import Delivery
from velvet_seam.core.engine.engine import MEGABYTE, Engine, frames_at_once
from velvet_seam.core.engine.looking import Tables, no_table
from velvet_seam.core.engine.made_by import made_by
from velvet_seam.core.engine.plan import Footage, Picture, Step
from velvet_seam.core.engine.reading_size import as_seen
from velvet_seam.core.media.still import write_png
from velvet_seam.core.picture.planes import frame_to_rgba
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sound.loudness import POSTS, brought_to
from velvet_seam.core.sound.mix import Sounds, mix
from velvet_seam.core.steps import Shelf

Look = Callable[[], Picture]
"""Gives a picture: (height, width, 4) uint8 RGBA."""

RANGE_SECONDS = 2
_NOTE = "what.txt"


def render(
    shot: Shot,
    path: Path,
    footage: Callable[[str], Footage],
    sounds: Sounds,
    delivery: Delivery | None = None,
    *,
    ranges: Path,
    tables: Tables = no_table,
    shelf: Shelf | None = None,
    each: Callable[[int, Look | None], None] | None = None,
) -> None:
    """Write a shot from the originals. The file has its name only when it is complete.

    Args:
        ranges: folder for the finished ranges. Who has noted that the file is there takes it away: until
            then a render that is begun again has them still. Ranges of another shot, delivery or footage,
            or made by another version of the program, are thrown away.
        tables: tables of colours that were brought in, by their ids.
        shelf: results that outlast the program.
        each: called with the number of frames done and what gives the last picture (none for frames
            that were done before); whatever it raises ends the render, and what is finished stays.
    """
    delivery = delivery or Delivery()
    say = each or (lambda _done, _picture: None)
    _open_ranges(ranges, _fingerprint(shot, delivery, footage))
    # what the pictures took is let go before the sound, which grows with the shot, is mixed
    files, done = _write_ranges(shot, (footage, tables, shelf), delivery, ranges, say)
    _join(files, path, delivery, shot, sounds, lambda: say(done, None))


def _write_ranges(
    shot: Shot, found: tuple[Callable[[str], Footage], Tables, Shelf | None], delivery: Delivery, ranges: Path,
    say: Callable[[int, Look | None], None],
) -> tuple[list[Path], int]:  # fmt: skip
    """The files of all ranges, those that were not there yet written now; and how many frames they hold."""
    form, frames, rate = delivery.form, delivery.frames(shot), delivery.rate_of(shot)
    size = max(1, round(RANGE_SECONDS * rate))
    files = [ranges / f"{n:05}{form.suffix}" for n in range(-(-len(frames) // size))]
    done = sum(len(frames[n * size : (n + 1) * size]) for n, f in enumerate(files) if f.exists())
    say(done, None)
    sheet = delivery.sheet(shot)
    engine = Engine(
        as_seen(shot, sheet, found[0]), cache_bytes=256 * MEGABYTE, passing=True, tables=found[1],
        shelf=found[2],
    )  # fmt: skip
    waiting = [n for n, file in enumerate(files) if not file.exists()]
    wanted = (f for n in waiting for f in frames[n * size : (n + 1) * size])
    video = form.in_planes
    plans = (engine.plan(shot, frame, sheet=sheet, video=video) for frame in wanted)
    pictures = _pictures(engine, plans)
    for n in waiting:
        count = len(frames[n * size : (n + 1) * size])
        first = n * size
        with form.part(files[n], first, delivery.size(shot), rate, delivery.quality) as part:
            for picture in islice(pictures, count):
                part.add(picture)
                done += 1
                say(done, partial(frame_to_rgba if video else _itself, picture))
            part.finish()
    return files, done


def _itself(picture: Picture) -> Picture:
    return picture


def has_sound(shot: Shot, sound_of: Callable[[str], object | None]) -> bool:
    """Whether anything in the shot can be heard."""
    audible = [s.footage for s in shot.sounds if s.on]
    audible += [
        layer.source.shows
        for layer in shot.layers
        if layer.source.shows is not None and layer.sound.on and not layer.hidden
    ]
    return any(sound_of(footage) is not None for footage in audible)


def render_still(
    shot: Shot, frame: int, path: Path, footage: Callable[[str], Footage], tables: Tables = no_table
) -> None:
    """Write one frame at canvas size as a lossless PNG."""
    if not 0 <= frame < shot.length:
        raise Problem(f"The shot has the frames 0 to {shot.length - 1}; there is no frame {frame}.")
    engine = Engine(footage, cache_bytes=0, passing=True, tables=tables)
    write_png(path, engine.picture(engine.plan(shot, frame)))


def _pictures(engine: Engine, plans: Iterable[Step]) -> Iterator[Picture]:
    """Pictures in order, a few of them in the making."""
    making: deque[Future[Picture]] = deque()
    for plan in plans:
        making.append(engine.begin(plan, lambda picture: picture))
        if len(making) > frames_at_once() + 1:
            yield making.popleft().result()
    while making:
        yield making.popleft().result()


def _fingerprint(shot: Shot, delivery: Delivery, footage: Callable[[str], Footage]) -> str:
    """What a render is made of, and by what."""
    digests = [footage(identity).digest for identity in sorted(shot.footage_ids())]
    parts = [made_by(), shot.model_dump_json(), delivery.model_dump_json(), *digests]
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()


def _open_ranges(folder: Path, fingerprint: str) -> None:
    """A folder that holds nothing but ranges of this very render."""
    note = folder / _NOTE
    if not (note.exists() and note.read_text() == fingerprint):
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True)
        note.write_text(fingerprint)


def _join(
    files: list[Path], path: Path, delivery: Delivery, shot: Shot, sounds: Sounds,
    check: Callable[[], None],
) -> None:  # fmt: skip
    sound = None
    if delivery.form.sounding and has_sound(shot, sounds.sound):
        sound = mix(shot, sounds)
        if delivery.loudness == "posts":
            sound = brought_to(sound, POSTS)
    delivery.form.join(files, path, delivery.rate_of(shot), delivery.quality, sound, check)
