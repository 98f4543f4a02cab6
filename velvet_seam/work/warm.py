"""Warming: compiles every kernel once, two at a time, so that no user waits for it.

``python -m velvet_seam.work.warm`` says how far it is, and keeps what it compiles (:mod:`velvet_seam.core.kernels`).
Where that has been done before, it ends at once.
"""

from __future__ import annotations

import contextlib
import os
import sys
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from functools import cache
from multiprocessing import get_context
from pathlib import Path
from typing import Any, get_args

import av
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.analyse.plate import clean_plate
from velvet_seam.core.analyse.scopes import SCOPES, lost, marked
from velvet_seam.core.around import wrapped
from velvet_seam.core.engine.adjusting import mixed_inside, to_bytes, to_floats, to_shown
from velvet_seam.core.engine.alone import alone
from velvet_seam.core.engine.comparing import Compare, compared
from velvet_seam.core.engine.engine import frames_at_once
from velvet_seam.core.engine.made_by import made_by
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.engine.show import show_dropped, show_on_checker
from velvet_seam.core.engine.showing import Showing
from velvet_seam.core.kernels import folder
from velvet_seam.core.looks import LOOKS, Area, Ground, Tone
from velvet_seam.core.looks.curves import Curves
from velvet_seam.core.looks.table import Mixed, table_of
from velvet_seam.core.looks.tints import Tints
from velvet_seam.core.people.region import people
from velvet_seam.core.picture.blends import NAMES
from velvet_seam.core.picture.burst import DIRECTIONS, streaks
from velvet_seam.core.picture.colour_key import colour_key
from velvet_seam.core.picture.compose import Join, compose, compose_rgba8
from velvet_seam.core.picture.coverage import joined, laid, mixed, weighed
from velvet_seam.core.picture.cube import Cube, through_cube
from velvet_seam.core.picture.difference_key import difference_key, known_before
from velvet_seam.core.picture.edge import EdgeWork, worked
from velvet_seam.core.picture.filled import filling
from velvet_seam.core.picture.gaussian import blurred
from velvet_seam.core.picture.grade import graded, graded_planes
from velvet_seam.core.picture.hdr import to_sdr
from velvet_seam.core.picture.luma_key import luma_key
from velvet_seam.core.picture.median import median
from velvet_seam.core.picture.mixing import mixed_in
from velvet_seam.core.picture.outline import cover_outline, star
from velvet_seam.core.picture.placement import Patch, affine, place
from velvet_seam.core.picture.planes import Planes, yuv420_to_rgba
from velvet_seam.core.picture.reduced_planes import reduced_planes
from velvet_seam.core.picture.screen_key import read_screen, screen_key
from velvet_seam.core.picture.shape import BAND, BOX, OVAL, STRAIGHT, Soft, cover
from velvet_seam.core.picture.steady import Neighbour, motion, steadied
from velvet_seam.core.picture.study import study
from velvet_seam.core.picture.yuv import (
    coefficients,
    planes_to_rgb16,
    rgb16_to_rgba,
    rgba_to_yuv420,
    rgba_to_yuv422p10,
)
from velvet_seam.core.register.in_place import line_up
from velvet_seam.core.roto.carry import carried
from velvet_seam.core.roto.features import features
from velvet_seam.core.roto.first import Marks, found
from velvet_seam.core.roto.seen import seen
from velvet_seam.core.roto.soft import soft_matte
from velvet_seam.core.roto.telling import painted_sample
from velvet_seam.core.shot.layer import Layer, Place, Span
from velvet_seam.core.shot.shot import Canvas, Shot
from velvet_seam.core.sound.loudness import loudness
from velvet_seam.core.sound.speed import sampled
from velvet_seam.core.sources import GENERATED
from velvet_seam.core.timing.at import At
from velvet_seam.core.words import kind_of
from velvet_seam.work.parent import end_with_parent

PROCESSES = 2
UNUSED_DAYS = 60
"""What has not been asked for in so many days is of a version that nobody runs any more."""

Picture = NDArray[np.uint8]


def _screen() -> Picture:
    picture = np.full((48, 32, 4), (60, 160, 70, 255), np.uint8)
    picture[10:30, 8:24, :3] = (200, 120, 40)
    return picture


def _planes() -> None:
    k = coefficients("709", False)
    for depth in (np.uint8, np.uint16):
        own = np.full((8, 8), 128, depth)
        # some decoders hand over memory that may be written to, others do not
        for samples in (own, np.frombuffer(own.tobytes(), depth).reshape(8, 8)):
            if depth is np.uint8:
                yuv420_to_rgba(samples, samples, samples, 8, 8, k)
            rgb = planes_to_rgb16(samples, samples, samples, 8, 8, k, True, False, np.float32(1))
            rgb16_to_rgba(rgb, samples, 255)
            means = reduced_planes(samples, samples, samples, 8, 8, 2, True, True)
            planes_to_rgb16(*means, 4, 4, k, False, False, np.float32(1))


def _studied() -> None:
    grey = np.full((360, 360), 128, np.uint8)
    study(Planes(grey, grey, grey, 360, 360, coefficients("709", False)))


def _written() -> None:
    frame = av.VideoFrame(32, 48, "yuv420p")
    luma, blue, red = (
        np.frombuffer(memoryview(p), np.uint8).reshape(-1, p.line_size) for p in frame.planes
    )
    rgba_to_yuv420(_screen(), luma, blue, red)
    wide, half = np.zeros((48, 32), np.uint16), np.zeros((48, 16), np.uint16)
    rgba_to_yuv422p10(_screen(), wide, half, half.copy())


def _hdr() -> None:
    to_sdr(np.zeros((8, 8, 3), np.uint16), "HLG")


def _sound() -> None:
    loudness(np.zeros((24_000, 2), np.float32))
    sampled(np.zeros((64, 2), np.float32), np.arange(64, dtype=np.float64))


def _keyed() -> Picture:
    return screen_key(_screen(), read_screen(_screen(), (60, 160, 70)), (60, 160, 70))


def _screen_key() -> None:
    _keyed()
    large = np.repeat(np.repeat(_screen(), 12, 0), 12, 1)[:540, :360]
    read_screen(np.ascontiguousarray(large), (60, 160, 70))


def _steady() -> None:
    picture, cut = _screen(), _screen()
    steadied(picture, cut, [Neighbour(picture, cut, motion(cut, cut))], 1.0)


def _edge() -> None:
    worked(_screen(), EdgeWork(grow=2, clean=0.5))


def _other_keys() -> None:
    picture = _screen()
    luma_key(picture, low=0.2, high=1, softness=0.1)
    colour_key(picture, [(60, 160, 70)], tolerance=6, softness=8)
    difference_key(picture, known_before(6, picture, picture), softness=9)


def _masks() -> None:
    for kind in (STRAIGHT, BAND, OVAL, BOX):
        sizes = (9.0, 9.0, 2.0)[: 1 if kind == BAND else 3]
        plane = cover((32, 48), kind, np.eye(3), sizes, 1.0, Soft())
    joined(plane, cover_outline((32, 48), star(5, 9, 0.5), 1.0, Soft()), "add")
    mixed(weighed(_screen(), plane), laid(_screen(), _screen()), plane)


def _place() -> None:
    place(_screen(), affine(16, 24, 0.9, 12, False, False, 32, 48), 32, 48)
    place(_screen(), affine(16, 24, 0.7, 0, True, False, 32, 48), 32, 48)
    tilted = affine(16, 24, 0.7, 0, True, False, 32, 48)
    tilted[2, 0] = 0.001
    place(_screen(), tilted, 32, 48)


def _compose() -> None:
    patch = place(_screen(), np.eye(3), 32, 48)
    assert patch is not None
    joins = [Join(patch, mode, 0.5) for mode in NAMES]
    compose_rgba8(32, 48, (0, 0, 0), joins, compose(32, 48, (0, 0, 0), joins))


LOOKED: dict[str, dict[str, object]] = {
    "light": {"exposure": 1.0, "shadows": 20.0}, "balance": {"temperature": 20.0}, "saturation": {"saturation": 140.0},
    "curves": {"master": ((0.0, 0.1), (1.0, 1.0))}, "decision": {"slope_red": 1.2, "saturation": 0.5},
}  # fmt: skip
"""Values at which parts of a look do anything, where their defaults do not."""


def _tones() -> None:
    for kind in LOOKS:
        part = kind.model_validate(
            {"kind": kind_of(kind), "id": "p-a", **LOOKED.get(kind_of(kind), {})}
        )
        if isinstance(part, Tone):
            run = (Mixed(part.stages(At(0), 3), 1.0),)
            graded(_screen(), table_of(run, 1.0, True))
    for values in (np.zeros((2, 3), np.float32), np.zeros((2, 2, 2, 3), np.float32)):
        through_cube(np.zeros((3, 4), np.float32), Cube(values))
    for numbers in ((Curves(id="p-a", master=((0.0, 0.1), (1.0, 1.0))),), (Tints(id="p-b"),)):
        table = table_of(tuple(Mixed(one.stages(At(0), 0), 1.0) for one in numbers), 1.0, True)
        graded_planes(to_floats(_screen()), table, 0.5)


def _areas() -> None:
    ground = Ground((32, 48), 1.0, frame=3, seconds=0.1)
    for kind in LOOKS:
        part = kind.model_validate({"kind": kind_of(kind), "id": "p-a"})
        work = part.work(At(0), ground) if isinstance(part, Area) else None
        if work is not None:
            work.function(*work.args, _screen())
    blurred(_screen(), 1.0)
    mixed_in(_screen(), _screen(), 0.5)


def _around() -> None:
    patch = Patch(0, 0, _screen())
    blurred(np.ascontiguousarray(_screen()[..., 3]), 1.0, extend=False)
    blurred(np.ascontiguousarray(_screen()[..., 3]), 6.0, extend=False)
    wrapped(4.0, 1.0, patch, _screen(), 0, 0)
    floats = to_floats(_screen())
    alone(False, floats, floats)
    mixed_inside(0.5, floats, floats, np.ascontiguousarray(_screen()[..., 3]))
    to_bytes(to_shown(floats))
    for scope in SCOPES.values():
        scope(_screen())
    lost(marked(_screen()))


def _views() -> None:
    patch = Patch(0, 0, _screen())
    show_dropped((32, 48), patch, patch)
    show_on_checker((32, 48), patch)
    for how in get_args(Compare):
        compared(how, (32, 48), 4.0, patch, patch)


def _generated() -> None:
    shot = Shot(name="s", canvas=Canvas(width=32, height=48), rate="25", length=9)
    stroke = {"strokes": [{"points": [[-4, 0], [4, 3]]}]}  # paint has none of its own
    for kind in GENERATED:
        more = stroke if "strokes" in kind.model_fields else {}
        source = kind.model_validate({"kind": kind_of(kind), **more})
        layer = Layer(
            id="l-a", name="a", source=source, span=Span(first=0, last=8), place=Place(x=16, y=24)
        )
        showing = Showing(layer, 3, shot.rate, Sheet.of(shot), _nothing, _nothing)
        source.picture(showing).run()
    streaks((9, 9), 0.0, np.zeros((DIRECTIONS, 2)), 1.0, filling((0, 0, 0)))


def _lined_up() -> None:
    """Two pictures with something to see: all that a line-up descends by."""
    rng = np.random.default_rng(1)
    grey = np.kron(rng.integers(40, 220, (8, 8), dtype=np.uint8), np.ones((8, 8), np.uint8))
    line_up(grey, grey, "plane")
    clean_plate(np.zeros((3, 8, 8, 3), np.uint8))
    median(np.zeros((3, 8), np.uint8))


def _roto() -> None:
    picture = _screen()
    keep, drop = (np.zeros((48, 32), bool) for _ in range(2))
    keep[18:22, 14:18], drop[:3] = True, True
    region, look = found(features(picture), Marks.of(keep, drop)), seen(picture)
    carried(region, look, look, painted_sample(region, look))
    inside = people(picture, (picture[..., 0] > 100).astype(np.float32))
    soft_matte(picture, inside)


def _nothing(*_: object) -> Any:
    raise KeyError


PIECES: tuple[Callable[[], None], ...] = (
    _compose, _planes, _studied, _masks, _steady, _other_keys, _edge, _written, _hdr, _sound, _screen_key,
    _place, _tones, _areas, _around, _views, _generated, _lined_up, _roto,
)  # fmt: skip
"""Each runs some kernels on a small picture. The longest comes first; beside it what is needed to read files,
and then the rest, so that both processes end at about the same time."""


def warm() -> Iterator[tuple[int, int]]:
    """Have every kernel compiled and kept; gives how many pieces of it are done, of how many."""
    total, mark = len(PIECES), _mark()
    if not is_warm():
        yield 0, total
        with ProcessPoolExecutor(
            PROCESSES, get_context("spawn"), initializer=_begin, initargs=(os.getpid(),)
        ) as pool:
            pieces = [pool.submit(_piece, n) for n in range(total)]
            for done, piece in enumerate(as_completed(pieces), 1):
                piece.result()
                if done < total:
                    yield done, total
        if mark is not None:
            _sweep(mark.parent)
            with contextlib.suppress(OSError):
                mark.touch(mode=0o600)
    yield total, total


def is_warm() -> bool:
    """Whether all kernels of this version have been compiled on this machine, or one like it."""
    mark = _mark()
    return mark is not None and mark.exists()


def _begin(parent: int) -> None:
    end_with_parent(parent)
    frames_at_once()


def _piece(n: int) -> None:
    PIECES[n]()


@cache
def _mark() -> Path | None:
    place = folder()
    level = os.environ.get("NUMBA_CPU_NAME", "host")
    return None if place is None else place / f"all-{level}-{made_by()}"


def _sweep(place: Path) -> None:
    long_ago = time.time() - UNUSED_DAYS * 86_400
    for entry in place.iterdir():
        with contextlib.suppress(OSError):
            if entry.stat().st_mtime < long_ago:
                entry.unlink()


def main() -> None:
    beside = "--beside" in sys.argv  # of an application that reads how far it is
    if beside:
        os.nice(5)
        end_with_parent(os.getppid())
    for done, total in warm():
        if beside:
            print(done, total, flush=True)
        else:
            print(
                f"Kernels compiled: {done} of {total}",
                end="\r" if done < total else "\n",
                flush=True,
            )


if __name__ == "__main__":
    main()
