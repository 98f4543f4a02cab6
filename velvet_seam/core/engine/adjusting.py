"""An adjustment layer: a look laid on all that has been joined below it, without rounding it where it need not be.

Tables act on the joined floats. What moves or mixes pixels works on a picture of bytes; what comes of it is mixed
back into the floats, so that beside it, and under a mask, nothing is rounded.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.engine.looking import Looking, Part, PlaneOf
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.kernels import kernel
from velvet_seam.core.looks import Ground
from velvet_seam.core.picture.adjust import Adjust
from velvet_seam.core.picture.compose import Below
from velvet_seam.core.picture.coverage import Plane, weighed
from velvet_seam.core.picture.grade import Table, graded_planes
from velvet_seam.core.picture.light import displayed, lit
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.steps import Picture, Step, step


@dataclass(frozen=True)
class Adjusting:
    """An adjustment at a frame, on a sheet; ``plane_of`` gives the coverage of masks of its parts."""

    looking: Looking
    sheet: Sheet
    linear: bool
    plane_of: PlaneOf | None

    @property
    def idle(self) -> bool:
        return not self.looking.parts

    @property
    def simple(self) -> bool:
        """Whether it is one table after the other: laid on while the layers are joined."""
        return self.looking.simple

    def tables(self, covered: Step | None) -> list[Step]:
        """Steps that give what is laid on, for a join, one after the other."""
        inputs = () if covered is None else (covered,)
        return [
            step("adjust", _laid_on, (), table, *inputs, keep=False)
            for table in self.looking.tables()
        ]

    def around(self) -> Sheet:
        """As much of the canvas around the sheet as the look asks for."""
        reach = ceil(self.looking.reach * self._per)
        left, top, width, height = self.sheet.window
        return self.sheet.part((left - reach, top - reach, width + 2 * reach, height + 2 * reach))

    @property
    def _per(self) -> float:
        return self.sheet.per

    def seen(self, below: Step, wider: Sheet) -> Step:
        """What is joined ``below``, over a sheet as wide as :meth:`around`, as the look leaves it: floats over the
        own sheet, in the light that the shot joins in."""
        left, top = (self.sheet.window[n] - wider.window[n] for n in (0, 1))
        width, height = self.sheet.size
        planes = step("to-display", to_shown, (), below, keep=False) if self.linear else below
        parts = list(self.looking.parts)
        total = self.looking.total
        first = planes
        for number, part in enumerate(parts):
            last = number == len(parts) - 1
            if part.tones:
                fuse = last and number == 0
                strength = part.strength * (total if fuse else 1.0)
                planes = self._toned(planes, self.looking.table(part), strength, part)
                if fuse:
                    total = 1.0
                continue
            ground = Ground(wider.whole, self._per, wider.window[0], wider.window[1])
            work = self.looking.work(part, ground)
            if work is None:
                continue
            before = planes
            picture = step("to-bytes", to_bytes, (), planes, keep=False)
            picture = step("look-work", work.function, work.args, picture)
            planes = step("to-floats", to_floats, (), picture, keep=False)
            if part.limited:
                args, plane = (part.strength,), self._plane(part, before)
                planes = step("look-mix", mixed_inside, args, before, planes, plane)
            elif part.strength < 1:
                planes = step("look-mix", mixed_floats, (part.strength,), before, planes)
        if total < 1 and planes is not first:
            planes = step("look-mix", mixed_floats, (total,), first, planes)
        if wider.window != self.sheet.window:
            planes = step("window", _window, (left, top, width, height), planes, keep=False)
        return step("to-light", to_light, (), planes, keep=False) if self.linear else planes

    def _plane(self, part: Part, before: Step) -> Step:
        assert self.plane_of is not None
        picture = (
            before if part.through is None else step("to-bytes", to_bytes, (), before, keep=False)
        )
        return self.plane_of(part, 0, picture)

    def _toned(self, planes: Step, table: Step, strength: float, part: Part) -> Step:
        if part.limited:
            plane = self._plane(part, planes)
            return step("look", _toned_inside, (strength,), planes, table, plane)
        return step("look", _toned, (strength,), planes, table)


def _laid_on(table: Table, *covered: Patch | None) -> Adjust | None:
    """A table inside what a patch covers, or everywhere."""
    if not covered:
        return Adjust(table)
    (patch,) = covered
    if patch is None:
        return None
    words: NDArray[np.uint32] = np.ascontiguousarray(patch.pixels).view(np.uint32)[..., 0]
    return Adjust(table, words, patch.left, patch.top)


def _toned(strength: float, planes: Below, table: Table) -> Below:
    return graded_planes(planes, table, strength)


def _toned_inside(strength: float, planes: Below, table: Table, plane: Plane) -> Below:
    return graded_planes(planes, table, strength, plane)


def _window(left: int, top: int, width: int, height: int, planes: Below) -> Below:
    return np.ascontiguousarray(planes[top : top + height, :, left : left + width])


@nb.njit(error_model="numpy")
def _mix_row(before, after, part, to):
    for c in range(before.shape[0]):
        for x in range(before.shape[1]):
            to[c, x] = before[c, x] + part[x] * (after[c, x] - before[c, x])


@kernel(parallel=True)
def _mix(before, after, plane, strength):
    out = np.empty_like(before)
    unit = strength * np.float32(1 / 255)
    for y in nb.prange(before.shape[0]):
        part = np.full(before.shape[2], strength, np.float32)
        if plane.size:
            for x in range(part.size):
                part[x] = np.float32(plane[y, x]) * unit
        _mix_row(before[y], after[y], part, out[y])
    return out


_NO_PLANE = np.empty((0, 0), np.uint8)


def mixed_floats(strength: float, before: Below, after: Below) -> Below:
    return np.asarray(_mix(before, after, _NO_PLANE, np.float32(strength)))


def mixed_inside(strength: float, before: Below, after: Below, plane: Plane) -> Below:
    """Floats mixed by a plane of coverage."""
    return np.asarray(_mix(before, after, np.ascontiguousarray(plane), np.float32(strength)))


@kernel(parallel=True)
def _curved(planes, to_light):
    out = np.empty_like(planes)
    for y in nb.prange(planes.shape[0]):
        row, to = planes[y].reshape(-1), out[y].reshape(-1)
        if to_light:
            for k in range(row.size):
                to[k] = lit(row[k])
        else:
            for k in range(row.size):
                to[k] = displayed(row[k])
    return out


def to_shown(planes: Below) -> Below:
    return np.asarray(_curved(planes, False))


def to_light(planes: Below) -> Below:
    return np.asarray(_curved(planes, True))


@nb.njit(error_model="numpy")
def _bytes_row(r, g, b, to):
    half, full = np.float32(0.5), np.float32(255)
    for x in range(to.size):
        red = np.uint32(np.int32(r[x] * full + half))
        green = np.uint32(np.int32(g[x] * full + half))
        blue = np.uint32(np.int32(b[x] * full + half))
        to[x] = np.uint32(0xFF000000) | blue << np.uint32(16) | green << np.uint32(8) | red


@kernel(parallel=True)
def _to_bytes(planes):
    out = np.empty((planes.shape[0], planes.shape[2]), np.uint32)
    for y in nb.prange(planes.shape[0]):
        _bytes_row(planes[y, 0], planes[y, 1], planes[y, 2], out[y])
    return out


def to_bytes(planes: Below) -> Picture:
    """Joined display values, wholly covered, as a picture."""
    height, _, width = planes.shape
    return np.asarray(_to_bytes(planes)).view(np.uint8).reshape(height, width, 4)


@kernel(parallel=True)
def _to_floats(words):
    height, width = words.shape
    out = np.empty((height, 3, width), np.float32)
    unit, byte = np.float32(1 / 255), np.uint32(255)
    for y in nb.prange(height):
        for c in range(3):
            shift = np.uint32(8 * c)
            for x in range(width):
                out[y, c, x] = np.float32(np.int32((words[y, x] >> shift) & byte)) * unit
    return out


def to_floats(picture: Picture) -> Below:
    words: NDArray[np.uint32] = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    return np.asarray(_to_floats(words))


def covered_planes(patch: Patch | None, size: tuple[int, int]) -> Plane:
    """The coverage of a patch over a whole sheet."""
    out = np.zeros((size[1], size[0]), np.uint8)
    if patch is not None:
        h, w = patch.pixels.shape[:2]
        out[patch.top : patch.top + h, patch.left : patch.left + w] = patch.pixels[..., 3]
    return out


def inside(
    strength: float, size: tuple[int, int], before: Below, after: Below, patch: Patch | None
) -> Below:
    """What lies below, changed where a patch covers it."""
    if patch is None:
        return before
    return mixed_inside(strength, before, after, covered_planes(patch, size))


def as_patch(size: tuple[int, int], linear: bool, after: Below, patch: Patch | None) -> Patch:
    """What lies below, changed, as a layer of its own: to be joined by a blend."""
    picture = to_bytes(to_shown(after) if linear else after)
    return Patch(0, 0, weighed(picture, covered_planes(patch, size)))


def as_whole_patch(size: tuple[int, int], linear: bool, after: Below) -> Patch:
    return Patch(0, 0, to_bytes(to_shown(after) if linear else after))
