"""Vignette."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numba as nb
import numpy as np

from velvet_seam.core.kernels import kernel
from velvet_seam.core.looks.base import Area, Ground, Group, Work
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds


class Vignette(Area):
    """Light that falls off, or rises, towards the corners: display values times a smooth function of the distance
    from the middle, in halves of the picture's sides."""

    label: ClassVar[str] = "Vignette"
    says: ClassVar[str] = "Darker, or brighter, towards the corners"
    find: ClassVar[str] = "corners dark edges oval lens"
    group: ClassVar[Group] = "surface"

    kind: Literal["vignette"] = "vignette"
    amount: Annotated[
        Animated, Bounds(-100, 100, "%", "Amount", "Above 0 darker outside, below 0 brighter")
    ] = 45.0
    size: Annotated[
        Animated,
        Bounds(0, 200, "%", "Size", "How far from the middle it begins, of the way to the edge"),
    ] = 55.0
    softness: Annotated[
        Animated, Bounds(1, 200, "%", "Softness", "Over how wide a ring it falls off")
    ] = 80.0

    def work(self, at: At, ground: Ground) -> Work | None:
        amount = at.part(self.amount)
        if not amount:
            return None
        place = (*ground.size, ground.left, ground.top)
        return Work(_shaded, (amount, at.part(self.size), at.part(self.softness), place))


@nb.njit(error_model="numpy")
def _shade_row(row, across, down, amount, size, per, to):
    zero, one, half, full = np.float32(0), np.float32(1), np.float32(0.5), np.float32(255)
    byte = np.uint32(255)
    for x in range(row.size):
        far = np.sqrt(across[x] + down)
        t = min(max((far - size) * per, zero), one)
        fall = t * t * (np.float32(3) - np.float32(2) * t) * amount
        v = row[x]
        a = v >> np.uint32(24)
        cover = np.float32(np.int32(a))
        made = a
        for shift in (np.uint32(16), np.uint32(8), np.uint32(0)):
            c = np.float32(np.int32((v >> shift) & byte))
            darker = c * (one - max(fall, zero))
            brighter = darker - min(fall, zero) * (cover - darker)
            made = made << np.uint32(8) | np.uint32(np.int32(min(brighter, full) + half))
        to[x] = made


@kernel(parallel=True)
def _shade(rows, across, down, amount, size, per):
    out = np.empty_like(rows)
    for y in nb.prange(len(rows)):
        _shade_row(rows[y], across, down[y], amount, size, per, out[y])
    return out


def _shaded(
    amount: float, size: float, softness: float, place: tuple[int, int, int, int], picture: Picture
) -> Picture:
    width, height, left, top = place
    rows = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    across = (2 * (np.arange(rows.shape[1]) + left + 0.5) / width - 1).astype(np.float32) ** 2
    down = (2 * (np.arange(rows.shape[0]) + top + 0.5) / height - 1).astype(np.float32) ** 2
    per = np.float32(1 / softness)
    made = _shade(rows, across, down, np.float32(amount), np.float32(size), per)
    return np.asarray(made).view(np.uint8).reshape(picture.shape)
