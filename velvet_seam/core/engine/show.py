"""Ways of seeing a cut-out layer: what is dropped, holes and specks, over a checker."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.edge import PRESENT
from velvet_seam.core.picture.placement import Patch

DROPPED = (150, 40, 92)
HOLE = (240, 176, 40)
SPECK = (60, 190, 200)
SMALL = 1 / 2000
"""Parts and holes up to this part of the picture are marked."""

_CHECKS = 16


def on_sheet(size: tuple[int, int], patch: Patch | None) -> NDArray[np.uint8]:
    """A patch on the whole sheet, clear elsewhere."""
    out = np.zeros((size[1], size[0], 4), np.uint8)
    if patch is not None:
        h, w = patch.pixels.shape[:2]
        out[patch.top : patch.top + h, patch.left : patch.left + w] = patch.pixels
    return out


def _small_parts(present: NDArray[np.bool_], most: float) -> NDArray[np.bool_]:
    _, labels, stats, _ = cv2.connectedComponentsWithStats(present.astype(np.uint8), connectivity=8)
    small = stats[:, cv2.CC_STAT_AREA] <= most
    small[0] = False
    return np.asarray(small[labels], bool)


def show_dropped(size: tuple[int, int], raw: Patch | None, cut: Patch | None) -> NDArray[np.uint8]:
    """The source with what is dropped tinted, and with small holes and specks in colours of their
    own: (height, width, 4) uint8, opaque."""
    whole, kept = on_sheet(size, raw), on_sheet(size, cut)
    here = whole[..., 3] > 0
    gone = (whole[..., 3].astype(np.float32) - kept[..., 3]).clip(0, None)[..., None] / 255
    colour = whole[..., :3].astype(np.float32)
    tint = np.array(DROPPED, np.float32) * np.float32(0.72)
    colour = np.asarray(colour * (1 - np.float32(0.72) * gone) + tint * gone, np.float32)
    colour[~here] = 0x4A
    most = SMALL * size[0] * size[1]
    for present, mark in (
        (kept[..., 3] >= PRESENT, SPECK),
        ((kept[..., 3] <= 255 - PRESENT) & here, HOLE),
    ):
        part = (
            cv2.dilate(_small_parts(present, most).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        )
        colour[part & here] = mark
    out = np.full((size[1], size[0], 4), 255, np.uint8)
    out[..., :3] = np.rint(colour)
    return out


def show_on_checker(size: tuple[int, int], cut: Patch | None) -> NDArray[np.uint8]:
    """The layer alone over two greys in squares: (height, width, 4) uint8, opaque."""
    y, x = np.mgrid[0 : size[1], 0 : size[0]] // _CHECKS
    ground = np.where((x + y) % 2 == 0, 0xB4, 0x8C).astype(np.float32)[..., None]
    kept = on_sheet(size, cut).astype(np.float32)
    out = np.full((size[1], size[0], 4), 255, np.uint8)
    out[..., :3] = np.rint(kept[..., :3] + ground * (1 - kept[..., 3:] / 255))
    return out
