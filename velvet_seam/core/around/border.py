"""Border."""

from __future__ import annotations

from typing import Annotated, ClassVar

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.around.base import (
    AroundBase,
    Drawn,
    Lies,
    Placing,
    Plane,
    coverage,
    fainter,
    painted,
)
from velvet_seam.core.around.dashes import Lines, dashes
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Colour, colour_to_rgb


class Border(AroundBase):
    """A line along the layer's edge, whatever its shape: round a crop, a cut-out, letters."""

    label: ClassVar[str] = "Border"
    says: ClassVar[str] = "A line along its edge"
    find: ClassVar[str] = "outline stroke frame edge line sticker"

    width: Annotated[
        Animated,
        Bounds(0, 500, "px", "Width", "Of the line", step=0.5, shown=(0, 60), of="canvas", find="border outline thickness"),
    ] = 8.0  # fmt: skip
    opacity: Annotated[Animated, Bounds(0, 100, "%", "Opacity", "Of the line")] = 100.0
    dash: Annotated[
        Animated,
        Bounds(0, 2000, "px", "Dashes", "How long each is; 0 is a whole line", shown=(0, 200), of="canvas", find="dashed dotted"),
    ] = 0.0  # fmt: skip
    gap: Annotated[
        Animated, Bounds(1, 2000, "px", "Between", "From dash to dash", shown=(1, 200), of="canvas")
    ] = 16.0
    run: Annotated[
        Animated,
        Bounds(-100000, 100000, "px", "Run", "How far the dashes have gone along the edge", shown=(-200, 200),
               of="canvas", find="marching"),
    ] = 0.0  # fmt: skip
    colour: Colour = "#fbf3e4"
    place: Placing = "outside"

    def drawn(self, at: At, per: float) -> Drawn | None:
        width = at(self.width) * per
        if width <= 0 or at(self.opacity) <= 0:
            return None
        args = (width, at.part(self.opacity), colour_to_rgb(self.colour), self.place)
        under = self.place == "outside"
        if not self.by_whole_edge(at):
            return Drawn(_bordered, args, under=under)
        cut = (at(self.dash) * per, at(self.gap) * per, at(self.run) * per)
        return Drawn(_dashed, (*args, cut), under=under, whole=True)

    def by_whole_edge(self, at: At) -> bool:
        return at(self.dash) > 0

    def reach(self, at: At) -> float:
        # one inside, too: where the layer is cut off at the end of the picture, there is no edge of it
        return {"outside": 1.0, "centred": 0.5, "inside": 1.0}[self.place] * at(self.width) + 2


def distance(
    plane: Plane, reach: float = 1e4, outside: bool = True, inside: bool = True
) -> NDArray[np.float32]:
    """How far each pixel's middle lies from the line where coverage is half: above 0 outside, below it inside. Where
    that is more than ``reach``, or on a side that is not asked for, it is only known to be more.

    The Euclidean distance to the nearest pixel on the other side (P. Felzenszwalb and D. Huttenlocher, 2012), moved
    by how much that pixel is covered: true to about a quarter of a pixel.

    >>> distance(np.array([[255, 255, 255, 0, 0]], np.uint8))[0].round(2).tolist()
    [-2.5, -1.5, -0.5, 0.5, 1.5]
    """
    own_side = plane >= 128
    if own_side.all() or not own_side.any():
        return np.full(plane.shape, -1e4 if own_side.any() else 1e4, np.float32)
    out = np.where(own_side, np.float32(-1e4), np.float32(1e4))
    cross = np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]], np.uint8)
    for asked, these, sign in ((outside, ~own_side, 1.0), (inside, own_side, -1.0)):
        if not asked:
            continue
        own = these.astype(np.uint8)
        about, labels = cv2.distanceTransformWithLabels(
            own, cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
        )
        # which pixel is the nearest is known well enough, and is one at the edge; how far it lies is found exactly
        edge = np.flatnonzero((cv2.dilate(own, cross) > 0) & ~these)
        nearest = np.zeros(int(labels.max()) + 1, np.int64)
        nearest[labels.reshape(-1)[edge]] = edge
        near = np.flatnonzero(these & (about < 1.1 * reach + 2))
        other = nearest[labels.reshape(-1)[near]]
        width = plane.shape[1]
        far = np.hypot(near // width - other // width, near % width - other % width)
        covers = plane.reshape(-1)[other] / np.float32(255)
        out.reshape(-1)[near] = sign * (far + sign * (np.float32(0.5) - covers))
    return out


def _bordered(
    width: float, opacity: float, rgb: tuple[int, int, int], place: Placing, patch: Patch | None,
) -> Patch | None:  # fmt: skip
    if patch is None:
        return None
    beyond = _beyond(width, place)
    line = _line(coverage(patch, beyond), width, place)
    return _painted(patch, beyond, line, opacity, rgb)


def _dashed(
    width: float, opacity: float, rgb: tuple[int, int, int], place: Placing, cut: Lines, lies: Lies,
    patch: Patch | None, whole: Patch | None,
) -> Patch | None:  # fmt: skip
    if patch is None or whole is None:
        return None
    beyond = _beyond(width, place)
    line = _line(coverage(patch, beyond), width, place)
    y, x = np.nonzero(line > 0)
    per = (lies.across + lies.down) / 2
    around = int(np.ceil(beyond * per))
    left, top = whole.left - around, whole.top - around
    # the middles of pixels here, from those of the other picture's first
    u = (x + (patch.left - beyond) + 0.5) * lies.across + (lies.left - left - 0.5)
    v = (y + (patch.top - beyond) + 0.5) * lies.down + (lies.top - top - 0.5)
    begin = lies.corner[0] - left - 0.5, lies.corner[1] - top - 0.5
    lines = cut[0] * per, cut[1] * per, cut[2] * per
    line[y, x] *= dashes(
        coverage(whole, around), np.asarray(u), np.asarray(v), lines, begin, 1 / per
    )
    return _painted(patch, beyond, line, opacity, rgb)


def _beyond(width: float, place: Placing) -> int:
    """How many pixels a line reaches beyond the layer."""
    return int(np.ceil({"outside": width, "centred": width / 2, "inside": 0}[place])) + 2


def _line(plane: Plane, width: float, place: Placing) -> NDArray[np.float32]:
    """How much of each pixel a whole line along the edge of a plane covers, 0 to 1."""
    far = distance(plane, width + 2, place != "inside", place != "outside")
    end = {"outside": width, "centred": width / 2, "inside": 1e4}[place]
    line = np.clip(end + 0.5 - far, 0, 1)
    if place == "centred":
        line *= np.clip(far + width / 2 + 0.5, 0, 1)
    elif place == "inside":
        line = np.minimum(plane / np.float32(255), np.clip(far + width + 0.5, 0, 1))
    return np.asarray(line, np.float32)


def _painted(
    patch: Patch, beyond: int, line: NDArray[np.float32], opacity: float, rgb: tuple[int, int, int]
) -> Patch:
    made = (255 * line + np.float32(0.5)).astype(np.uint8)
    return painted(patch.left - beyond, patch.top - beyond, fainter(made, opacity), rgb)
