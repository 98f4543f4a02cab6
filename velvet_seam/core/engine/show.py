"""Ways of seeing a cut-out layer: what is dropped, holes and specks, over a checker."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.edge import PRESENT
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.picture.viewed import dropped, on_checker

DROPPED = (150, 40, 92)
HOLE = (240, 176, 40)
SPECK = (60, 190, 200)
SMALL = 1 / 2000
"""Parts and holes up to this part of the picture are marked."""

MAT = 0x4A
"""The grey where nothing is shown."""


def on_sheet(size: tuple[int, int], patch: Patch | None) -> NDArray[np.uint8]:
    """A patch on the whole sheet, clear elsewhere."""
    out = np.zeros((size[1], size[0], 4), np.uint8)
    if patch is not None:
        h, w = patch.pixels.shape[:2]
        out[patch.top : patch.top + h, patch.left : patch.left + w] = patch.pixels
    return out


def _small_parts(present: NDArray[np.bool_], most: float) -> NDArray[np.bool_] | None:
    """The parts of a plane that are small, and a little around them; None where all are large."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(present.view(np.uint8), connectivity=8)
    small = stats[:, cv2.CC_STAT_AREA] <= most
    small[0] = False
    if not small.any():
        return None
    wide = cv2.dilate(small.astype(np.uint8)[labels], np.ones((5, 5), np.uint8))
    return np.asarray(wide > 0)


def show_dropped(size: tuple[int, int], raw: Patch | None, cut: Patch | None) -> NDArray[np.uint8]:
    """The source with what is dropped tinted, and with small holes and specks in colours of their
    own: (height, width, 4) uint8, opaque."""
    whole, kept = on_sheet(size, raw), on_sheet(size, cut)
    most, marks = SMALL * size[0] * size[1], np.zeros((size[1], size[0]), np.uint8)
    missing = (kept[..., 3] <= 255 - PRESENT) & (whole[..., 3] > 0)
    for number, present in ((1, kept[..., 3] >= PRESENT), (2, missing)):
        part = _small_parts(present, most)
        if part is not None:
            marks[part] = number
    return np.asarray(dropped(whole, kept, marks, DROPPED, SPECK, HOLE, MAT), np.uint8)


def show_on_checker(size: tuple[int, int], cut: Patch | None) -> NDArray[np.uint8]:
    """The layer alone over two greys in squares: (height, width, 4) uint8, opaque."""
    return np.asarray(on_checker(on_sheet(size, cut)), np.uint8)
