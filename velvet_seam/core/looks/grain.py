"""Grain."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated, ClassVar, Literal

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.looks.base import Area, Ground, Group, Work
from velvet_seam.core.steps import Picture
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds

TILE = 256
"""Side of the tile of grain, in grains; each frame lays it elsewhere and turned over in another way."""


class Grain(Area):
    """The noise of film: a tile of Gaussian noise, softened to the size of a grain, strongest in the middle tones,
    another for every frame."""

    label: ClassVar[str] = "Grain"
    says: ClassVar[str] = "Moving grain, as of film"
    find: ClassVar[str] = "film noise texture old"
    group: ClassVar[Group] = "surface"

    kind: Literal["grain"] = "grain"
    amount: Annotated[
        Animated, Bounds(0, 100, "%", "Amount", "How strong it is", shown=(0, 60))
    ] = 18.0
    size: Annotated[
        Animated,
        Bounds(0.5, 40, "px", "Size", "Of a grain, in pixels of the canvas", step=0.1, shown=(0.5, 8), of="canvas"),
    ] = 2.0  # fmt: skip
    seed: Annotated[
        Animated,
        Bounds(0, 1_000_000, "", "Seed", "Another whole number, other grain", shown=(0, 100)),
    ] = 1.0

    def work(self, at: At, ground: Ground) -> Work | None:
        amount = at.part(self.amount)
        if not amount:
            return None
        size = at(self.size) * ground.per
        amount *= min(1.0, size)  # of grains finer than a pixel, a pixel sees the mean
        size = round(max(1.0, size), 2)
        rng = np.random.Philox(key=at.whole(self.seed) << 8 | 31, counter=max(0, ground.frame))
        by = rng.random_raw(3)
        shift = int(by[0] % TILE), int(by[1] % TILE), int(by[2] % 4)
        return Work(_grained, (amount, size, shift, (ground.left, ground.top)))

    def moves(self) -> bool:
        return True


@lru_cache(maxsize=8)
def _tile(size: float) -> NDArray[np.float32]:
    """Noise of deviation 1 that goes on across its edges, each grain so many pixels wide."""
    rng = np.random.Generator(np.random.Philox(key=7331))
    small = rng.standard_normal((TILE, TILE)).astype(np.float32)
    if size <= 1:
        return small
    side = min(1024, round(TILE * size))
    around = np.pad(small, 4, mode="wrap")
    at = ((np.arange(side) + 0.5) * TILE / side - 0.5 + 4).astype(np.float32)
    x, y = np.broadcast_to(at[None], (side, side)), np.broadcast_to(at[:, None], (side, side))
    made = cv2.remap(around, np.ascontiguousarray(x), np.ascontiguousarray(y), cv2.INTER_CUBIC)
    return np.asarray(made / made.std(), np.float32)


@nb.njit(error_model="numpy")
def _grain_row(row, noise, amount, to):
    zero, half, full = np.float32(0), np.float32(0.5), np.float32(255)
    byte, four = np.uint32(255), np.float32(4 / 255)
    for x in range(row.size):
        v = row[x]
        a = v >> np.uint32(24)
        cover = np.float32(np.int32(a))
        green = np.float32(np.int32((v >> np.uint32(8)) & byte))
        # most in the middle tones, a fifth of it at black and white
        here = (
            amount
            * noise[x]
            * (
                np.float32(0.2)
                + np.float32(0.2)
                * four
                * green
                * (cover - green)
                / max(cover, np.float32(1))
                * np.float32(4)
            )
        )
        made = a
        for shift in (np.uint32(16), np.uint32(8), np.uint32(0)):
            c = np.float32(np.int32((v >> shift) & byte)) + here * cover / full
            made = made << np.uint32(8) | np.uint32(np.int32(min(max(c, zero), cover) + half))
        to[x] = made


@kernel(parallel=True)
def _grain(rows, tile, left, top, flip, amount):
    out = np.empty_like(rows)
    side = len(tile)
    for y in nb.prange(len(rows)):
        noise = np.empty(rows.shape[1], np.float32)
        j = (y + top) % side
        line = tile[side - 1 - j if flip & 1 else j]
        for x in range(rows.shape[1]):
            i = (x + left) % side
            noise[x] = line[side - 1 - i if flip & 2 else i]
        _grain_row(rows[y], noise, amount, out[y])
    return out


def _grained(
    amount: float,
    size: float,
    shift: tuple[int, int, int],
    place: tuple[int, int],
    picture: Picture,
) -> Picture:
    tile = _tile(size)
    per = len(tile) / TILE
    left, top = place[0] + round(shift[0] * per), place[1] + round(shift[1] * per)
    rows = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    made = _grain(rows, tile, left, top, shift[2], np.float32(64 * amount))
    return np.asarray(made).view(np.uint8).reshape(picture.shape)
