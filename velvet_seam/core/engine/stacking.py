"""Stacking: the steps that join a shot's layers, from the lowest up.

An adjustment layer changes what has been joined so far; light that wraps a layer's rim is that of what lies below; a
border or a shadow is joined beside its layer.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import replace
from math import ceil
from typing import Any

import numpy as np

from velvet_seam.core.engine.adjusting import (
    Adjusting,
    as_patch,
    as_whole_patch,
    inside,
    mixed_floats,
)
from velvet_seam.core.engine.alone import alone, covered_by, spread
from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.engine.limiting import Limiting
from velvet_seam.core.engine.looking import Looking, Tables, no_table
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.engine.masking import Masking
from velvet_seam.core.engine.nested import Nested
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.engine.surrounding import (
    all_of,
    by_whole_edge,
    cut,
    lit_by,
    surrounded,
    wider,
)
from velvet_seam.core.engine.through import can_pass, clipped
from velvet_seam.core.mattes import DifferenceKey, LayerMatte
from velvet_seam.core.picture.blend import EVERYWHERE, NUMBER
from velvet_seam.core.picture.compose import Below, Join, compose, compose_rgba8, compose_yuv420
from velvet_seam.core.picture.placement import Matrix, Patch
from velvet_seam.core.shot.grouping import only_placed
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.steps import Footage, Step, step
from velvet_seam.core.timing.at import At
from velvet_seam.core.words import colour_to_rgb

Joins = tuple[tuple[Step, str, float], ...]
"""Steps that give patches, with the blend and the opacity that each is joined by."""

Lit = Callable[[Step, Sheet], Step]
"""Lays the light of what lies below over a layer that was placed on a sheet."""

Known = dict[Any, tuple[tuple[Layer, ...], Joins]]
"""What layers came to in plans made before, with each layer and its cameras, so that they stay what their ``id``
says."""

MOST_KNOWN = 512

NOTHING = Patch(0, 0, np.zeros((1, 1, 4), np.uint8))


class Stacking:
    """Joins the layers of one shot on one sheet; see :class:`velvet_seam.core.engine.plan.Planner`, which places them."""

    def __init__(
        self, shot: Shot, sheet: Sheet, footage: Callable[[str], Footage], video: bool = False,
        known: Known | None = None, quick: str | None = None, tables: Tables = no_table,
    ) -> None:  # fmt: skip
        self._shot, self._sheet, self._footage = shot, sheet, footage
        self._known, self._lies = known, Lying(shot, footage)
        self._video, self._quick, self._tables = video, quick, tables

    def stack(
        self, frame: int, chosen: str | None, solo: Collection[str], *, only_below: bool,
        finished: bool = True, bed: tuple[int, int, int] | None = None, under: Step | None = None,
        adjusts: bool = True,
    ) -> Step:  # fmt: skip
        """The joined layers, over the canvas, the colour of a ``bed``, or what lies ``under`` them;
        without what adjustment layers do, where they are not to. What lies below the chosen one is kept: that one is being worked on."""
        background = self._shot.canvas.background
        colour = bed or colour_to_rgb("#000000" if background == "none" else background)
        joins: list[tuple[Step, str, float]] = []
        base = under
        for layer in self._shot.layers:
            if layer.id == chosen:
                if only_below:
                    break
                if joins:
                    base, joins = self.composed(colour, joins, finished=False, base=base), []
            if layer.hidden or not layer.span.holds(frame) or (solo and layer.id not in solo):
                continue
            if layer.source.moves or (layer.source.adjusts and not adjusts):
                continue
            if layer.source.adjusts:
                base, joins = self._adjusted(layer, frame, colour, joins, base, solo)
            elif (wrap := self._wrapping(layer, frame)) is not None:
                if joins or base is None:
                    base, joins = self.composed(colour, joins, finished=False, base=base), []
                joins = list(
                    self._made_joins(layer, frame, self._lighting(layer, frame, wrap, base, solo))
                )
            else:
                joins += self._joins(layer, frame)
        return self.composed(colour, joins, finished=finished, base=base)

    def _adjusted(
        self, layer: Layer, frame: int, colour: tuple[int, int, int],
        joins: list[tuple[Step, str, float]], base: Step | None, solo: Collection[str],
    ) -> tuple[Step | None, list[tuple[Step, str, float]]]:  # fmt: skip
        """What has been joined, and what is still to be, after an adjustment layer."""
        opacity = self._opacity(layer, frame)
        at = At(frame - layer.span.first)
        looking = self._looking(layer, frame)
        sheet = self._sheet
        adjusting = Adjusting(looking, sheet, self._shot.light == "linear", None)
        if adjusting.idle or opacity <= 0:
            return base, joins
        covered = None if self._everywhere(layer, frame) else self.placed(layer, frame)
        if adjusting.simple and layer.seam.blend == "normal":
            return base, [*joins, *((one, "normal", opacity) for one in adjusting.tables(covered))]
        below = (
            self.composed(colour, joins, finished=False, base=base)
            if joins or base is None
            else base
        )
        wider = adjusting.around()
        around = below
        if wider.window != sheet.window:
            other = self._on(wider, self._known)
            around = other.stack(frame, layer.id, solo, only_below=True, finished=False)
        on = self._on(wider, None)
        masking = Masking(on, layer, at, *self._lies.size(layer))
        limiting = Limiting(on, layer, frame, masking, frozenset({layer.id}))
        seen = replace(adjusting, plane_of=limiting).seen(around, wider)
        linear = self._shot.light == "linear"
        if layer.seam.blend != "normal":
            if covered is None:
                patch = step("adjusted", as_whole_patch, (sheet.size, linear), seen)
            else:
                patch = step("adjusted", as_patch, (sheet.size, linear), seen, covered)
            return below, [(patch, layer.seam.blend, opacity)]
        if covered is None and opacity >= 1:
            return seen, []
        if covered is None:
            return step("adjusted", mixed_floats, (opacity,), below, seen), []
        return step("adjusted", inside, (opacity, sheet.size), below, seen, covered), []

    def _everywhere(self, layer: Layer, frame: int) -> bool:
        """Whether an adjustment layer covers the whole canvas."""
        seam, spot, place = layer.seam, self._lies.spot(layer, frame), layer.place
        canvas = self._shot.canvas
        whole = not any(part.on for part in seam.parts) and layer.crop.none and place.pins.none
        middle = (spot.x, spot.y) == (canvas.width / 2, canvas.height / 2)
        if self._lies.cameras(layer, frame) or not layer.follow.none:
            return False
        return bool(whole and middle and spot.scale >= 1 and not spot.rotation and not spot.wipe)

    def _looking(self, layer: Layer, frame: int) -> Looking:
        own = frame - layer.span.first
        return Looking(
            layer.look,
            At(own),
            own + layer.age,
            float(self._shot.rate),
            layer.id == self._quick,
            self._tables,
        )

    def _joins(self, layer: Layer, frame: int) -> Joins:
        """A layer's echoes and itself."""
        alone = not any(isinstance(m, LayerMatte | DifferenceKey) for m in layer.seam.matte)
        alone = alone and not layer.look.others
        if self._known is None or not alone:
            return self._made_joins(layer, frame)
        shows = layer.source.shows
        digest = self._footage(shows).digest if shows is not None else ""
        cameras = self._lies.cameras(layer, frame)
        beside = (*cameras, *self._lies.leaders(layer))
        key = (
            id(layer), frame, self._sheet, self._shot.rate, digest, layer.id == self._quick,
            *map(id, beside),
        )  # fmt: skip
        found = self._known.get(key)
        if found is None:
            if len(self._known) >= MOST_KNOWN:
                self._known.clear()
            found = self._known[key] = ((layer, *beside), self._made_joins(layer, frame))
        return found[1]

    def _made_joins(self, layer: Layer, frame: int, lit: Lit | None = None) -> Joins:
        if only_placed(layer) and (passed := self._through(layer, frame)) is not None:
            return passed
        joins = self._echoes(layer, frame)
        opacity = self._opacity(layer, frame)
        if opacity > 0:
            joins += self._surrounded(layer, frame, opacity, lit)
        return tuple(joins)

    def _through(self, layer: Layer, frame: int) -> Joins | None:
        """The layers of a nested shot that is only placed, each by itself; None where that cannot be."""
        spot, nested = self._lies.spot(layer, frame), self._footage(layer.source.shows or "")
        if not isinstance(nested, Nested) or self._opacity(layer, frame) < 1 or spot.wipe:
            return None
        number = frame_shown(nested, layer.time, frame - layer.span.first, self._shot.rate)
        if not can_pass(nested, number, self._shot.light == "linear"):
            return None
        matrix = self.to_sheet(layer, frame)
        if matrix[2, 0] or matrix[2, 1] or matrix[2, 2] != 1 or not np.linalg.det(matrix):
            return None
        canvas = nested.width, nested.height
        inner = self._of(nested, self._sheet.within(canvas, matrix), self._video)
        joins: list[tuple[Step, str, float]] = []
        for one in nested.shot.layers:
            if not (one.hidden or one.source.moves) and one.span.holds(number):
                joins += inner._joins(one, number)
        return clipped(tuple(joins), matrix, canvas, self._sheet.size)

    def _inside(self, nested: Nested, number: int, size: tuple[int, int]) -> Step:
        """A frame of a nested shot joined by itself, as a picture of a size; clear where its canvas is."""
        made: Step = self._of(nested, Sheet.all((nested.width, nested.height), size), False).alone(
            number
        )
        return made

    def alone(self, number: int) -> Step:
        """The layers joined by themselves, as a picture with coverage."""
        if self._shot.canvas.background != "none":
            return replace(self.stack(number, None, (), only_below=False), keep=True)
        linear = self._shot.light == "linear"
        adjusted = any(
            one.source.adjusts and not one.hidden and one.span.holds(number)
            for one in self._shot.layers
        )
        both = [
            self.stack(number, None, (), only_below=False, finished=False, bed=bed, adjusts=False)
            for bed in ((0, 0, 0), (255, 255, 255))
        ]
        made = step("alone", alone, (linear,), *both)
        if not adjusted:
            return made
        under = step("spread", spread, (linear,), made, keep=False)
        toned = self.stack(number, None, (), only_below=False, finished=False, under=under)
        return step("alone-toned", covered_by, (linear,), toned, made)

    def _of(self, nested: Nested, sheet: Sheet, video: bool) -> Any:
        """The same for a nested shot."""
        return type(self)(
            nested.shot, sheet, self._footage, video, self._known, self._quick, self._tables
        )

    def to_sheet(self, layer: Layer, frame: float) -> Matrix:
        """From source pixels to the sheet."""
        raise NotImplementedError

    def _surrounded(
        self, layer: Layer, frame: int, opacity: float, lit: Lit | None
    ) -> list[tuple[Step, str, float]]:
        """The layer, and what lies around it."""
        blend, around = layer.seam.blend, layer.around
        if around.none:
            return [(self._lying(layer, frame), blend, opacity)]
        at = At(frame - layer.span.first)
        on = wider(self._sheet, around, at)
        placed = self._on(on, None).placed(layer, frame)
        own = cut(on, self._sheet, lit(placed, on) if lit else placed)
        whole = None
        if by_whole_edge(around, at):
            whole = all_of(
                on, placed, self._lies.size(layer),
                lambda sheet: self._on(sheet, None).to_sheet(layer, frame),
                lambda sheet: self._on(sheet, None).placed(layer, frame),
            )  # fmt: skip
        return surrounded(around, at, on, self._sheet, placed, own, blend, opacity, whole)

    def _wrapping(self, layer: Layer, frame: int) -> tuple[float, float] | None:
        """How the light of what lies below spills over the layer, where it does."""
        if not layer.around.wrap.on:
            return None
        per = self._sheet.per
        return layer.around.wrap.wrapping(At(frame - layer.span.first), per)

    def _lighting(
        self,
        layer: Layer,
        frame: int,
        wrap: tuple[float, float],
        below: Step,
        solo: Collection[str],
    ) -> Lit:
        """Lays the light of what lies ``below`` over a layer's rim; of an enlarged picture, of what lies beside it, too."""
        reach = ceil(3 * wrap[0]) + 1
        left, top, width, height = self._sheet.window
        on = self._sheet.part((left - reach, top - reach, width + 2 * reach, height + 2 * reach))
        if on.window != self._sheet.window:
            other = self._on(on, self._known)
            below = other.stack(frame, layer.id, solo, only_below=True, finished=False)
        linear, (x, y) = self._shot.light == "linear", on.window[:2]
        return lambda placed, wide: lit_by(
            wrap, linear, (x - wide.window[0], y - wide.window[1]), placed, below
        )

    def _opacity(self, layer: Layer, frame: int) -> float:
        own = At(frame - layer.span.first).part(layer.seam.opacity)
        return own * self._lies.spot(layer, frame).opacity

    def _lying(self, layer: Layer, frame: int) -> Step:
        """The layer as it lies in the stack; kept where frames to come ask for it as an echo."""
        placed = self.placed(layer, frame, to_join=True)
        return replace(placed, soon=True) if layer.echo.count != 0 else placed

    def _echoes(self, layer: Layer, frame: int) -> list[tuple[Step, str, float]]:
        """The layer as it was, the oldest first."""
        echo = layer.echo
        found: list[tuple[Step, str, float]] = []
        at = At(frame - layer.span.first)
        decay, apart = at.part(echo.decay), at.whole(echo.step)
        for number in range(at.whole(echo.count), 0, -1):
            ago = frame - number * apart
            there = layer.span.first - echo.earlier <= ago <= layer.span.last
            opacity = self._opacity(layer, ago) * decay**number if there else 0.0
            if opacity > 1 / 512:
                found.append((self._lying(layer, ago), echo.blend, opacity))
        return found

    def composed(
        self, colour: tuple[int, int, int], joins: list[tuple[Step, str, float]], *,
        finished: bool, base: Step | None = None,
    ) -> Step:  # fmt: skip
        """Layers joined over a colour or over what has been joined already."""
        size = self._sheet.size
        how = tuple((blend, opacity) for _, blend, opacity in joins)
        form = "floats" if not finished else "frame" if self._video else "picture"
        inputs = [one for one, _, _ in joins] + ([base] if base else [])
        args = (form, size, colour, how, self._shot.light == "linear")
        kind = "finish" if finished else "below"
        return step(kind, _composed, args, *inputs, keep=not finished)

    def _on(self, sheet: Sheet, known: Known | None) -> Any:
        """The same on another sheet."""
        return type(self)(
            self._shot, sheet, self._footage, self._video, known, self._quick, self._tables
        )

    def placed(
        self,
        layer: Layer,
        frame: int,
        *,
        raw: bool = False,
        grey: bool = False,
        to_join: bool = False,
    ) -> Step:
        """The layer as a patch of the sheet."""
        raise NotImplementedError


def _composed(
    form: str, size: tuple[int, int], colour: tuple[int, int, int],
    how: tuple[tuple[str, float], ...], linear: bool, *inputs: Any,
) -> Any:  # fmt: skip
    """Patches joined as ``how`` says, over what is joined already where there is one input more."""
    below: Below | None = inputs[-1] if len(inputs) > len(how) else None
    laid = [
        Join(patch or NOTHING, blend, opacity)
        for patch, (blend, opacity) in zip(inputs, how, strict=False)
        if patch is not None or NUMBER[blend] in EVERYWHERE
    ]
    write = {"floats": compose, "frame": compose_yuv420, "picture": compose_rgba8}[form]
    return write(*size, colour, laid, below, linear)
