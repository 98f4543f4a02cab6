"""The painter: a process that holds the engine and its cache and answers with pictures."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Callable, Collection
from concurrent.futures import Future
from dataclasses import replace
from functools import partial
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import simplejpeg

from velvet_seam.core.analyse.scopes import SCOPES, lost, marked
from velvet_seam.core.engine.cache import ByteCache
from velvet_seam.core.engine.engine import MEGABYTE, PREVIEW_SHORT_SIDE, Engine, frames_at_once
from velvet_seam.core.engine.lying import Lying, Stray
from velvet_seam.core.engine.plan import Picture, Step, View
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.media.still import png_bytes
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import apply, read_edit
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.written import Written, put_together
from velvet_seam.store.library import Library
from velvet_seam.work.asks import (
    CutLength,
    Levels,
    Lines,
    LineUp,
    LookTiles,
    Loupe,
    MatchLight,
    MatteFacts,
    Measure,
    Paint,
    Painted,
    Request,
    Scope,
    Still,
    Wall,
)
from velvet_seam.work.lighting import light_of
from velvet_seam.work.lining import FINE_SHORT_SIDE, lines_of
from velvet_seam.work.louping import Louping
from velvet_seam.work.memory import keep_freed_memory
from velvet_seam.work.picture_files import jpeg
from velvet_seam.work.roto_ready import RotoReady
from velvet_seam.work.screen_reading import ScreenReader
from velvet_seam.work.telling import cut_length_of, facts_of, levels_of
from velvet_seam.work.tiling import look_tiles_of, wall_of
from velvet_seam.work.warm import PIECES, is_warm

FULL_QUALITY = 94


class Painter:
    """Answers requests; lives in its own process, see :func:`serve`."""

    def __init__(self, library: Library) -> None:
        self._material = library.materials(preview=True)
        self._engine = Engine(self._material, tables=library.tables.get, shelf=library.regions)
        self._original = library.materials(preview=False)
        self._full = Engine(
            self._original, cache_bytes=384 * MEGABYTE, tables=library.tables.get, shelf=library.regions
        )  # fmt: skip
        self._encoded: ByteCache[bytes] = ByteCache(96 * MEGABYTE)
        self._ahead: dict[str, Future[bytes]] = {}
        self._shots: dict[str, Shot] = {}
        self._layers: dict[str, Layer] = {}
        self._loupe = Louping(self._engine, self._full)
        self._ready = RotoReady(self._engine, self._material)
        self._screens = ScreenReader(self._engine, self._material, self._original)

    def answer(self, request: Request) -> Any:
        shot = self._shot(request.document)
        match request:
            case Paint():
                return self._paint(shot, request)
            case Still():
                return self._still(shot, request)
            case Measure():
                return self._screens.measured(shot, request)
            case Wall():
                return wall_of(self._engine, shot, request)
            case LookTiles():
                return look_tiles_of(self._engine, shot, request)
            case Levels():
                return levels_of(self._engine, shot, request)
            case LineUp():
                return self._line_up(shot, request)
            case MatchLight():
                return light_of(self._engine, shot, request, PREVIEW_SHORT_SIDE)
            case MatteFacts():
                return facts_of(self._engine, shot, request)
            case CutLength():
                return cut_length_of(self._engine, shot, request)
            case Loupe():
                return self._loupe.seen(shot, request)

    def _still(self, shot: Shot, ask: Still) -> bytes:
        plan = self._full.plan(shot, ask.frame)
        return png_bytes(self._full.picture(plan, passing=True))

    def _line_up(self, shot: Shot, ask: LineUp) -> Lines:
        if ask.fine:
            side = min(shot.canvas.width, shot.canvas.height, FINE_SHORT_SIDE)
            return lines_of(self._full, shot, ask, side)
        return lines_of(self._engine, shot, ask, PREVIEW_SHORT_SIDE)

    def _shot(self, document: Written) -> Shot:
        """The shot of a document, whose pieces have no text where they have been sent before."""
        shot = self._shots.get(document.digest)
        if shot is None:
            for piece in document.pieces:
                if piece.text and piece.digest not in self._layers:
                    self._layers[piece.digest] = Layer.model_validate_json(piece.text)
            layers = [self._layers[piece.digest] for piece in document.pieces]
            shot = put_together(json.loads(document.head), layers)
            if len(self._shots) > 8:
                self._shots.clear()
            self._shots[document.digest] = shot
        return shot

    def forget(self, digests: Collection[str]) -> None:
        """Layers that will be sent again where they are asked for again."""
        for digest in digests:
            self._layers.pop(digest, None)

    def _paint(self, shot: Shot, ask: Paint) -> bytes | Painted:
        if ask.trial:
            shot = apply(shot, read_edit(json.loads(ask.trial)))
        ask = replace(ask, frame=min(ask.frame, shot.length - 1))
        data = self._picture(shot, ask)
        self._ready.begin(shot, ask)
        if not ask.stray:
            return data
        return Painted(
            data, self._stray(shot, ask), self._scope(shot, ask, data) if ask.scope else None
        )

    def _scope(self, shot: Shot, ask: Paint, data: bytes) -> Scope:
        """An instrument of the joined picture, or of what is left of the chosen layer; in play of the picture as it is
        sent, which costs no second one."""

        def seen(view: View) -> Picture:
            plan = self._engine.plan(
                shot, ask.frame, short_side=ask.short_side, view=view, chosen=ask.chosen, solo=ask.solo,
                quick=ask.chosen if ask.trial else None,
            )  # fmt: skip
            return self._engine.picture(plan, trying=bool(ask.trial))

        if ask.passing:
            picture = np.ascontiguousarray(simplejpeg.decode_jpeg(data, "RGBA"))
        elif (
            ask.scope_layer and ask.chosen is not None and not shot.layer(ask.chosen).source.adjusts
        ):
            picture = seen("on-black").copy()
            picture[..., 3] = seen("matte")[..., 0]
        else:
            picture = seen("joined")
        return Scope(jpeg(SCOPES[ask.scope](picture), 88), lost(picture))

    def _stray(self, shot: Shot, ask: Paint) -> Stray | None:
        chosen = next((layer for layer in shot.layers if layer.id == ask.chosen), None)
        if chosen is None or not chosen.span.holds(ask.frame):
            return None
        return Lying(shot, self._material).stray(chosen, ask.frame)

    def _picture(self, shot: Shot, ask: Paint) -> bytes:
        if ask.passing:
            return self._passed(shot, ask)
        if ask.full:
            return self._at_full_size(shot, ask)
        step, key = self._plan(shot, ask, ask.frame)
        known = self._encoded.get(key)
        if known is None:
            picture = self._engine.picture(step, trying=bool(ask.trial))
            known = self._encode(picture, ask, key)
        return known

    def _at_full_size(self, shot: Shot, ask: Paint) -> bytes:
        sheet = Sheet.of(shot)
        if ask.window is not None:
            sheet = sheet.part(ask.window)
        step = self._full.plan(
            shot, ask.frame, view=ask.view, chosen=ask.chosen, solo=ask.solo, sheet=sheet,
            quick=ask.chosen if ask.trial else None, beside=ask.beside, gain=ask.gain,
        )  # fmt: skip
        key = f"{step.key} full {ask.marks}"
        return self._encoded.get(key) or self._encode(
            self._full.picture(step, trying=bool(ask.trial)),
            replace(ask, quality=FULL_QUALITY, shown_side=None), key,
        )  # fmt: skip

    def _plan(self, shot: Shot, ask: Paint, frame: int) -> tuple[Step, str]:
        step = self._engine.plan(
            shot, frame, short_side=ask.short_side, view=ask.view, chosen=ask.chosen, solo=ask.solo,
            quick=ask.chosen if ask.trial else None, beside=ask.beside, gain=ask.gain,
        )  # fmt: skip
        return step, f"{step.key} {ask.shown_side} {ask.quality} {ask.marks}"

    def _encode(self, picture: Picture, ask: Paint, key: str) -> bytes:
        if ask.shown_side and ask.shown_side < min(picture.shape[:2]):
            factor = ask.shown_side / min(picture.shape[:2])
            size = (round(picture.shape[1] * factor), round(picture.shape[0] * factor))
            picture = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)  # type: ignore[assignment]
        data = jpeg(marked(picture) if ask.marks else picture, ask.quality)
        self._encoded.put(key, data, len(data))
        return data

    def _passed(self, shot: Shot, ask: Paint) -> bytes:
        """A frame of play; those that follow it are begun, for they will be asked for next."""
        jobs: dict[str, Future[bytes]] = {}
        first = ""
        for frame in range(ask.frame, ask.frame + 1 + frames_at_once()):
            step, key = self._plan(shot, ask, frame % shot.length)
            first = first or key
            if self._encoded.get(key) is None:
                encode = partial(self._encode, ask=ask, key=key)
                jobs[key] = self._ahead.get(key) or self._engine.begin(step, encode)
        self._ahead = jobs
        return jobs[first].result() if first in jobs else self._encoded.get(first) or b""


IDLE_SECONDS = 0.4
"""Who has asked for nothing for so long is not kept waiting by kernels that are loaded meanwhile."""

LONG_SECONDS = 2.0
"""A piece that takes so long is not loaded but compiled: what was kept of it is lost, and others wait until needed."""


def _load(still: list[Callable[[], None]]) -> None:
    """Load the next piece of the kernels, so that the first stroke or the first blur is as quick as any."""
    began = time.monotonic()
    still.pop(0)()
    if time.monotonic() - began > LONG_SECONDS:
        still.clear()


def serve(root: str, pipe: Connection) -> None:
    """The painter's process: answers requests from a pipe until it is closed."""
    os.nice(3)
    keep_freed_memory()
    painter = Painter(Library(Path(root)))
    still = list(PIECES)
    while True:
        try:
            while still and is_warm() and not pipe.poll(IDLE_SECONDS):
                _load(still)
            request, forgotten = pipe.recv()
        except (EOFError, KeyboardInterrupt):
            return
        painter.forget(forgotten)
        try:
            pipe.send(("fine", painter.answer(request)))
        except Problem as problem:
            pipe.send(("problem", str(problem)))
        except MemoryError:
            pipe.send(("problem", "There is not enough memory to show this picture."))
        except OSError as error:
            why = error.strerror or "the disk refused"
            pipe.send(("problem", f"A source of this picture could not be read: {why}."))
