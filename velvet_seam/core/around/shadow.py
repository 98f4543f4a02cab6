"""Shadows: one cast on what lies behind, one on the floor."""

from __future__ import annotations

from math import ceil
from typing import Annotated, ClassVar

import cv2
import numpy as np

from velvet_seam.core.around.base import AroundBase, Drawn, Lies, coverage, fainter, painted
from velvet_seam.core.picture.gaussian import blurred
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb


class Shadow(AroundBase):
    """The layer's shape, shifted, blurred and dark, on what lies behind it."""

    label: ClassVar[str] = "Shadow"
    says: ClassVar[str] = "Its shape, soft and dark, on what lies behind"
    find: ClassVar[str] = "drop shadow depth lift"

    x: Annotated[
        Animated,
        Bounds(-2000, 2000, "px", "Across", "How far it lies to the right", shown=(-100, 100), of="canvas", find="shadow offset"),
    ] = 10.0  # fmt: skip
    y: Annotated[
        Animated,
        Bounds(-2000, 2000, "px", "Down", "How far it lies below", shown=(-100, 100), of="canvas", find="shadow offset"),
    ] = 16.0  # fmt: skip
    blur: Annotated[
        Animated,
        Bounds(0, 1000, "px", "Blur", "How soft it is", shown=(0, 120), of="canvas", find="shadow soft"),
    ] = 28.0  # fmt: skip
    opacity: Annotated[Animated, Bounds(0, 100, "%", "Opacity", "How dark it is")] = 55.0
    colour: Colour = "#140a12"

    def drawn(self, at: At, per: float) -> Drawn | None:
        if at(self.opacity) <= 0:
            return None
        shift = at(self.x) * per, at(self.y) * per
        args = (shift, at(self.blur) * per / 2, at.part(self.opacity), colour_to_rgb(self.colour))
        return Drawn(_cast, args)

    def reach(self, at: At) -> float:
        return 1.5 * at(self.blur) + max(abs(at(self.x)), abs(at(self.y))) + 2


class FloorShadow(AroundBase):
    """The layer's shape laid flat on a floor at its lowest point: squashed, leaning, softer the further it falls."""

    label: ClassVar[str] = "Floor shadow"
    says: ClassVar[str] = "It stands on a floor: its shape laid flat at its lowest point"
    find: ClassVar[str] = "contact shadow ground stand floor"

    height: Annotated[
        Animated,
        Bounds(0, 200, "%", "Length", "Of the layer's own height", shown=(0, 100), find="floor shadow squash"),
    ] = 22.0  # fmt: skip
    lean: Annotated[
        Animated,
        Bounds(-300, 300, "%", "Lean", "How far its end lies to the right, of its length", shown=(-200, 200), find="floor shadow direction sun"),
    ] = 60.0  # fmt: skip
    blur: Annotated[
        Animated, Bounds(0, 500, "px", "Blur", "How soft it is", shown=(0, 60), of="canvas")
    ] = 12.0
    opacity: Annotated[Animated, Bounds(0, 100, "%", "Opacity", "How dark it is")] = 50.0
    drop: Annotated[
        Animated,
        Bounds(-500, 500, "px", "Floor", "Moves the floor down from the layer's lowest point", shown=(-60, 60), of="canvas"),
    ] = 0.0  # fmt: skip
    colour: Colour = "#140a12"

    def drawn(self, at: At, per: float) -> Drawn | None:
        if at(self.opacity) <= 0 or at(self.height) <= 0:
            return None
        laid = at.part(self.height), at.part(self.lean), at(self.drop) * per
        args = (laid, at(self.blur) * per / 2, at.part(self.opacity), colour_to_rgb(self.colour))
        return Drawn(_laid_flat, args, whole=True)

    def by_whole_edge(self, at: At) -> bool:
        return at(self.height) > 0

    def reach(self, at: At) -> float:
        return 1.5 * at(self.blur) + abs(at(self.drop)) + 2


def _cast(
    shift: tuple[float, float], sigma: float, opacity: float, rgb: tuple[int, int, int],
    patch: Patch | None,
) -> Patch | None:  # fmt: skip
    if patch is None:
        return None
    around = ceil(3 * sigma) + 1
    soft = blurred(coverage(patch, around), sigma, extend=False)
    left, top = int(np.floor(shift[0])), int(np.floor(shift[1]))
    part = shift[0] - left, shift[1] - top
    if any(part):  # so that it moves smoothly
        moved = np.array([[1, 0, part[0]], [0, 1, part[1]]])
        soft = np.asarray(cv2.warpAffine(soft, moved, (soft.shape[1], soft.shape[0])), np.uint8)
    return painted(
        patch.left - around + left, patch.top - around + top, fainter(soft, opacity), rgb
    )


def _laid_flat(
    laid: tuple[float, float, float], sigma: float, opacity: float, rgb: tuple[int, int, int], lies: Lies,
    _patch: Patch | None, whole: Patch | None,
) -> Patch | None:  # fmt: skip
    if whole is None:
        return None
    alpha = np.ascontiguousarray(whole.pixels[..., 3])
    rows = np.flatnonzero((alpha >= 26).any(axis=1))
    if not len(rows):
        return None
    squash, lean, drop = laid
    first, floor = (
        (whole.top + int(row) - lies.top) / lies.down for row in (rows[0], rows[-1] + 1)
    )
    long, down = squash * (floor - first), round(drop)
    around = ceil(3 * sigma) + 2
    aside = lean * long
    ends = [(whole.left + x - lies.left) / lies.across for x in (0, alpha.shape[1])]
    high = ceil(long) + 2 * around
    above = ceil(floor) - (high - around)
    # as much of the plane that it is drawn on as reaches into the picture
    left = max(int(np.floor(ends[0])) - around - ceil(max(0.0, -aside)), -around)
    right = min(ceil(ends[1]) + around + ceil(max(0.0, aside)), lies.size[0] + around)
    top = max(above, -around - down)
    bottom = min(above + high, lies.size[1] + around - down)
    if left >= right or top >= bottom:
        return None
    # a row y above the floor comes to lie at squash · y above it, and lean · squash · y aside
    own = np.array([
        [1 / lies.across, 0, (whole.left + 0.5 - lies.left) / lies.across - 0.5],
        [0, 1 / lies.down, (whole.top + 0.5 - lies.top) / lies.down - 0.5],
        [0, 0, 1],
    ])  # fmt: skip
    lay = np.array([
        [1, -lean * squash, lean * squash * floor - left],
        [0, squash, floor - squash * floor - top],
    ])  # fmt: skip
    flat = np.asarray(cv2.warpAffine(alpha, lay @ own, (right - left, bottom - top)), np.uint8)
    soft = blurred(flat, sigma, extend=False)
    rise = np.linspace(0.45, 1, high, dtype=np.float32)[top - above : bottom - above, None]
    soft = np.rint(soft * rise).astype(np.uint8)
    return painted(left, top + down, fainter(soft, opacity), rgb)
