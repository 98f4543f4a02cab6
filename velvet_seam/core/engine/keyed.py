"""What a layer follows, made values of its own: its corners put on a plane, and a followed track made keyframes."""

from __future__ import annotations

from typing import Any

import numpy as np

from velvet_seam.core.engine.corners import corners_of, mirrored, pulls_to
from velvet_seam.core.engine.lying import Lying
from velvet_seam.core.picture.pinned import tangent
from velvet_seam.core.picture.placement import Matrix
from velvet_seam.core.problem import Problem
from velvet_seam.core.register.warps import mapped
from velvet_seam.core.shot.layer import SCALES, Layer
from velvet_seam.core.shot.mask_moves import Change
from velvet_seam.core.shot.track import Track
from velvet_seam.core.timing.animated import Keyframes
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.thinned import thinned

NEAR = {"scale": 0.01, "rotation": 0.005}
"""What lies nearer to a straight line than this needs no keyframe of its own: per cent, degrees; pixels else."""

NEAR_PIXELS = 0.03


def put_onto(lies: Lying, layer: Layer, leader: Layer, track: Track, frame: int) -> dict[str, Any]:
    """The pins with which a layer covers a followed plane, corner on corner, at a frame.

    Raises:
        Problem: the track is no plane, or the layer's corners move already.
    """
    if track.kind != "plane":
        raise Problem(
            f"{track.name} is a point: a layer is put onto a plane, by its corners. Nothing was changed."
        )
    pins = layer.place.pins
    if any(isinstance(getattr(pins, name), Keyframes) for name in type(pins).model_fields):
        raise Problem(
            "The corners of this layer move, so it cannot be put there. Nothing was changed."
        )
    seen = lies.points_seen(leader, (track.id,), frame)
    if seen is None:
        raise Problem("That track is no longer there. Nothing was changed.")
    camera = lies.camera(layer, frame)
    if camera is not None:
        seen = mapped(np.asarray(np.linalg.inv(camera), np.float64), seen)
    places = mirrored(seen, layer.place.flip_x, layer.place.flip_y)
    return dict(pulls_to(lies.plain(layer, frame), places, lies.size(layer)))


def keyed(lies: Lying, layer: Layer) -> dict[str, Any]:
    """The values that put a layer, at each of its frames, where what it follows puts it: keyframes of its place, and
    where it follows in perspective of its corners, without those that a straight line between others says.

    Raises:
        Problem: it follows nothing that is known.
    """
    frames = range(layer.span.first, layer.span.last + 1)
    led = [lies.followed(layer, frame) for frame in frames]
    if any(one is None for one in led):
        raise Problem(f"{layer.name} follows nothing that is known. Nothing was changed.")
    by = [np.asarray(one) for one in led if one is not None]
    rows = _corners if layer.follow.how == "plane" else _places
    values = rows(lies, layer, frames, by)
    return {
        path: thinned([one[path] for one in values], NEAR.get(path.rsplit(".", 1)[1], NEAR_PIXELS))
        for path in values[0]
    }


def _corners(lies: Lying, layer: Layer, frames: range, led: list[Matrix]) -> list[dict[str, float]]:
    size, made = lies.size(layer), []
    for frame, by in zip(frames, led, strict=True):
        seen = mapped(np.asarray(by @ lies.matrix(layer, frame), np.float64), corners_of(size))
        made.append(pulls_to(lies.plain(layer, frame), seen, size))
    return made


def _places(lies: Lying, layer: Layer, frames: range, led: list[Matrix]) -> list[dict[str, float]]:
    made: list[dict[str, float]] = []
    turned = 0.0
    for frame, by in zip(frames, led, strict=True):
        at, spot = At(frame - layer.span.first), lies.spot(layer, frame)
        near = tangent(by, spot.x, spot.y)
        change = Change.of(near)
        x, y, _ = near @ [spot.x, spot.y, 1]
        turned += (
            change.turn - turned + 180
        ) % 360 - 180  # on from the frame before, not back by a whole turn
        scale = at(layer.place.scale) * change.scale
        values = {
            "place.x": at(layer.place.x) + x - spot.x, "place.y": at(layer.place.y) + y - spot.y,
            "place.rotation": at(layer.place.rotation) + turned,
            "place.scale": min(max(scale, SCALES[0]), SCALES[1]),
        }  # fmt: skip
        made.append({name: float(value) for name, value in values.items()})
    return made
