"""Where a layer lies on the canvas at a frame, as a matrix: for handles, masks and areas that are dragged."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import cast

import numpy as np
from pydantic import BaseModel

from velvet_seam.core.engine.following import (
    Points,
    led,
    nearest_similarity,
    points_at,
    source_frame,
)
from velvet_seam.core.engine.stirring import spot_at
from velvet_seam.core.masks import MaskBase
from velvet_seam.core.mattes import Home, RotoMatte
from velvet_seam.core.passages import Spot
from velvet_seam.core.passages.base import Size
from velvet_seam.core.picture.pinned import tangent
from velvet_seam.core.picture.placement import Matrix, affine
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.mask_moves import Change, brought
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sources.base import Sized
from velvet_seam.core.steps import Clip
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.following import Follow

LEAST_SCALE = 1e-4
"""A layer that has not grown yet still has a place."""


class Stray(BaseModel):
    """What arrival, leave and stirring make of a layer's place at a frame: pixels of the canvas across and
    down, a factor of its scale, degrees clockwise."""

    layer: str
    frame: int
    x: float = 0.0
    y: float = 0.0
    scale: float = 1.0
    turn: float = 0.0
    camera: tuple[float, ...] | None = None
    """Nine numbers, row by row: what cameras above the layer, and the track it follows, make of canvas pixels, where
    there are any."""
    canvas: tuple[float, ...] | None = None
    """The same of cameras alone: for what is fixed to the canvas."""
    masks: dict[str, tuple[float, ...]] = {}
    """For each mask that follows a track what that makes of its coordinates."""
    tracks: dict[str, tuple[float, ...]] = {}
    """For each track of the layer where its points lie, canvas pixels, before what moves the layer."""
    source: float = 0.0
    """The frame of its clip that the layer shows; of a layer with tracks or a roto."""


def painted(layer: Layer) -> bool:
    """Whether strokes on frames of a layer's clip cut it out."""
    return any(isinstance(one, RotoMatte) for one in layer.seam.matte)


def _nine(matrix: Matrix | None) -> tuple[float, ...] | None:
    return None if matrix is None else tuple(matrix.ravel().tolist())


class Lying:
    """Asks of one shot where its layers lie."""

    def __init__(self, shot: Shot, footage: Callable[[str], Sized]) -> None:
        self._shot, self._footage = shot, footage
        self._spots: dict[tuple[int, float], tuple[Layer, Spot]] = {}
        self._any_camera = any(one.source.moves for one in shot.layers)

    def size(self, layer: Layer) -> Size:
        """Width and height of a layer's source, source pixels."""
        canvas = self._shot.canvas
        return layer.source.extent((canvas.width, canvas.height), self._footage)

    def spot(self, layer: Layer, frame: float) -> Spot:
        known = self._spots.get((id(layer), frame))
        if known is None:
            canvas = self._shot.canvas.width, self._shot.canvas.height
            spot = spot_at(layer, frame, float(self._shot.rate), self.size(layer), canvas)
            known = self._spots[id(layer), frame] = (layer, spot)
        return known[1]

    def stray(self, layer: Layer, frame: int) -> Stray:
        spot, at, place = self.spot(layer, frame), At(frame - layer.span.first), layer.place
        return Stray(
            layer=layer.id, frame=frame, x=spot.x - at(place.x), y=spot.y - at(place.y),
            scale=max(spot.scale, LEAST_SCALE) / at.part(place.scale),
            turn=spot.rotation - at(place.rotation),
            camera=_nine(self.moved(layer, frame)), canvas=_nine(self.camera(layer, frame)),
            masks={mask.id: tuple(by.ravel().tolist()) for mask in layer.masks
                   if (by := self.mask_followed(mask, layer, frame)) is not None},
            tracks={one.id: tuple(points.round(2).ravel().tolist()) for one in layer.tracks
                    if (points := self._points(layer, (one.id,), frame)) is not None},
            source=self._source_frame(layer, frame) if layer.tracks or painted(layer) else 0.0,
        )  # fmt: skip

    def _points(self, layer: Layer, tracks: tuple[str, ...], frame: int) -> Points | None:
        none = frozenset[str]()
        return points_at(
            self, self._footage, layer, tracks, frame, self._shot.rate, none, followed=False
        )

    def points_seen(self, layer: Layer, tracks: tuple[str, ...], frame: int) -> Points | None:
        """Where the points of some tracks of a layer are seen on the canvas, (n, 2); None where there are none."""
        points = self._points(layer, tracks, frame)
        moved = self.moved(layer, frame)
        if points is None or moved is None:
            return points
        made = np.column_stack([points, np.ones(len(points))]) @ moved.T
        return np.asarray(made[:, :2] / made[:, 2:])

    def _source_frame(self, layer: Layer, frame: int) -> float:
        clip = cast(Clip, self._footage(layer.source.shows or ""))
        return source_frame(layer, clip, frame, self._shot.rate)

    def followed(
        self, layer: Layer, frame: float, within: frozenset[str] = frozenset()
    ) -> Matrix | None:
        """What the track that a layer follows makes of canvas pixels, before a camera; None where it follows none."""
        return self._led(layer.follow, layer, frame, within)

    def moved(self, layer: Layer, frame: float) -> Matrix | None:
        """What the track that a layer follows, and then the cameras above it, make of canvas pixels."""
        followed, camera = self.followed(layer, frame), self.camera(layer, frame)
        if followed is None or camera is None:
            return camera if followed is None else followed
        return np.asarray(camera @ followed)

    def mask_followed(self, mask: MaskBase, layer: Layer, frame: float) -> Matrix | None:
        """What the track that a mask follows makes of the coordinates it counts in, from the middle of its layer or of
        the canvas: a shift, turn and scale; None where it follows none."""
        by = self._led(mask.follow, layer, frame, frozenset())
        if by is None:
            return None
        base = self.base(layer, mask.fixed, frame)
        if mask.fixed == "layer" and (own := self.followed(layer, frame)) is not None:
            base = own @ base
        at = At(frame - layer.span.first)
        return nearest_similarity(np.linalg.inv(base) @ by @ base, at(mask.x), at(mask.y))

    def leaders(self, layer: Layer, known: frozenset[str] = frozenset()) -> tuple[Layer, ...]:
        """The layers whose tracks a layer or its masks follow, and those which these follow."""
        found: list[Layer] = []
        for follow in layer.follows:
            led = not follow.none and follow.layer is not None
            for leader in self._shot.pieces(follow.layer or "") if led else ():
                if leader.id not in known | {layer.id}:
                    known = known | {leader.id}
                    found += [leader, *self.leaders(leader, known)]
        return tuple(found)

    def _named(self, follow: Follow) -> Layer | None:
        return next((one for one in self._shot.layers if one.id == follow.layer), None)

    def _there(self, follow: Follow, frame: float) -> Layer | None:
        """Whose tracks another layer follows at a frame: its leader's, or those of what was cut off from that, whichever is
        there; the leader's where none is, or where the piece no longer has the same."""
        named, there = self._named(follow), self._shot.there(follow.layer or "", int(frame // 1))
        if named is None or there is None:
            return named
        own, theirs = (
            {one.id for one in each.tracks} & {*follow.tracks} for each in (named, there)
        )
        return there if own and own == theirs else named

    def _leaders(
        self, follow: Follow, layer: Layer, frame: float
    ) -> tuple[Layer | None, Layer | None, bool]:
        """Whose tracks are followed at the frame at which nothing is moved, and at this one, and whether they are another
        layer's. Who is cut off from its leader has moved as that one had, whoever was there."""
        if follow.layer is None or follow.layer == layer.id:
            return layer, layer, False
        other = all(one.id != layer.id for one in self._shot.pieces(follow.layer))
        rest = self._there(follow, follow.frame) if other else self._named(follow)
        return rest, self._there(follow, frame), other

    def _led(
        self, follow: Follow, layer: Layer, frame: float, within: frozenset[str]
    ) -> Matrix | None:
        if follow.none:
            return None
        rest, here, other = self._leaders(follow, layer, frame)
        if rest is None or here is None or {rest.id, here.id} & within:
            return None
        within |= {layer.id}
        return led(self, self._footage, follow, (rest, here), frame, self._shot.rate, within, other)

    def cameras(self, layer: Layer, frame: float) -> tuple[Layer, ...]:
        """The cameras that move a layer at a frame, the nearest first: those above it in the stack."""
        if not self._any_camera:
            return ()
        ids = [one.id for one in self._shot.layers]
        above = self._shot.layers[ids.index(layer.id) + 1 :] if layer.id in ids else ()
        return tuple(
            one for one in above
            if one.source.moves and not one.hidden and one.span.holds(int(frame // 1))
        )  # fmt: skip

    def camera(self, layer: Layer, frame: float) -> Matrix | None:
        """3 × 3, what the cameras above a layer make of canvas pixels; None where there are none.

        A layer that lies behind the canvas, at a ``depth`` of 100 % as far as the camera is before it, moves and
        grows half as much.
        """
        whole: Matrix | None = None
        for one in self.cameras(layer, frame):
            near = 1 / (1 + At(frame - layer.span.first).part(layer.place.depth))
            by = self.plain(one, frame) if near == 1 else self._nearer(one, frame, near)
            whole = by if whole is None else by @ whole
        return whole

    def _nearer(self, camera: Layer, frame: float, near: float) -> Matrix:
        """What a camera makes of what is not on the canvas: it moves ``near`` times as far."""
        spot, (width, height) = self.spot(camera, frame), self.size(camera)
        x, y = width / 2 + near * (spot.x - width / 2), height / 2 + near * (spot.y - height / 2)
        scale = max(spot.scale, LEAST_SCALE) ** near
        flips = camera.place.flip_x, camera.place.flip_y
        return affine(x, y, scale, spot.rotation, *flips, width, height)

    def home(self, layer: Layer, frame: int) -> Home:
        """Where the layer is seen at a frame, as a place."""
        spot, place = self.spot(layer, frame), layer.place
        scale = max(spot.scale, LEAST_SCALE) * 100
        return Home(x=spot.x, y=spot.y, scale=scale, rotation=spot.rotation, flip_x=place.flip_x,
                    flip_y=place.flip_y)  # fmt: skip

    def plain(self, layer: Layer, frame: float) -> Matrix:
        """3 × 3, from source pixels, counted from the source's top left corner, to canvas pixels; without pins."""
        spot, size = self.spot(layer, frame), self.size(layer)
        flips = layer.place.flip_x, layer.place.flip_y
        return affine(spot.x, spot.y, max(spot.scale, LEAST_SCALE), spot.rotation, *flips, *size)

    def matrix(self, layer: Layer, frame: float) -> Matrix:
        """The same with corner pins: projective then. Where the corners cross it is as without."""
        matrix = self.plain(layer, frame)
        pins = self.pins(layer, frame)
        return matrix if pins is None else np.asarray(matrix @ pins)

    def pins(self, layer: Layer, frame: float) -> Matrix | None:
        """What corner pins make of source pixels; None without any, and where they cross."""
        pins = layer.place.pins
        if pins.none:
            return None
        return pins.matrix(At(frame - layer.span.first), *self.size(layer))

    def seen(self, layer: Layer, frame: float) -> Matrix:
        """Like :meth:`matrix`; all zeros where the corners cross: then nothing is seen of the layer."""
        if not layer.place.pins.none and self.pins(layer, frame) is None:
            return np.zeros((3, 3))
        return self.matrix(layer, frame)

    def base(self, layer: Layer, fixed: str, frame: float) -> Matrix:
        """From where masks count, the middle of their layer or of the canvas, to canvas pixels."""
        if fixed == "canvas":
            return _shift(self._shot.canvas.width / 2, self._shot.canvas.height / 2)
        width, height = self.size(layer)
        return self.matrix(layer, frame) @ _shift(width / 2, height / 2)

    def refixed(
        self, mask: MaskBase, layer: Layer, to: str, other: Layer, frame: int, **others: object
    ) -> MaskBase:
        """A mask of a layer, fixed to the canvas or to another layer, that lies where it lay at a frame; in
        perspective, as it does at its own point."""
        old, new = self.base(layer, mask.fixed, frame), self.base(other, to, frame)
        at = At(frame - layer.span.first)
        x, y = at(mask.x), at(mask.y)
        near = tangent(np.linalg.inv(new) @ old, x, y)
        change = Change.of(near)
        if self.pins(layer, frame) is not None or self.pins(other, frame) is not None:
            there, off = (
                near @ [x, y, 1],
                change.point(x, y),
            )  # a shape cannot be sheared; its point stays
            change = replace(
                change, x=change.x + float(there[0]) - off[0], y=change.y + float(there[1]) - off[1]
            )
        made: MaskBase = brought(mask, change, fixed=to, **others)
        return made


def _shift(x: float, y: float) -> Matrix:
    return np.array([[1.0, 0.0, x], [0.0, 1.0, y], [0.0, 0.0, 1.0]])
