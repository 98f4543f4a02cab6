"""A drawn mask's outline in the pixels of its layer's source, and back: for carrying it on."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.masks import DrawnMask, OutlineKey, OutlineKeys, Vertex
from velvet_seam.core.masks.drawn import outline_at
from velvet_seam.core.problem import Gone, Problem
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.revise import revised
from velvet_seam.core.timing.at import At

Points = NDArray[np.float64]

HANDLES = (("in_x", "in_y"), ("out_x", "out_y"))


def _turn(mask: DrawnMask, at: At) -> NDArray[np.float64]:
    angle = np.radians(at(mask.rotation))
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c, -s], [s, c]])


def in_source(mask: DrawnMask, frame: int, size: tuple[int, int]) -> Points:
    """The points of an outline that is fixed to its layer at one of the layer's frames, (n, 2) source pixels."""
    at = At(frame)
    own = np.array([(one.x, one.y) for one in outline_at(mask.outline, frame)])
    return np.asarray(own @ _turn(mask, at).T + [at(mask.x), at(mask.y)] + np.array(size) / 2)


def carried_outline(
    mask: DrawnMask, frame: int, found: Mapping[int, tuple[Points, NDArray[np.float64]]], size: tuple[int, int]
) -> OutlineKeys:  # fmt: skip
    """An outline with keyframes where it was carried on from a frame of the layer; those it had before stay elsewhere.

    Args:
        found: by frame of the layer the points in source pixels, and how what is around each has turned and grown.
    """
    start = outline_at(mask.outline, frame)
    kept = (
        {key.frame: key for key in mask.outline.keys}
        if isinstance(mask.outline, OutlineKeys)
        else {}
    )
    kept[frame] = OutlineKey(frame=frame, value=start)
    for number, (points, turned) in found.items():
        at = At(number)
        back = np.linalg.inv(_turn(mask, at))
        own = (points - np.array(size) / 2 - [at(mask.x), at(mask.y)]) @ back.T
        value = tuple(
            _moved(one, place, back @ form @ _turn(mask, At(frame)))
            for one, place, form in zip(start, own, turned, strict=True)
        )
        kept[number] = OutlineKey(frame=number, value=value)
    return OutlineKeys(keys=tuple(kept[one] for one in sorted(kept)))


def _moved(vertex: Vertex, place: Points, form: NDArray[np.float64]) -> Vertex:
    handles: dict[str, float] = {}
    for across, down in HANDLES:
        x, y = form @ [getattr(vertex, across), getattr(vertex, down)]
        handles |= {across: round(float(x), 2), down: round(float(y), 2)}
    made: Vertex = revised(
        vertex, x=round(float(place[0]), 2), y=round(float(place[1]), 2), **handles
    )
    return made


def mask_of(layer: Layer, identity: str) -> tuple[str, DrawnMask]:
    """A drawn mask of a layer and its path in the document.

    Raises:
        Problem: it is none, or is not fixed to its layer.
    """
    held = [mask for part in layer.look.parts for mask in part.masks]
    mask = next((one for one in [*layer.seam.masks, *held] if one.id == identity), None)
    if mask is None:
        raise Gone("That mask is no longer there. Nothing was changed.")
    if not isinstance(mask, DrawnMask):
        raise Problem(
            "Only a drawn outline is carried on; other masks can follow a track. Nothing was changed."
        )
    if mask.fixed != "layer":
        raise Problem(
            "Fix the mask to its layer first: it is carried on along the layer's clip. Nothing was changed."
        )
    part = next((one.id for one in layer.look.parts if mask in one.masks), None)
    path = f"seam.masks.{mask.id}" if part is None else f"look.parts.{part}.masks.{mask.id}"
    return path, mask
