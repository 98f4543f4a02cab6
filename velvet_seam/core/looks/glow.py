"""Glow."""

from __future__ import annotations

from math import ceil
from typing import Annotated, ClassVar, Literal

import cv2
import numpy as np

from velvet_seam.core.looks.base import Area, Ground, Work
from velvet_seam.core.picture.gaussian import blurred
from velvet_seam.core.picture.mixing import bright, light_added
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds

WIDTHS = (0.25, 1.0, 3.0)
"""Of the radius: a core, a body, and a veil far around."""


FINE = 1.5
"""Deviation of the core in pixels above which light is made at half the size."""


class Glow(Area):
    """Bright parts shine over what lies beside them: what is brighter than a knee, blurred over three widths, is
    screened back on."""

    label: ClassVar[str] = "Glow"
    says: ClassVar[str] = "Bright parts shine over their surroundings"
    find: ClassVar[str] = "bloom shine halation light dream"

    kind: Literal["glow"] = "glow"
    amount: Annotated[
        Animated, Bounds(0, 400, "%", "Amount", "How strongly it shines", shown=(0, 200))
    ] = 70.0
    radius: Annotated[
        Animated,
        Bounds(0.5, 1000, "px", "Radius", "How far it shines, in pixels of the canvas", shown=(1, 120), of="canvas"),
    ] = 24.0  # fmt: skip
    above: Annotated[
        Animated, Bounds(0, 100, "%", "Above", "Only what is brighter than this shines")
    ] = 60.0

    def work(self, at: At, ground: Ground) -> Work | None:
        amount, sigma = at.part(self.amount), at(self.radius) * ground.per / 2
        if not amount:
            return None
        return Work(_glowing, (amount, sigma, at.part(self.above)), ceil(2 * sigma * WIDTHS[-1]))

    def reach(self, at: At) -> float:
        return 3 * WIDTHS[-1] * at(self.radius) / 2


def _glowing(amount: float, sigma: float, above: float, picture: Picture) -> Picture:
    """What shines is soft, so that half the picture's size is enough for all but the finest core."""
    shining = bright(picture, above)
    half = sigma * WIDTHS[0] > FINE
    if half:
        size = (picture.shape[1] + 1) // 2, (picture.shape[0] + 1) // 2
        shining = np.asarray(cv2.resize(shining, size, interpolation=cv2.INTER_AREA), np.uint8)
        sigma /= 2
    widths = [blurred(shining, max(0.5, sigma * width), extend=False) for width in WIDTHS]
    light = np.add(widths[0], widths[1], dtype=np.uint16)
    light += widths[2]
    if half:
        whole = picture.shape[1], picture.shape[0]
        light = np.asarray(cv2.resize(light, whole, interpolation=cv2.INTER_LINEAR), np.uint16)
    return light_added(picture, light, amount)
