"""Comparing: two layers as they lie on the canvas, seen against each other, before anything is cut out of either."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.engine.show import on_sheet
from velvet_seam.core.picture.coverage import brightness
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot

Picture = NDArray[np.uint8]

Compare = Literal["half", "difference", "outlines", "upper", "lower"]
"""Half of each; how far they differ, times a gain; what stands out in either, in two colours; each by itself."""

MAT = 0x4A
UPPER, LOWER = (255, 170, 60), (70, 150, 255)
"""The colours of the outlines of the layer and of the one it is compared with; where both meet it is light."""


def against(shot: Shot, layer: Layer, frame: int, wished: str | None = None) -> Layer | None:
    """The layer that another is compared with: the one that is wished, else the nearest below that has a picture of
    its own there, else the nearest above."""
    at = shot.layers.index(layer)
    known = {one.id: one for one in shot.layers}
    if wished in known and wished != layer.id:
        return known[wished]
    order = (*shot.layers[:at][::-1], *shot.layers[at + 1 :])
    return next(
        (one for one in order if one.source.shows is not None and one.span.holds(frame)), None
    )


def compared(
    how: Compare, size: tuple[int, int], gain: float, upper: Patch | None, lower: Patch | None
) -> Picture:
    """The picture of a comparison, (h, w, 4) uint8, opaque."""
    one, other = on_sheet(size, upper), on_sheet(size, lower)
    if how in ("upper", "lower"):
        return _over_mat(one if how == "upper" else other)
    out = np.full((size[1], size[0], 4), 255, np.uint8)
    both = ((one[..., 3] > 0) & (other[..., 3] > 0))[..., None]
    if how == "difference":
        off = cv2.absdiff(one[..., :3], other[..., :3]).astype(np.float32) * np.float32(gain)
        out[..., :3] = np.where(both, np.minimum(off, 255), MAT)
    elif how == "outlines":
        light = np.zeros((size[1], size[0], 3), np.float32)
        for picture, colour in ((one, UPPER), (other, LOWER)):
            light += _edges(picture)[..., None] * np.array(colour, np.float32)
        out[..., :3] = np.minimum(light + 18, 255)
    else:
        a, b = (
            _over_mat(one)[..., :3].astype(np.uint16),
            _over_mat(other)[..., :3].astype(np.uint16),
        )
        out[..., :3] = (a + b + 1) // 2
    return out


def _over_mat(picture: Picture) -> Picture:
    out = np.full_like(picture, 255)
    left = (255 - picture[..., 3:]).astype(np.uint16) * MAT // 255
    out[..., :3] = np.minimum(picture[..., :3].astype(np.uint16) + left, 255)
    return out


def _edges(picture: Picture) -> NDArray[np.float32]:
    """How steeply brightness rises, 0 to 1; the grain of paper and noise do not."""
    plane = cv2.GaussianBlur(brightness(picture).astype(np.float32), (0, 0), 1.2)
    x = cv2.Sobel(plane, cv2.CV_32F, 1, 0, ksize=3)
    y = cv2.Sobel(plane, cv2.CV_32F, 0, 1, ksize=3)
    steep = np.hypot(x, y) * (picture[..., 3] == 255)
    return np.asarray(np.clip((steep - 16) / 70, 0, 1), np.float32)
