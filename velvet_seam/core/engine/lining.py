"""A layer put where a line-up says: by its place, or, as a plane in space, by its corners."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from velvet_seam.core.engine.corners import corners_of, pulls_to
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.picture.pinned import tangent
from velvet_seam.core.picture.placement import Matrix
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.warps import Model, mapped
from velvet_seam.core.shot.layer import SCALES, Layer
from velvet_seam.core.shot.mask_moves import Change, points_brought
from velvet_seam.core.shot.mask_moves import mapped as each
from velvet_seam.core.timing.animated import Keyframe, Keyframes
from velvet_seam.core.timing.at import At


def lined_up(lies: Lying, layer: Layer, frame: int, change: Matrix, model: Model) -> dict[str, Any]:
    """The values that move a layer on the canvas by a change of canvas pixels, in all its keyframes alike.

    Args:
        change: 3 × 3, from where something of the layer is seen to where it is to be seen.

    Raises:
        Problem: its corners move, or the change would turn it inside out.
    """
    camera = lies.moved(layer, frame)
    if camera is not None:
        change = np.linalg.inv(camera) @ change @ camera
    change = change / change[2, 2]
    if model == "plane":
        return _pulled(lies, layer, frame, change)
    stray = _astray(lies, layer, frame)
    by = Change.of(np.linalg.inv(stray) @ change @ stray)
    x, y = points_brought(layer.place.x, layer.place.y, by)
    values: dict[str, Any] = {"place.x": x, "place.y": y}
    if model != "shift":
        values["place.rotation"] = each(layer.place.rotation, lambda old: round(old + by.turn, 5))
    if model == "stretch":
        low, high = SCALES
        values["place.scale"] = each(
            layer.place.scale, lambda old: round(min(max(old * by.scale, low), high), 5)
        )
    return values


def held_still(
    lies: Lying, layer: Layer, frame: int, warps: Mapping[int, Matrix], follows: Layer | None = None
) -> dict[str, Any]:
    """A place for every frame: so that what a layer's clip shows stays where it is seen at one frame, or so that the
    layer moves over the canvas as what another one shows does.

    Args:
        frame: of the shot, at which all stays as it is.
        warps: by shot frames, from source pixels of the held frame to those of the frame.
        follows: the layer that was measured, where it is another one.
    """
    at = At(frame - layer.span.first)
    rest = np.array([at(layer.place.x), at(layer.place.y), 1.0])
    stray = _astray(lies, layer, frame)
    own = np.linalg.inv(stray) @ lies.matrix(layer, frame)
    keys: dict[str, list[Keyframe]] = {name: [] for name in ("x", "y", "rotation", "scale")}
    for number, warp in sorted(warps.items()):
        if follows is None:
            change = own @ np.linalg.inv(warp) @ np.linalg.inv(own)
        else:
            there = np.linalg.inv(stray) @ lies.matrix(follows, frame)
            change = there @ warp @ np.linalg.inv(there)
        change = tangent(change, rest[0], rest[1])
        by = Change.of(change)
        x, y, _ = change @ rest
        values = {
            "x": x, "y": y, "rotation": at(layer.place.rotation) + by.turn,
            "scale": min(max(at(layer.place.scale) * by.scale, SCALES[0]), SCALES[1]),
        }  # fmt: skip
        for name, value in values.items():
            keys[name].append(
                Keyframe(frame=number - layer.span.first, value=round(float(value), 4))
            )
    return {f"place.{name}": Keyframes(keys=tuple(some)) for name, some in keys.items()}


def _astray(lies: Lying, layer: Layer, frame: int) -> Matrix:
    """How far off its place a layer lies by what arrives, leaves and shakes: a shift of canvas pixels."""
    spot, at = lies.spot(layer, frame), At(frame - layer.span.first)
    return np.array(
        [[1, 0, spot.x - at(layer.place.x)], [0, 1, spot.y - at(layer.place.y)], [0, 0, 1.0]]
    )


def _pulled(lies: Lying, layer: Layer, frame: int, change: Matrix) -> dict[str, Any]:
    """Corners pulled so that the layer, placed as it is, comes to lie so."""
    pins = layer.place.pins
    if any(isinstance(getattr(pins, name), Keyframes) for name in type(pins).model_fields):
        raise Problem(
            "The corners of this layer move, so it cannot be pulled into place. Nothing was changed."
        )
    size = lies.size(layer)
    seen = mapped(np.asarray(change @ lies.matrix(layer, frame), np.float64), corners_of(size))
    return dict(pulls_to(lies.plain(layer, frame), seen, size))
