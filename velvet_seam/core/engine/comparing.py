"""Comparing: two layers as they lie on the canvas, seen against each other, before anything is cut out of either."""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.engine.show import MAT, on_sheet
from velvet_seam.core.picture.coverage import brightness
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.picture.viewed import difference, half_of_each, outlined, over_mat
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot

Picture = NDArray[np.uint8]

Compare = Literal["half", "difference", "outlines", "upper", "lower"]
"""Half of each; how far they differ, times a gain; what stands out in either, in two colours; each by itself."""

DARK = 18
UPPER, LOWER = (255, 170, 60), (70, 150, 255)
"""The colours of the outlines of the layer and of the one it is compared with, on a dark ground; where both meet it
is light."""


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
        made = over_mat(one if how == "upper" else other, MAT)
    elif how == "difference":
        made = difference(one, other, np.float32(gain), MAT)
    elif how == "outlines":
        made = outlined(_edges(one), _edges(other), UPPER, LOWER, DARK)
    else:
        made = half_of_each(one, other, MAT)
    return np.asarray(made, np.uint8)


def _edges(picture: Picture) -> NDArray[np.float32]:
    """How steeply brightness rises, 0 to 1; the grain of paper and noise do not."""
    plane = cv2.GaussianBlur(brightness(picture).astype(np.float32), (0, 0), 1.2)
    x = cv2.Sobel(plane, cv2.CV_32F, 1, 0, ksize=3)
    y = cv2.Sobel(plane, cv2.CV_32F, 0, 1, ksize=3)
    steep = np.hypot(x, y) * (picture[..., 3] == 255)
    return np.asarray(np.clip((steep - 16) / 70, 0, 1), np.float32)
