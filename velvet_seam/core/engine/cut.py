"""Cutting out: the steps from a layer's picture to the layer as its seam leaves it.

In order: the mattes, each joined with those before it; the edge; masks that keep; the look, where it is more than
tables; masks that remove and limit; the crop. What is fixed to the canvas, masks and the mattes taken from other layers, comes after the
layer has been placed; masks do only where their order allows it.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from velvet_seam.core.engine.clip_time import frame_shown
from velvet_seam.core.engine.context import Context
from velvet_seam.core.engine.limiting import Limiting
from velvet_seam.core.engine.looking import Looking
from velvet_seam.core.engine.lying import LEAST_SCALE
from velvet_seam.core.engine.masking import Masking
from velvet_seam.core.looks import Ground
from velvet_seam.core.masks import Mask
from velvet_seam.core.mattes import Cut, Home, LayerMatte, Matte, Side
from velvet_seam.core.picture.coverage import Plane, fitted, laid, mixed, weighed
from velvet_seam.core.picture.edge import EdgeWork, worked
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.picture.steady import REACH, Neighbour, motion, steadied
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.steps import Footage, Picture, Step, step
from velvet_seam.core.timing.at import At

Later = list[tuple[Step, str]]
"""Coverage of the sheet that a placed layer is joined with, and how: add, subtract, intersect."""


class Cutter:
    """Makes the steps that cut one layer out at one frame; what mattes ask for (``mattes.Asked``)."""

    def __init__(
        self, context: Context, layer: Layer, frame: int, source: Step, width: int, height: int,
        within: frozenset[str], looking: Looking | None = None,
    ) -> None:  # fmt: skip
        self._context, self._layer, self._frame = context, layer, frame
        self._source, self._width, self._height = source, width, height
        self._within = within
        self.at = At(frame - layer.span.first)
        self._scale = self.at.part(layer.place.scale)
        self._masking = Masking(context, layer, self.at, width, height)
        self._looking = looking if looking is not None and not looking.simple else None

    @property
    def picture(self) -> Step:
        return self._source

    @property
    def in_planes(self) -> Step:
        return self._context.in_planes(self._layer, self._frame)

    @property
    def source_frame(self) -> int:
        footage = self.own_footage()
        at = self._frame - self._layer.span.first
        return (
            0
            if footage is None
            else frame_shown(footage, self._layer.time, at, self._context.shot.rate)
        )

    def beside(self, apart: int) -> Step | None:
        frame = self._frame + apart
        if not self._layer.span.holds(frame):
            return None
        other = self._context.seen(self._layer, frame)
        return None if other.key == self._source.key else other

    @property
    def video(self) -> bool:
        return self._context.video

    @property
    def size(self) -> tuple[int, int]:
        return self._context.sheet.size

    def rows_left(self) -> tuple[float, float]:
        if self._looking is not None:  # what it moves or spreads may come from anywhere
            return 0.0, 1.0
        return self._masking.rows_left()

    def own_footage(self) -> Footage | None:
        shows = self._layer.source.shows
        return None if shows is None else self.footage(shows)

    def footage(self, identity: str) -> Footage:
        return self._context.footage(identity)

    def other(self, layer: str, home: Home | None) -> tuple[bool, Step | None]:
        shot = self._context.shot
        if layer in self._within or all(one.id != layer for one in shot.layers):
            return False, None
        found = shot.there(layer, self._frame)
        if found is None or found.id in self._within:
            return True, None
        moved = self._context.moved(self._layer, self._frame, home)
        return True, self._context.on_sheet(found, self._frame, self._within, moved)

    def cut(self) -> tuple[Cut, Later]:
        """The layer's picture cut out, and what is left to be done once it is placed."""
        later: Later = []
        cut = self._keyed(later)
        if cut is None:
            return self._masked(Cut(self._source), later)
        return self._masked(self._edged(self._steadied(cut)), later)

    def keyed(self) -> Step:
        """What the mattes leave of the picture, without those that are taken from other layers."""
        cut = self._keyed([])
        return cut.step if cut else self._source

    def _keyed(self, later: Later) -> Cut | None:
        left: Cut | None = None
        mattes = [matte for matte in self._layer.seam.matte if matte.on]
        wait = all(
            self._can_wait(
                matte.combine if n or matte.combine != "add" else "intersect", mattes[n + 1 :]
            )
            for n, matte in enumerate(mattes)
            if isinstance(matte, LayerMatte)
        )
        for matte in mattes:
            made = matte.cut(self)
            if made is None:
                continue
            if made.gives != "sheet":
                left = self._joined(left, matte, made)
                continue
            if wait:
                first = left is None and not later and matte.combine == "add"
                later.append((made.step, "intersect" if first else matte.combine))
            else:
                plane = Cut(self._masking.onto_picture(made.step, 0), "plane")
                left = self._joined(
                    left, revised(matte, invert=False), plane
                )  # it is turned already
        return left

    def _can_wait(self, how: str, following: list[Matte]) -> bool:
        """Whether coverage of the sheet can be laid on once the layer has been placed, though other mattes follow it, and
        masks that keep, remove and limit. What is added to others counts as one way, what takes of them as the other."""
        adds = how == "add"
        if any(
            (one.combine == "add") != adds for one in following if not isinstance(one, LayerMatte)
        ):
            return False
        masks = [one for one in self._layer.seam.masks if one.on]
        removes = any(one.use != "keep" and one.fixed == "layer" for one in masks)
        if adds and (removes or not self._layer.crop.none):
            return False
        return not any(one.use == "keep" for one in masks)

    def _steadied(self, cut: Cut) -> Cut:
        """Joined with what the mattes leave of the frames beside this one."""
        strength = self.at.part(self._layer.seam.edge.steady)
        if not strength or not cut.step.inputs:
            return cut
        picture = replace(cut.step, soon=True)
        beside: list[Step] = []
        for apart in range(-REACH, REACH + 1):
            frame = self._frame + apart
            if not apart or not self._layer.span.holds(frame):
                continue
            source, other = self._context.keyed(self._layer, frame, self._within)
            if source.key == self._source.key:  # a clip that stands still, or has fewer frames
                continue
            other = replace(other, soon=True)
            beside += [source, other, step("motion", motion, (), picture, other)]

        if not beside:
            return replace(cut, step=picture)
        return Cut(step("steady", _steady, (strength,), self._source, picture, *beside))

    def _joined(self, before: Cut | None, matte: Matte, new: Cut) -> Cut:
        """A matte joined with what those before it have left of the picture."""
        is_plane = new.gives == "plane"
        if before is None and not is_plane and not matte.invert and matte.combine != "subtract":
            return new
        inputs = (self._source, new.step, *((before.step,) if before else ()))
        return Cut(step("join-matte", _join, (matte.combine, matte.invert, is_plane), *inputs))

    def _edged(self, cut: Cut) -> Cut:
        edge = self._layer.seam.edge
        per = 1 / self._scale
        lengths = {name: self.at(getattr(edge, name)) * per for name in ("grow", "feather")}
        areas = {name: self.at(getattr(edge, name)) * per * per for name in ("specks", "holes")}
        density, clean = self.at.part(edge.density), self.at.part(edge.clean)
        if not any((*lengths.values(), *areas.values(), clean, density != 1)):
            return cut
        work = EdgeWork(**areas, **lengths, density=density, clean=clean)
        return Cut(step("edge", _worked, (work, self._width), cut.step))

    def _masked(self, cut: Cut, later: Later) -> tuple[Cut, Later]:
        """Keep masks, a look that is more than tables, masks that remove and limit, and the crop."""
        cut = self._looked(self._use(cut, later, "keep"))
        for use in ("garbage", "limit"):
            cut = self._use(cut, later, use)
        crop = self._masking.crop(cut.margin)
        if crop is not None:
            cut = self._weighed(cut, crop, False)
        if any(how == "add" for _, how in later):
            later.insert(0, (self._context.raw_placed(self._layer, self._frame), "whole"))
        return cut, later

    def _use(self, cut: Cut, later: Later, use: str) -> Cut:
        """Masks of one use laid on, or left for later where they are fixed to the canvas."""
        masks = [mask for mask in self._layer.seam.masks if mask.on and mask.use == use]
        at_once = self._in_order(masks, use)
        for fixed in ("layer", "canvas"):
            these = [mask for mask in masks if at_once or mask.fixed == fixed]
            if not these or (at_once and fixed == "canvas"):
                continue
            plane = self._masking.planes(these, use, fixed == "canvas", cut.margin)
            if fixed == "canvas":
                how = {"keep": "add", "garbage": "subtract", "limit": "intersect"}[use]
                later.append((plane, how))
            elif use != "keep":
                cut = self._weighed(cut, plane, use == "garbage")
            elif cut.step is not self._source:
                cut = Cut(step("keep-mask", _kept, (), cut.step, self._source, plane))
        return cut

    def _in_order(self, masks: list[Mask], use: str) -> bool:
        """Whether masks of one use that are fixed to the canvas have to be laid on the layer's picture with the others, for
        it depends on the order: one that is added to others, or keeps what others, or the crop, are to remove."""
        fixed = {mask.fixed for mask in masks}
        if use == "keep":
            others = [one for one in self._layer.seam.masks if one.on and one.use != "keep"]
            removes = any(one.fixed == "layer" for one in others) or not self._layer.crop.none
            return "canvas" in fixed and removes
        return use == "limit" and len(fixed) > 1 and any(one.combine == "add" for one in masks[1:])

    def looked(self) -> Cut:
        """The whole picture with its look, nothing cut out."""
        return self._looked(Cut(self._source))

    def _looked(self, cut: Cut) -> Cut:
        """The layer's look, where it is more than tables."""
        if self._looking is None:
            return cut
        made, margin = self._looking.worked(cut.step, self._ground(), self._limits())
        return cut if made is cut.step else Cut(made, margin=margin)

    def _ground(self) -> Ground:
        size = self._context.picture_size(self._layer)
        return Ground(size, size[0] / self._width / max(self._scale, LEAST_SCALE))

    def _limits(self) -> Limiting:
        per = self._ground().per
        return Limiting(self._context, self._layer, self._frame, self._masking, self._within, per)

    def _weighed(self, cut: Cut, plane: Step, out: bool) -> Cut:
        """A cut-out and what a mask leaves of it. While one is worked on, the key alone is kept; in a
        render both are done at once, where the key can."""
        side: Side = "outside" if out else "inside"
        written = cut.written
        if written is None or cut.side or not self.video:
            return Cut(step("mask", _shown, (side,), cut.step, plane), margin=cut.margin)
        args = ("whole", side, *written.args)
        made = step(cut.step.kind, written.function, args, *cut.step.inputs, plane)
        return Cut(made, written=written, side=side)


def _steady(strength: float, source: Picture, cut: Picture, *others: Any) -> Picture:
    each = (others[n : n + 3] for n in range(0, len(others), 3))
    return steadied(source, cut, [Neighbour(*one) for one in each], strength)


def _join(
    how: str, turned: bool, is_plane: bool, source: Picture, made: Any, earlier: Picture | None = None
) -> Picture:  # fmt: skip
    """What a matte has ``made``, a plane or a picture, joined with what those ``earlier`` have left."""
    plane: Plane = made if is_plane else np.ascontiguousarray(made[..., 3])
    if turned:
        plane = np.asarray(255 - plane, np.uint8)
    if how == "subtract":
        return weighed(source if earlier is None else earlier, np.asarray(255 - plane, np.uint8))
    if how == "intersect" and earlier is not None:
        return weighed(earlier, plane)
    cut = made if not is_plane and not turned else weighed(source, plane)
    return cut if earlier is None else laid(earlier, cut)


def _worked(work: EdgeWork, width: int, picture: Picture) -> Picture:
    """Work on an edge, its lengths in pixels of a source of some width, at the size of its picture."""
    k = picture.shape[1] / width
    scaled = replace(
        work, specks=work.specks * k * k, holes=work.holes * k * k, grow=work.grow * k,
        feather=work.feather * k,
    )  # fmt: skip
    return worked(picture, scaled)


def _shown(side: Side, picture: Picture, plane: Plane) -> Picture:
    part = plane if side == "inside" else np.asarray(255 - plane, np.uint8)
    return weighed(picture, fitted(part, *picture.shape[:2]))


def _kept(picture: Picture, source: Picture, plane: Plane) -> Picture:
    return mixed(picture, source, fitted(plane, *picture.shape[:2]))


def loose(cut: Cut) -> Step:
    """A cut-out that only has to be placed: a screen key is then written only where something is left of
    the picture."""
    if cut.written is None:
        return cut.step
    args = ("loose", cut.side or "inside", *cut.written.args)
    return step(cut.step.kind, cut.written.function, args, *cut.step.inputs)


def laid_over(placed: Step, later: Later, grey: bool) -> Step:
    """A placed layer joined with coverage of the sheet; ``grey`` when it shows its own coverage."""
    hows = tuple(how for _, how in later)
    return step("over-sheet", _over, (hows, grey), placed, *(plane for plane, _ in later))


def _over(
    hows: tuple[str, ...], grey: bool, patch: Patch | None, *planes: Any
) -> Patch | None:  # fmt: skip
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
