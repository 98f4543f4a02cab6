"""Masking: the steps that give the coverage of a layer's masks, over its picture or over the sheet."""

from __future__ import annotations

from collections.abc import Sequence
from math import ceil, floor, radians, sqrt

import cv2
import numpy as np

from velvet_seam.core.engine.context import Context
from velvet_seam.core.masks import Ground, Mask
from velvet_seam.core.picture.coverage import Plane, all_joined, faded
from velvet_seam.core.picture.pinned import tangent
from velvet_seam.core.picture.placement import Matrix
from velvet_seam.core.picture.shape import BOX, Soft, cover
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.steps import Step, step
from velvet_seam.core.timing.at import At


class MaskAt:
    """A mask as it is at a frame; its ``digest`` says all that its coverage depends on, and nothing else, so
    that what stands still is the same at every frame."""

    def __init__(self, mask: Mask, at: At) -> None:
        self.mask, self.at = mask, at

    @property
    def digest(self) -> str:
        return repr((self.mask.numbers(self.at), self.mask.invert))


def _drawn(
    one: MaskAt, size: tuple[int, int], ground: tuple[int, int],
    back: tuple[tuple[float, ...], ...], unit: float, here: float,
) -> Plane:  # fmt: skip
    """The coverage of a mask over a picture.

    Args:
        size: width and height of the picture.
        ground: of what the mask's numbers are pixels of: the source, or the canvas.
        back: 3 × 3, from pixels of the picture to those.
        unit: canvas pixels to one of those.
        here: how much of it there is, 0 to 1, where it is thinner than a pixel.
    """
    mask, at = one.mask, one.at
    across = sqrt(abs(back[0][0] * back[1][1] - back[0][1] * back[1][0]))
    x, y = at(mask.x) + ground[0] / 2, at(mask.y) + ground[1] / 2
    turn = radians(at(mask.rotation))
    c, s = np.cos(turn), np.sin(turn)
    soft = Soft(at(mask.grow), at(mask.feather_in), at(mask.feather_out), unit * across)
    # from picture pixels to the mask's own, turned back about its point
    to_own = np.array([[c, s, -c * x - s * y], [-s, c, s * x - c * y], [0, 0, 1]]) @ np.array(back)
    plane = mask.covered(at, Ground(size, to_own, across, unit, soft))
    return faded(faded(plane, here, False), at.part(mask.opacity), mask.invert)


def _followed(
    back: tuple[tuple[float, ...], ...], ground: tuple[int, int], by: Matrix
) -> tuple[tuple[float, ...], ...]:
    """From pixels of a picture to those of what a mask counts in, before what it follows has moved it."""
    middle = np.array([[1, 0, ground[0] / 2], [0, 1, ground[1] / 2], [0, 0, 1.0]])
    whole = middle @ np.linalg.inv(by) @ np.linalg.inv(middle) @ np.array(back)
    return tuple(map(tuple, (whole / whole[2, 2]).tolist()))


def _onto(size: tuple[int, int], to_sheet: tuple[tuple[float, ...], ...], plane: Plane) -> Plane:
    """A plane over the sheet, seen from a picture that lies on it; beyond the sheet it goes on as it ends."""
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])  # a pixel's middle lies half a pixel in
    matrix = np.linalg.inv(half) @ np.array(to_sheet) @ half
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    made = cv2.warpPerspective(plane, matrix, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(made, np.uint8)


def _all_joined(hows: tuple[str, ...], *planes: Plane) -> Plane:
    return all_joined(list(zip(planes, hows, strict=True)))


def _cropped(
    sides: tuple[float, float, float, float], ground: tuple[int, int], radius: float, softness: float,
    size: tuple[int, int], back: tuple[tuple[float, ...], ...], unit: float,
) -> Plane:  # fmt: skip
    """The coverage of a crop: see :class:`velvet_seam.core.shot.crop.Crop`; ``radius`` in source pixels."""
    left, top, right, bottom = sides
    wide, high = ground[0] * (1 - left - right), ground[1] * (1 - top - bottom)
    if wide <= 0 or high <= 0:
        return np.zeros((size[1], size[0]), np.uint8)
    middle = ground[0] * (1 + left - right) / 2, ground[1] * (1 + top - bottom) / 2
    to_own = np.array([[1, 0, -middle[0]], [0, 1, -middle[1]], [0, 0, 1]]) @ np.array(back)
    soft = Soft(inside=softness, pixel=unit * back[0][0])
    return cover(size, BOX, to_own, (wide / 2, high / 2, radius), unit, soft)


class Masking:
    """The masks of one layer, ``at`` one of its frames, over a picture of so many source pixels."""

    def __init__(self, context: Context, layer: Layer, at: At, width: int, height: int) -> None:
        self._context, self._layer, self._at = context, layer, at
        self._width, self._height = width, height
        self._scale = at.part(layer.place.scale)

    def planes(self, masks: Sequence[Mask], use: str, on_canvas: bool, margin: int = 0) -> Step:
        """The coverage of some masks together; over the layer's picture with so many pixels around it."""
        planes = [self._plane(mask, on_canvas, margin) for mask in masks]
        hows = [mask.combine if use == "limit" else "add" for mask in masks]
        if len(planes) == 1 and hows[0] != "subtract":
            return planes[0]
        return step("mask-planes", _all_joined, (tuple(hows),), *planes)

    def _plane(self, mask: Mask, on_canvas: bool, margin: int) -> Step:
        if mask.fixed == "canvas" and not on_canvas:
            return self.onto_picture(self._plane(mask, True, 0), margin)
        sheet = self._context.sheet
        frame = self._layer.span.first + self._at.frame
        by = self._context.mask_followed(mask, self._layer, frame)
        # What is thinner than a pixel of the canvas covers only as much of one, so that a shape that grows
        # from nothing begins with nothing, however soft.
        thick = min(mask.extents(self._at), default=np.inf)
        here = min(1.0, thick * (1.0 if mask.fixed == "canvas" else self._scale))
        if on_canvas and mask.fixed == "layer":
            size, ground, unit = sheet.size, (self._width, self._height), self._scale
            back, seen = self._from_sheet(mask, frame)
            here = here if seen else 0.0
        elif on_canvas:
            back = sheet.back(self._context.camera(self._layer, frame))
            size, ground, unit = sheet.size, sheet.canvas, 1.0
        else:
            size, back = self._over(margin)
            ground, unit = (self._width, self._height), self._scale
        if by is not None:
            back, unit = _followed(back, ground, by), unit * float(np.hypot(by[0, 0], by[1, 0]))
        args = (MaskAt(mask, self._at), size, ground, back, unit, here)
        return step("mask-plane", _drawn, args)

    def _from_sheet(
        self, mask: Mask, frame: float
    ) -> tuple[tuple[tuple[float, ...], ...], bool]:  # fmt: skip
        """From pixels of the sheet to those of the layer, in perspective as it is at the mask's point; and whether anything
        of the layer is seen there."""
        to_sheet = self._context.to_sheet(self._layer, frame)
        x, y = self._at(mask.x) + self._width / 2, self._at(mask.y) + self._height / 2
        near = tangent(to_sheet, x, y) if to_sheet.any() else to_sheet
        if not np.isfinite(near).all() or abs(np.linalg.det(near)) < 1e-9:
            return ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)), False
        return tuple(map(tuple, np.linalg.inv(near).tolist())), True

    def onto_picture(self, plane: Step, margin: int) -> Step:
        """A plane over the sheet as it falls on the layer's picture, with so many pixels around it."""
        size, back = self._over(margin)
        frame = self._layer.span.first + self._at.frame
        to_sheet = self._context.to_sheet(self._layer, frame) @ np.array(back)
        return step("onto-picture", _onto, (size, tuple(map(tuple, to_sheet.tolist()))), plane)

    def _over(self, margin: int) -> tuple[tuple[int, int], tuple[tuple[float, ...], ...]]:
        """The size of the layer's picture with so many pixels around it, and the 3 × 3 matrix from its pixels to
        those of the source."""
        width, height = self._context.picture_size(self._layer)
        across, down = self._width / width, self._height / height
        back = (
            (across, 0.0, -margin * across),
            (0.0, down, -margin * down),
            (0.0, 0.0, 1.0),
        )
        return (width + 2 * margin, height + 2 * margin), back

    def crop(self, margin: int) -> Step | None:
        """What the layer's crop leaves of its picture; None where that is all."""
        crop = self._layer.crop
        if crop.none:
            return None
        part, at = self._at.part, self._at
        sides = (part(crop.left), part(crop.top), part(crop.right), part(crop.bottom))
        size, back = self._over(margin)
        lengths = at(crop.radius) / self._scale, at(crop.softness)
        args = (sides, (self._width, self._height), *lengths, size, back, self._scale)
        return step("crop", _cropped, args)

    def rows_left(self) -> tuple[float, float]:
        """What the masks leave of a layer's height, as parts of it: the rest need not be keyed."""
        edge = self._layer.seam.edge
        if self._at(edge.specks) or self._at(edge.holes):
            return 0.0, 1.0
        margin = abs(self._at(edge.grow)) + 2 * self._at(edge.feather) + 4
        whole = (0.0, float(self._height))
        left: tuple[float, float] | None = None  # rows that the masks so far leave something of
        for mask in self._layer.seam.masks:
            if not mask.on or mask.use != "limit":
                continue
            top, bottom = self._rows_of(mask, margin) or whole
            if mask.combine == "subtract":  # it takes something out of them, but no row wholly
                left = left or whole
            elif left is None:
                left = (top, bottom)
            elif mask.combine == "add":
                left = (min(left[0], top), max(left[1], bottom))
            else:
                left = (max(left[0], top), min(left[1], bottom))
        top, bottom = left or whole
        # in steps of a sixteenth, so that dragging a mask does not key the layer anew at every pixel
        first = floor(min(max(top, 0), self._height) / self._height * 16) / 16
        last = ceil(min(max(bottom, 0), self._height) / self._height * 16) / 16
        return first, max(first, last)

    def _rows_of(self, mask: Mask, margin: float) -> tuple[float, float] | None:
        """The rows of the layer that a mask reaches; None where it is not known."""
        at = self._at
        half = mask.upright(at)
        if mask.invert or half is None or at(mask.rotation):
            return None
        if mask.fixed != "layer" or not mask.follow.none:
            return None
        middle = at(mask.y) + self._height / 2
        beyond = at(mask.feather_out) + max(at(mask.grow), 0) + margin
        reach = half + beyond / self._scale
        return middle - reach, middle + reach
