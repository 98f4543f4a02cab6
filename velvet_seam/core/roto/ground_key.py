"""A picture cut out from a plain ground, with the shadows on it."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.roto.ground import before_ground
from velvet_seam.core.roto.soft import soft_matte

BARELY = 0.02
"""Of the ground's light: less missing is no shadow."""


def ground_key(
    picture: NDArray[np.uint8], *, differs: float = 1.0, keep_shadows: float = 1.0
) -> NDArray[np.uint8]:
    """A picture without the plain ground, white, grey or black, that it stands before.

    Args:
        picture: (h, w, 4) uint8, premultiplied.
        differs: how much something must differ from the ground to be kept; 1 as found good.
        keep_shadows: how much of the shadows on the ground is kept, as black that covers: 0 to 1.

    Returns:
        (h, w, 4) uint8, premultiplied.
    """
    found = before_ground(picture, differs)
    cut = soft_matte(picture, found.inside, narrows=False)
    if keep_shadows <= 0 or not (found.shade > BARELY).any():
        return cut
    height, width = picture.shape[:2]
    shade = np.clip((found.shade - BARELY) / (1 - BARELY), 0, 1) * np.float32(255 * keep_shadows)
    shade = cv2.resize(shade, (width, height), interpolation=cv2.INTER_LINEAR)
    covers = cut[..., 3].astype(np.float32)
    own = picture[..., 3].astype(np.float32)
    more = (own - covers) * shade * np.float32(1 / 255)
    cut[..., 3] = np.clip(np.rint(covers + np.maximum(more, 0)), 0, 255).astype(np.uint8)
    return cut
