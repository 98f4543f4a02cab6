"""Where a layer lies on the canvas at a frame, as a matrix: for handles, masks and areas that are dragged."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from pydantic import BaseModel

from velvet_seam.core.engine.stirring import spot_at
from velvet_seam.core.masks import MaskBase
from velvet_seam.core.mattes import Home
from velvet_seam.core.passages import Spot
from velvet_seam.core.passages.base import Size
from velvet_seam.core.picture.pinned import tangent
from velvet_seam.core.picture.placement import Matrix, affine
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.mask_moves import Change, brought
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.sources.base import Sized
from velvet_seam.core.timing.at import At

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
    """Nine numbers, row by row: what cameras above the layer make of canvas pixels, where there are any."""


class Lying:
    """Asks of one shot where its layers lie."""

    def __init__(self, shot: Shot, footage: Callable[[str], Sized]) -> None:
        self._shot, self._footage = shot, footage
        self._spots: dict[tuple[int, float], tuple[Layer, Spot]] = {}

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
            camera=None if (by := self.camera(layer, frame)) is None else tuple(by.ravel().tolist()),
        )  # fmt: skip

    def cameras(self, layer: Layer, frame: float) -> tuple[Layer, ...]:
        """The cameras that move a layer at a frame, the nearest first: those above it in the stack."""
        if not any(one.source.moves for one in self._shot.layers):
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
