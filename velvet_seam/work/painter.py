"""The painter: a process that holds the engine and its cache and answers with pictures."""

from __future__ import annotations

import os
from concurrent.futures import Future
from dataclasses import dataclass
from functools import partial
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import cv2

from velvet_seam.core.engine.cache import ByteCache
from velvet_seam.core.engine.engine import MEGABYTE, PREVIEW_SHORT_SIDE, Engine, frames_at_once
from velvet_seam.core.engine.plan import Picture, Step, View
from velvet_seam.core.picture.screen import ScreenReading, measure_area, measure_border
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.layer import FootageSource, Layer
from velvet_seam.core.shot.shot import Shot, load
from velvet_seam.store.library import Library
from velvet_seam.work.memory import keep_freed_memory
from velvet_seam.work.picture_files import jpeg


@dataclass(frozen=True)
class Paint:
    """Ask for one picture of a shot as JPEG. ``document`` is the shot's JSON."""

    document: str
    frame: int
    view: View = "joined"
    chosen: str | None = None
    solo: tuple[str, ...] = ()
    short_side: int = PREVIEW_SHORT_SIDE
    shown_side: int | None = None
    """Shrink the finished picture to this short side, for thumbnails: what is cached serves."""
    quality: int = 84
    passing: bool = False
    """The frame is being played through: nothing of it will be changed soon."""
    trying: bool = False
    """The document holds an edit that is only being tried, under a hand that is moving."""


@dataclass(frozen=True)
class Measure:
    """Ask for the screen colour of a layer, over an area of its source or from the border.

    ``area`` is left, top, right, bottom in source pixels, in the source frame shown at ``frame``.
    """

    document: str
    layer: str
    frame: int
    area: tuple[float, float, float, float] | None = None


class Painter:
    """Answers requests; lives in its own process, see :func:`serve`."""

    def __init__(self, library: Library) -> None:
        self._material = library.materials(preview=True)
        self._engine = Engine(self._material)
        self._encoded: ByteCache[bytes] = ByteCache(96 * MEGABYTE)
        self._ahead: dict[str, Future[bytes]] = {}
        self._shots: dict[str, Shot] = {}

    def answer(self, request: Paint | Measure) -> Any:
        return self._paint(request) if isinstance(request, Paint) else self._measure(request)

    def _shot(self, document: str) -> Shot:
        shot = self._shots.get(document)
        if shot is None:
            shot = load(document)
            if len(self._shots) > 8:
                self._shots.clear()
            self._shots[document] = shot
        return shot

    def _paint(self, ask: Paint) -> bytes:
        shot = self._shot(ask.document)
        if ask.passing:
            return self._passed(shot, ask)
        step, key = self._plan(shot, ask, ask.frame)
        known = self._encoded.get(key)
        if known is None:
            picture = self._engine.picture(step, trying=ask.trying)
            known = self._encode(picture, ask, key)
        return known

    def _plan(self, shot: Shot, ask: Paint, frame: int) -> tuple[Step, str]:
        step = self._engine.plan(
            shot, frame, short_side=ask.short_side, view=ask.view, chosen=ask.chosen, solo=ask.solo
        )
        return step, f"{step.key} {ask.shown_side} {ask.quality}"

    def _encode(self, picture: Picture, ask: Paint, key: str) -> bytes:
        if ask.shown_side and ask.shown_side < min(picture.shape[:2]):
            factor = ask.shown_side / min(picture.shape[:2])
            size = (round(picture.shape[1] * factor), round(picture.shape[0] * factor))
            picture = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)  # type: ignore[assignment]
        data = jpeg(picture, ask.quality)
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

    def _measure(self, ask: Measure) -> ScreenReading:
        shot = self._shot(ask.document)
        layer = shot.layer(ask.layer)
        if not isinstance(layer.source, FootageSource):
            raise Problem("A flat colour has no screen to key.")
        material = self._material(layer.source.footage)
        frames = self._source_frames(shot, layer, ask)
        pictures = [material.read(number) for number in frames]
        if ask.area is None:
            return measure_border(pictures)
        k = pictures[0].shape[1] / material.width
        m = pictures[0].shape[0] / material.height
        left, top, right, bottom = ask.area
        return measure_area(pictures[0], left * k, top * m, right * k, bottom * m)

    def _source_frames(self, shot: Shot, layer: Layer, ask: Measure) -> list[int]:
        """The frame under the playhead for an area; five over the layer's span for the border."""
        assert isinstance(layer.source, FootageSource)
        material = self._material(layer.source.footage)
        span = layer.span
        if ask.area is not None:
            frames = [min(max(ask.frame, span.first), span.last)]
        else:
            frames = [span.first + (span.length - 1) * k // 4 for k in range(5)]
        return sorted(
            {material.frame_at(layer.time.source_in + (f - span.first) / shot.rate) for f in frames}
        )


def serve(root: str, pipe: Connection) -> None:
    """The painter's process: answers requests from a pipe until it is closed."""
    os.nice(3)
    keep_freed_memory()
    painter = Painter(Library(Path(root)))
    while True:
        try:
            request = pipe.recv()
        except (EOFError, KeyboardInterrupt):
            return
        try:
            pipe.send(("fine", painter.answer(request)))
        except Problem as problem:
            pipe.send(("problem", str(problem)))
        except MemoryError:
            pipe.send(("problem", "There is not enough memory to show this picture."))
