"""Cutting out: the steps from a layer's picture to the layer as its seam leaves it.

In order: the mattes, each joined with those before it; the edge; masks that keep; masks that limit
and remove. What is fixed to the canvas, masks and the mattes taken from other layers, comes after the
layer has been placed.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial
from math import ceil, floor
from typing import TYPE_CHECKING, Any

import numpy as np

from velvet_seam.core.engine.masking import Masking
from velvet_seam.core.engine.step import Footage, Picture, Sheet, Step, step
from velvet_seam.core.picture.colour import LUMA_709
from velvet_seam.core.picture.colour_key import colour_key
from velvet_seam.core.picture.coverage import Plane, fitted, laid, mixed, weighed
from velvet_seam.core.picture.difference_key import difference_key, median_plate
from velvet_seam.core.picture.edge import EdgeWork, worked
from velvet_seam.core.picture.luma_key import luma_key
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.picture.planes import Planes
from velvet_seam.core.picture.screen_key import Screen, loose_key, read_screen, screen_key
from velvet_seam.core.picture.steady import REACH, Neighbour, motion, steadied
from velvet_seam.core.picture.study import size_of
from velvet_seam.core.shot.layer import FootageSource, Layer
from velvet_seam.core.shot.matte import (
    ColourKey,
    DifferenceKey,
    FootagePlate,
    FramePlate,
    LayerMatte,
    LumaKey,
    Matte,
    OwnAlpha,
    ScreenKey,
)
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.shot.words import colour_to_rgb
from velvet_seam.core.timing.animated import Animated, value_at

if TYPE_CHECKING:
    from velvet_seam.core.engine.plan import Planner

MEDIAN_FRAMES = 9
Later = list[tuple[Step, str]]
"""Coverage of the sheet that a placed layer is joined with, and how: add, subtract, intersect."""


class Cutter:
    """Makes the steps that cut one layer out at one frame."""

    def __init__(
        self, planner: Planner, layer: Layer, frame: int, source: Step, width: int, height: int,
        within: frozenset[str],
    ) -> None:  # fmt: skip
        self._planner, self._layer, self._frame = planner, layer, frame
        self._source, self._width, self._height = source, width, height
        self._within = within
        self._at = frame - layer.span.first
        self._scale = self._number(layer.place.scale) / 100
        self._masking = Masking(planner, layer, self._at, width, height)
        # by the key of a step, what makes it, whole or loose: a screen key alone, or with a mask laid on
        self._screen_keys: dict[str, Callable[..., Any]] = {}
        self._masked_keys: dict[str, Callable[..., Any]] = {}

    def _number(self, value: Animated) -> float:
        return value_at(value, self._at)

    def cut(self) -> tuple[Step, Later]:
        """The layer's picture cut out, and what is left to be done once it is placed."""
        later: Later = []
        picture = self._keyed(later)
        if picture is None:
            return self._masked(self._source, later)
        return self._masked(self._edged(self._steadied(picture)), later)

    def keyed(self) -> Step:
        """What the mattes leave of the picture, without those that are taken from other layers."""
        return self._keyed([]) or self._source

    def _keyed(self, later: Later) -> Step | None:
        picture: Step | None = None
        for matte in self._layer.seam.matte:
            if not matte.on:
                continue
            if isinstance(matte, LayerMatte):
                plane = self._other_layer(matte)
                if plane is not None:
                    first = picture is None and not later and matte.combine == "add"
                    later.append((plane, "intersect" if first else matte.combine))
                continue
            picture = self._joined(picture, matte)
        return picture

    def _steadied(self, picture: Step) -> Step:
        """Joined with what the mattes leave of the frames beside this one."""
        strength = self._number(self._layer.seam.edge.steady) / 100
        if not strength or not picture.inputs:
            return picture
        picture = replace(picture, soon=True)
        beside: list[Step] = []
        for apart in range(-REACH, REACH + 1):
            frame = self._frame + apart
            if not apart or not self._layer.span.holds(frame):
                continue
            source, cut = self._planner.keyed(self._layer, frame, self._within)
            if source.key == self._source.key:  # a clip that stands still, or has fewer frames
                continue
            cut = replace(cut, soon=True)
            beside += [source, cut, step("motion", motion, (), picture, cut)]

        def run(source: Picture, cut: Picture, *others: Any) -> Picture:
            each = (others[n : n + 3] for n in range(0, len(others), 3))
            return steadied(source, cut, [Neighbour(*one) for one in each], strength)

        return step("steady", run, strength, self._source, picture, *beside) if beside else picture

    def _joined(self, before: Step | None, matte: Matte) -> Step:
        """A matte joined with what those before it have left of the picture."""
        keyed, is_plane = self._matte(matte)
        turned = matte.invert
        if before is None and not is_plane and not turned and matte.combine != "subtract":
            return keyed
        how = matte.combine

        def run(source: Picture, new: Any, earlier: Picture | None = None) -> Picture:
            plane: Plane = new if is_plane else np.ascontiguousarray(new[..., 3])
            if turned:
                plane = np.asarray(255 - plane, np.uint8)
            if how == "subtract":
                return weighed(
                    source if earlier is None else earlier, np.asarray(255 - plane, np.uint8)
                )
            if how == "intersect" and earlier is not None:
                return weighed(earlier, plane)
            cut = new if not is_plane and not turned else weighed(source, plane)
            return cut if earlier is None else laid(earlier, cut)

        inputs = (self._source, keyed) if before is None else (self._source, keyed, before)
        return step("join-matte", run, (how, turned, is_plane, before is None), *inputs)

    def _matte(self, matte: Matte) -> tuple[Step, bool]:
        """A matte's own step, and whether it gives a coverage plane rather than a cut picture."""
        if isinstance(matte, ScreenKey):
            return self._screen(matte), False
        if isinstance(matte, DifferenceKey):
            return self._difference(matte), False
        if isinstance(matte, OwnAlpha):
            return self._source, False
        if isinstance(matte, LumaKey):
            levels = {n: self._number(getattr(matte, n)) / 100 for n in ("low", "high", "softness")}
            return step(
                "luma-key", lambda p: luma_key(p, **levels), sorted(levels.items()), self._source
            ), True
        assert isinstance(matte, ColourKey)
        colours = [colour_to_rgb(colour) for colour in matte.colours]
        reach = {n: self._number(getattr(matte, n)) for n in ("tolerance", "softness")}
        params = (colours, sorted(reach.items()))
        return step(
            "colour-key", lambda p: colour_key(p, colours, **reach), params, self._source
        ), True

    def _screen(self, key: ScreenKey) -> Step:
        names = ("tolerance", "softness", "keep_shadows", "despill")
        settings = {name: self._number(getattr(key, name)) / 100 for name in names}
        clip = (self._number(key.clip_black) / 100, self._number(key.clip_white) / 100)
        colour, left, spill_to = colour_to_rgb(key.colour), self._masking.rows_left(), key.spill_to

        def keyed(
            write: Callable[..., Any], source: Picture | Planes, screen: Screen,
            mask: Plane | None = None,
        ) -> Any:  # fmt: skip
            height = size_of(source)[0]
            rows = (floor(left[0] * height), ceil(left[1] * height))
            return write(
                source, screen, colour, **settings, clip=clip, spill_to=spill_to, rows=rows,
                mask=mask,
            )  # fmt: skip

        # a screen is read in the codec's planes in either case, so that either gives the same bits
        folded = self._planner.folded(self._layer, self._frame)
        read = step("read-screen", lambda p: read_screen(p, colour), colour, folded)
        params = (colour, sorted(settings.items()), clip, spill_to, left)
        source = folded if self._planner.video else self._source
        made = step("screen-key", partial(keyed, screen_key), params, source, read)
        self._screen_keys[made.key] = keyed
        return made

    def _difference(self, key: DifferenceKey) -> Step:
        plate = self._plate(key)
        if plate is None:  # its footage is of a kind that has no picture
            return self._source
        settings = {
            "tolerance": self._number(key.tolerance), "softness": self._number(key.softness),
            "ignore_shadows": self._number(key.ignore_shadows) / 100,
        }  # fmt: skip
        return step(
            "difference-key", lambda p, q: difference_key(p, q, **settings), sorted(settings.items()),
            self._source, plate,
        )  # fmt: skip

    def _plate(self, key: DifferenceKey) -> Step | None:
        """The clean plate: it lasts, whatever it is read from."""
        source = self._layer.source
        own: Footage | None = None
        if isinstance(source, FootageSource):
            own = self._planner.footage(source.footage)
        plate = key.plate
        if isinstance(plate, FootagePlate):
            own = self._planner.footage(plate.footage)
        if own is None:
            return None
        footage = own
        if isinstance(plate, FramePlate | FootagePlate):
            number = footage.frame_at(Fraction(0)) + plate.frame
            return step("plate", lambda: footage.read(number), (footage.digest, number))
        last = footage.frame_at(Fraction(1_000_000))
        count = min(MEDIAN_FRAMES, last + 1)
        numbers = sorted({round(n * last / max(1, count - 1)) for n in range(count)})

        def median() -> Picture:
            return median_plate([footage.read(n) for n in numbers])

        return step("plate", median, (footage.digest, numbers))

    def _other_layer(self, matte: LayerMatte) -> Step | None:
        """Another layer's coverage or brightness over the sheet; None where it cannot be asked."""
        shot: Shot = self._planner.shot
        other = next((one for one in shot.layers if one.id == matte.layer), None)
        if other is None or other.id in self._within:
            return None
        sheet: Sheet = self._planner.sheet
        size, bright, turned = (sheet.width, sheet.height), matte.of == "brightness", matte.invert
        moved = self._planner.moved(self._layer, self._frame, matte.home)
        if not other.span.holds(self._frame):
            return step("no-layer", lambda: _plane_of(None, size, bright, turned), (size, turned))
        placed = self._planner.on_sheet(other, self._frame, self._within, moved)
        return step("layer-matte", lambda patch: _plane_of(patch, size, bright, turned),
                    (size, bright, turned), placed)  # fmt: skip

    def _edged(self, picture: Step) -> Step:
        edge = self._layer.seam.edge
        per = 1 / self._scale
        lengths = {name: self._number(getattr(edge, name)) * per for name in ("grow", "feather")}
        areas = {
            name: self._number(getattr(edge, name)) * per * per for name in ("specks", "holes")
        }
        density, clean = self._number(edge.density) / 100, self._number(edge.clean) / 100
        if not any((*lengths.values(), *areas.values(), clean, density != 1)):
            return picture
        width = self._width

        def run(cut: Picture) -> Picture:
            k = cut.shape[1] / width
            work = EdgeWork(
                areas["specks"] * k * k, areas["holes"] * k * k, lengths["grow"] * k,
                lengths["feather"] * k, density, clean,
            )  # fmt: skip
            return worked(cut, work)

        params = (sorted(lengths.items()), sorted(areas.items()), density, clean, width)
        return step("edge", run, params, picture)

    def _masked(self, picture: Step, later: Later) -> tuple[Step, Later]:
        masks = [mask for mask in self._layer.seam.masks if mask.on]
        for use in ("keep", "garbage", "limit"):
            for fixed in ("layer", "canvas"):
                these = [m for m in masks if m.use == use and m.fixed == fixed]
                if not these:
                    continue
                plane = self._masking.planes(these, use, fixed == "canvas")
                if fixed == "canvas":
                    how = {"keep": "add", "garbage": "subtract", "limit": "intersect"}[use]
                    later.append((plane, how))
                elif use == "keep":
                    if picture is not self._source:
                        picture = step(
                            "keep-mask", lambda p, s, q: mixed(p, s, fitted(q, *p.shape[:2])), (), picture, self._source,
                            plane,
                        )  # fmt: skip
                else:
                    picture = self._weighed(picture, plane, use == "garbage")
        if any(how == "add" for _, how in later):
            later.insert(0, (self._raw_placed(), "whole"))
        return picture, later

    def _weighed(self, picture: Step, plane: Step, out: bool) -> Step:
        """A cut-out and what a mask leaves of it. While one is worked on, the key alone is kept; in a
        render both are done at once."""
        key = self._screen_keys.get(picture.key) if self._planner.video else None
        if key is None:

            def run(p: Picture, q: Plane) -> Picture:
                return weighed(p, fitted(255 - q if out else q, *p.shape[:2]))

            return step("mask", run, out, picture, plane)

        def both(
            write: Callable[..., Any], source: Picture | Planes, screen: Screen, q: Plane
        ) -> Any:
            return key(write, source, screen, fitted(255 - q if out else q, *size_of(source)))

        run, params = partial(both, screen_key), (picture.key, out)
        made = step("screen-key", run, params, *picture.inputs, plane)
        self._masked_keys[made.key] = both
        return made

    def loose(self, picture: Step) -> Step:
        """A cut-out that only has to be placed: a screen key is then written only where something is
        left of the picture."""
        key = self._masked_keys.get(picture.key) or self._screen_keys.get(picture.key)
        if key is None:
            return picture
        run, params = partial(key, loose_key), (picture.key, "loose")
        return step("screen-key", run, params, *picture.inputs)

    def _raw_placed(self) -> Step:
        """The layer with nothing cut out, placed: what an added coverage shows of it."""
        return self._planner.placed(self._layer, self._frame, raw=True)


def _plane_of(patch: Patch | None, size: tuple[int, int], bright: bool, turned: bool) -> Plane:
    """A placed layer's coverage or brightness over the whole sheet."""
    plane = np.zeros((size[1], size[0]), np.uint8)
    if patch is not None:
        h, w = patch.pixels.shape[:2]
        if bright:  # premultiplied: what is clear is dark
            value = np.rint(patch.pixels[..., :3] @ np.array(LUMA_709, np.float32)).astype(np.uint8)
        else:
            value = patch.pixels[..., 3]
        plane[patch.top : patch.top + h, patch.left : patch.left + w] = value
    return np.asarray(255 - plane, np.uint8) if turned else plane


def laid_over(placed: Step, later: Later, grey: bool) -> Step:
    """A placed layer joined with coverage of the sheet; ``grey`` when it shows its own coverage."""
    hows = [how for _, how in later]

    def run(patch: Patch | None, *planes: Any) -> Patch | None:
        whole: Patch | None = None
        for plane, how in zip(planes, hows, strict=True):
            if how == "whole":
                whole = plane
            elif how == "add":
                patch = _added(patch, whole, plane, grey)
            elif patch is not None:
                h, w = patch.pixels.shape[:2]
                piece = plane[patch.top : patch.top + h, patch.left : patch.left + w]
                if how == "subtract":
                    piece = 255 - piece
                pixels = weighed(patch.pixels, np.ascontiguousarray(piece))
                if grey:
                    pixels[..., 3] = patch.pixels[..., 3]
                patch = Patch(patch.left, patch.top, pixels)
        return patch

    return step("over-sheet", run, (hows, grey), placed, *(plane for plane, _ in later))


def _added(patch: Patch | None, whole: Patch | None, plane: Plane, grey: bool) -> Patch | None:
    if whole is None:
        return patch
    h, w = whole.pixels.shape[:2]
    piece = np.ascontiguousarray(plane[whole.top : whole.top + h, whole.left : whole.left + w])
    full = whole.pixels
    if grey:
        full = np.full_like(full, 255)
    if patch is None:
        return Patch(whole.left, whole.top, weighed(full, piece))
    base = np.zeros_like(full)
    top, left = patch.top - whole.top, patch.left - whole.left
    ph, pw = patch.pixels.shape[:2]
    y0, x0, y1, x1 = max(top, 0), max(left, 0), min(top + ph, h), min(left + pw, w)
    base[y0:y1, x0:x1] = patch.pixels[y0 - top : y1 - top, x0 - left : x1 - left]
    return Patch(whole.left, whole.top, mixed(base, full, piece))
