"""How a layer is put into a window of a frame, and through which one it is seen."""

from __future__ import annotations

from collections.abc import Callable
from math import cos, radians, sin
from typing import Any

import numpy as np

from velvet_seam.core.masks import DrawnMask, Mask, Vertex
from velvet_seam.core.picture.placement import Matrix
from velvet_seam.core.problem import Problem
from velvet_seam.core.shot.crop import Crop
from velvet_seam.core.shot.edits import AddMask, EditBase, RemovePart, SetValues
from velvet_seam.core.shot.layer import SCALES, Layer
from velvet_seam.core.shot.pins import Pins
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.sources import WindowsSource
from velvet_seam.core.sources.openings import Corners, Opening, box_of, corners_of
from velvet_seam.core.timing.at import At

BLEED = 1.0
"""Canvas pixels that a layer reaches under the frame on each side."""


def into(window: Opening, size: tuple[int, int], bleed: float = BLEED) -> dict[str, Any]:
    """The values that put a layer of some source pixels into a window: it covers all of it, its middle in the middle.

    >>> into(Opening(0, 0, 50, 100), (100, 100), bleed=0)["crop.left"]
    25.0
    """
    wide, high = window.width + 2 * bleed, window.height + 2 * bleed
    scale = min(max(100 * max(wide / size[0], high / size[1]), SCALES[0]), SCALES[1])
    seen = size[0] * scale / 100, size[1] * scale / 100
    across, down = (
        round(max(0.0, 50 * (1 - part / whole)), 6)
        for part, whole in zip((wide, high), seen, strict=True)
    )
    x, y = window.middle
    return {
        "place.x": round(x, 3), "place.y": round(y, 3), "place.scale": round(scale, 6), "place.rotation": 0,
        "crop.left": across, "crop.right": across, "crop.top": down, "crop.bottom": down,
    }  # fmt: skip


def windows_of(
    layer: Layer, frame: int, canvas: tuple[int, int], base: Callable[[str], Matrix]
) -> list[Corners]:
    """The windows of a layer that is a frame, canvas pixels: those of its layout, or the masks that are drawn on it.

    Args:
        frame: of the shot.
        base: of a mask fixed to the layer or to the canvas: 3 × 3, from where it counts to canvas pixels.

    Raises:
        Problem: the layer is no frame.
    """
    if not isinstance(layer.source, WindowsSource):
        raise Problem(f"{layer.name} is no frame with windows. Nothing was changed.")
    own = min(max(frame, layer.span.first), layer.span.last) - layer.span.first
    if not layer.source.masks_cut:
        return layer.source.corners(own, canvas)
    found: list[Corners] = []
    for mask in drawn_windows(layer):
        at = At(own)
        line = mask.polygon(at)
        assert line is not None
        turn = radians(at(mask.rotation))
        c, s = cos(turn), sin(turn)
        placed = line @ np.array([(c, s), (-s, c)]) + [at(mask.x), at(mask.y)]
        seen = np.column_stack([placed, np.ones(len(placed))]) @ base(mask.fixed).T
        found.append(tuple((float(x / w), float(y / w)) for x, y, w in seen))
    return found


def drawn_windows(layer: Layer) -> list[Mask]:
    """The masks that are windows of a frame whose windows are drawn."""
    masks = (one for one in layer.seam.masks if one.on and one.use == "garbage" and not one.invert)
    return [one for one in masks if one.polygon(At(0)) is not None]


def mask_id(layer: str) -> str:
    """Of the mask that a slanted window puts on a layer."""
    return f"{layer[:32]}-window"


def put(
    layer: Layer, corners: Corners, size: tuple[int, int], bleed: float = BLEED
) -> list[EditBase]:
    """The edits that put a layer of some source pixels into a window with any four corners: an upright one by its crop,
    another by a mask, which takes the place of the one that an earlier window has put on it."""
    box = box_of(corners)
    held = next((one for one in layer.seam.masks if one.id == mask_id(layer.id)), None)
    edits: list[EditBase] = [] if held is None else [RemovePart(layer=layer.id, part=held.id)]
    upright = set(corners) == set(corners_of(box))
    values = into(box, size, bleed)
    if not layer.place.pins.none:  # in a window nothing is pulled
        values |= {f"place.pins.{name}": 0.0 for name in Pins.model_fields}
    if upright:
        return [*edits, SetValues(target=layer.id, values=values)]
    values |= {f"crop.{side}": 0.0 for side in ("left", "right", "top", "bottom")}
    across, down = _per_source(layer, values["place.scale"] / 100)
    x, y = box.middle
    outline = tuple(
        Vertex(x=round((a - x) / across, 3), y=round((b - y) / down, 3)) for a, b in corners
    )
    mask = DrawnMask(id=mask_id(layer.id), outline=outline, grow=bleed)
    return [*edits, SetValues(target=layer.id, values=values), AddMask(layer=layer.id, mask=mask)]


def corners_seen(layer: Layer, size: tuple[int, int], frame: int) -> Corners:
    """The corners of the window that a layer is seen through at a frame: those of its crop, or of the mask that a
    slanted window has put on it."""
    held = next((one for one in layer.seam.masks if one.id == mask_id(layer.id)), None)
    if not isinstance(held, DrawnMask) or not isinstance(held.outline, tuple):
        return corners_of(window_of(layer, size, frame))
    whole = window_of(revised(layer, crop=Crop()), size, frame)
    (x, y), (across, down) = whole.middle, _per_source(layer, whole.width / size[0])
    return tuple((x + one.x * across, y + one.y * down) for one in held.outline)


def _per_source(layer: Layer, scale: float) -> tuple[float, float]:
    """Canvas pixels to one of the source, across and down."""
    return scale * (-1 if layer.place.flip_x else 1), scale * (-1 if layer.place.flip_y else 1)


def window_of(layer: Layer, size: tuple[int, int], frame: int) -> Opening:
    """The window that a layer is seen through at a frame: what its crop leaves of it.

    Raises:
        Problem: where the layer is turned, so that it has no upright one.
    """
    at = At(min(max(frame, layer.span.first), layer.span.last) - layer.span.first)
    place, crop = layer.place, layer.crop
    if at(place.rotation) % 180 or not place.pins.none:
        raise Problem(f"{layer.name} is turned or pulled: it lies in no upright window.")
    scale = at.part(place.scale)
    wide, high = size[0] * scale, size[1] * scale
    sides = [at.part(getattr(crop, name)) for name in ("left", "top", "right", "bottom")]
    if place.flip_x:
        sides[0], sides[2] = sides[2], sides[0]
    if place.flip_y:
        sides[1], sides[3] = sides[3], sides[1]
    left, top = at(place.x) - wide / 2, at(place.y) - high / 2
    return Opening(
        left + wide * sides[0], top + high * sides[1],
        wide * (1 - sides[0] - sides[2]), high * (1 - sides[1] - sides[3]),
    )  # fmt: skip
