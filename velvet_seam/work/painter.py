"""The painter: a process that holds the engine and its cache and answers with pictures."""

from __future__ import annotations

import json
import os
from collections.abc import Collection
from concurrent.futures import Future
from dataclasses import replace
from functools import partial
from math import floor
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import simplejpeg

from velvet_seam.core.analyse.mask_cut import cut_length
from velvet_seam.core.analyse.scopes import SCOPES, levels, lost, marked
from velvet_seam.core.engine.cache import ByteCache
from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.engine.engine import MEGABYTE, PREVIEW_SHORT_SIDE, Engine, frames_at_once
from velvet_seam.core.engine.lying import Lying, Stray
from velvet_seam.core.engine.nested import Nested
from velvet_seam.core.engine.plan import Picture, Step, View
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.media.material import Material, Missing
from velvet_seam.core.media.still import png_bytes
from velvet_seam.core.picture.edge import Counts, counts
from velvet_seam.core.picture.screen import ScreenReading, measure_area, measure_border
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.edits import ReorderLayer, SetValues, WearLook, apply, read_edit
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.look import Look
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.written import Written, put_together
from velvet_seam.store.library import Library
from velvet_seam.work.asks import (
    LOUPE_SIDE,
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
    Seen,
    Still,
    Wall,
    WallPictures,
)
from velvet_seam.work.lighting import light_of
from velvet_seam.work.lining import FINE_SHORT_SIDE, lines_of
from velvet_seam.work.memory import keep_freed_memory
from velvet_seam.work.picture_files import jpeg

FULL_QUALITY = 94


CUT_SIDE = 180
"""Shorter side at which masks are looked at for cutting a subject."""


SEEN_AND_COVERED: tuple[View, View] = ("layer", "matte")
LEVELS_SIDE = 180
"""Shorter side at which levels are counted."""


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
        self._seen: dict[str, tuple[str, Picture]] = {}

    def answer(self, request: Request) -> Any:
        match request:
            case Paint():
                return self._paint(request)
            case Still():
                return self._still(request)
            case Measure():
                return self._measure(request)
            case Wall():
                return self._wall(request)
            case LookTiles():
                return self._look_tiles(request)
            case Levels():
                return self._levels(request)
            case LineUp():
                return self._line_up(request)
            case MatchLight():
                shot = self._shot(request.document)
                return light_of(self._engine, shot, request, PREVIEW_SHORT_SIDE)
            case MatteFacts():
                return self._facts(request)
            case CutLength():
                return self._cut_length(request)
            case Loupe():
                return self._loupe(request)

    def _still(self, ask: Still) -> bytes:
        plan = self._full.plan(self._shot(ask.document), ask.frame)
        return png_bytes(self._full.picture(plan, passing=True))

    def _wall(self, ask: Wall) -> WallPictures:
        shot = self._shot(ask.document)
        at = shot.layers.index(shot.layer(ask.layer))
        above = self._hidden_by_what_lies_above(shot, ask)
        if above:
            shot = shot.model_copy(update={"layers": shot.layers[: at + 1]})
        orders = [shot]
        if at > 0:
            orders.append(apply(shot, ReorderLayer(layer=ask.layer, index=at - 1)))
        rows = []
        for blend in ask.blends:
            values = {"seam.blend": blend}
            tiles = [
                self._engine.picture(
                    self._engine.plan(
                        apply(order, SetValues(target=ask.layer, values=values)), ask.frame,
                        short_side=ask.short_side,
                    )
                )
                for order in orders
            ]  # fmt: skip
            rows.append(np.concatenate(tiles if at > 0 else tiles * 2, axis=1))
        return WallPictures(jpeg(np.concatenate(rows), 86), above)

    def _look_tiles(self, ask: LookTiles) -> bytes:
        shot = self._shot(ask.document)
        tiles = []
        for text in ask.looks:
            look = Look.model_validate_json(text)
            worn = apply(shot, WearLook(layers=(ask.layer,), look=look, new_id="w-tile"))
            plan = self._engine.plan(worn, ask.frame, short_side=ask.short_side, quick=ask.layer)
            tiles.append(self._engine.picture(plan, trying=True))
        return jpeg(np.concatenate(tiles, axis=1), 82)

    def _levels(self, ask: Levels) -> list[list[float]]:
        shot = self._shot(ask.document)
        layer = shot.layer(ask.layer)
        ids = [one.id for one in layer.look.parts]
        before = layer.look.parts[: ids.index(ask.part)] if ask.part in ids else ()
        shot = apply(shot, WearLook(layers=(ask.layer,), look=Look(parts=before), new_id="w-bare"))
        if layer.source.adjusts:
            at = shot.layers.index(shot.layer(ask.layer))
            shot = shot.model_copy(update={"layers": shot.layers[: at + 1]})
            return levels(
                self._engine.picture(
                    self._engine.plan(shot, ask.frame, short_side=LEVELS_SIDE), trying=True
                )
            )
        seen = [
            self._engine.picture(
                self._engine.plan(
                    shot, ask.frame, short_side=LEVELS_SIDE, view=view, chosen=ask.layer
                ),
                trying=True,
            ).copy()
            for view in SEEN_AND_COVERED
        ]
        return levels(seen[0], seen[1][..., 1])

    def _line_up(self, ask: LineUp) -> Lines:
        shot = self._shot(ask.document)
        if ask.fine:
            side = min(shot.canvas.width, shot.canvas.height, FINE_SHORT_SIDE)
            return lines_of(self._full, shot, ask, side)
        return lines_of(self._engine, shot, ask, PREVIEW_SHORT_SIDE)

    def _hidden_by_what_lies_above(self, shot: Shot, ask: Wall) -> bool:
        """Whether a layer makes no difference on a frame where it would without those above it."""
        at = shot.layers.index(shot.layer(ask.layer))
        if at == len(shot.layers) - 1:
            return False

        def differs(layers: tuple[Layer, ...]) -> bool:
            there = shot.model_copy(update={"layers": layers})
            gone = apply(there, SetValues(target=ask.layer, values={"hidden": True}))
            one, other = (
                self._engine.picture(
                    self._engine.plan(each, ask.frame, short_side=ask.short_side)
                ).copy()
                for each in (there, gone)
            )
            return not np.array_equal(one, other)

        return not differs(shot.layers) and differs(shot.layers[: at + 1])

    def _facts(self, ask: MatteFacts) -> Counts:
        """Areas in square canvas pixels."""
        shot = self._shot(ask.document)
        plan = self._engine.plan(
            shot, ask.frame, short_side=PREVIEW_SHORT_SIDE, view="matte", chosen=ask.layer
        )
        grey = self._engine.picture(plan)[..., 1]
        k = shot.canvas.width * shot.canvas.height / grey.size
        found = counts(np.ascontiguousarray(grey))
        return Counts(
            [round(a * k) for a in found.parts], [round(a * k) for a in found.holes], found.covered
        )

    def _cut_length(self, ask: CutLength) -> float:
        shot = self._shot(ask.document)
        masks = shot.layer(ask.layer).seam.masks
        off = {f"seam.masks.{mask.id}.on": False for mask in masks if mask.use != "keep"}
        bare = apply(shot, SetValues(target=ask.layer, values=off))
        before, after = (
            self._engine.picture(
                self._engine.plan(
                    each, ask.frame, short_side=CUT_SIDE, view="matte", chosen=ask.layer
                )
            )[..., 1].copy()
            for each in (bare, shot)
        )
        return cut_length(before, after)

    def _loupe(self, ask: Loupe) -> Seen:
        shot = self._shot(ask.document)
        seen = self._looked_at(shot, ask, ask.view)
        height, width = seen.shape[:2]
        j = floor(ask.x / shot.canvas.width * width) - LOUPE_SIDE // 2
        i = floor(ask.y / shot.canvas.height * height) - LOUPE_SIDE // 2
        places = [(i + v, j + u) for v in range(LOUPE_SIDE) for u in range(LOUPE_SIDE)]
        inside = [0 <= y < height and 0 <= x < width for y, x in places]
        both = list(zip(places, inside, strict=True))
        colours = ["#" + bytes(seen[at][:3]).hex() if known else "" for at, known in both]
        if ask.layer is None:
            return Seen(colours, None)
        middle, before = (i + LOUPE_SIDE // 2, j + LOUPE_SIDE // 2), ""
        if shot.layer(ask.layer).look.parts and inside[len(inside) // 2]:
            bare = apply(shot, SetValues(target=ask.layer, values={"look.on": False}))
            before = "#" + bytes(self._looked_at(bare, ask, ask.view, "bare")[middle][:3]).hex()
        grey = self._looked_at(shot, ask, "matte")
        coverage = [round(int(grey[at][0]) / 2.55, 1) if known else 0.0 for at, known in both]
        return Seen(colours, coverage, before)

    def _looked_at(self, shot: Shot, ask: Loupe, view: View, of: str = "") -> Picture:
        """A finished picture; the last ones are held, for the hand moves over one and the same."""
        engine, side = (self._full, None) if ask.full else (self._engine, PREVIEW_SHORT_SIDE)
        step = engine.plan(shot, ask.frame, short_side=side, view=view, chosen=ask.layer)
        held = self._seen.get(of + view)
        if held is None or held[0] != step.key:
            held = self._seen[of + view] = (step.key, engine.picture(step))
        return held[1]

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

    def _paint(self, ask: Paint) -> bytes | Painted:
        shot = self._shot(ask.document)
        if ask.trial:
            shot = apply(shot, read_edit(json.loads(ask.trial)))
        ask = replace(ask, frame=min(ask.frame, shot.length - 1))
        data = self._picture(shot, ask)
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

    def _measure(self, ask: Measure) -> ScreenReading:
        shot = self._shot(ask.document)
        layer = shot.layer(ask.layer)
        if layer.source.shows is None:
            raise Problem("What is not filmed has no screen to key.")
        material = self._material(layer.source.shows)
        frames = self._source_frames(shot, layer, material, ask)
        pictures = [self._read(material, number) for number in frames]
        if ask.area is None:
            reading = measure_border(pictures)
            if reading.found or isinstance(material, Nested):
                return reading
            return self._looked_closer(layer.source.shows, frames, reading)
        left, top, right, bottom = ask.area
        corners = np.array([[left, top, 1], [right, top, 1], [right, bottom, 1], [left, bottom, 1]])
        lies = Lying(shot, self._material)
        at = min(max(ask.frame, layer.span.first), layer.span.last)
        whole, moved = lies.matrix(layer, at), lies.moved(layer, at)
        there = corners @ np.linalg.inv(whole if moved is None else moved @ whole).T
        there /= there[:, 2:]
        height, width = pictures[0].shape[:2]
        per = (width / material.width, height / material.height)
        return measure_area(pictures[0], there[:, :2] * per)

    def _read(self, material: Material | Missing | Nested, number: int) -> Picture:
        if isinstance(material, Nested):
            plan = self._engine.plan(material.shot, number, short_side=PREVIEW_SHORT_SIDE)
            return self._engine.picture(plan)
        return material.read(number)

    def _looked_closer(
        self, footage: str, frames: list[int], reading: ScreenReading
    ) -> ScreenReading:  # fmt: skip
        """What tells a screen from a wall was measured on pictures as they come; a proxy has softer edges, so that
        what is doubted there is looked at in the original, which takes longer."""
        try:
            original = self._original(footage)
        except Problem:  # its file is missing
            return reading
        return measure_border([self._read(original, number) for number in frames[::2]])

    def _source_frames(
        self, shot: Shot, layer: Layer, material: Material | Missing | Nested, ask: Measure
    ) -> list[int]:
        """The frame under the playhead for an area; five over the layer's span for the border."""
        span = layer.span
        if ask.area is not None:
            frames = [min(max(ask.frame, span.first), span.last)]
        else:
            frames = [span.first + (span.length - 1) * k // 4 for k in range(5)]
        return sorted(
            {frame_shown(material, layer.time, f - span.first, shot.rate) for f in frames}
        )


def serve(root: str, pipe: Connection) -> None:
    """The painter's process: answers requests from a pipe until it is closed."""
    os.nice(3)
    keep_freed_memory()
    painter = Painter(Library(Path(root)))
    while True:
        try:
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
