"""Pixels as blocks."""

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


class Blocks(Area):
    """Squares of one colour each, the mean of what lies in them; counted from the middle of the picture."""

    label: ClassVar[str] = "Blocks"
    says: ClassVar[str] = "Large square pixels: to hide a face, or to dissolve"
    find: ClassVar[str] = "pixelate mosaic censor pixels"
    group: ClassVar[Group] = "surface"

    kind: Literal["blocks"] = "blocks"
    size: Annotated[
        Animated,
        Bounds(1, 2000, "px", "Size", "Of a block, in pixels of the canvas", shown=(1, 160), of="canvas"),
    ] = 32.0  # fmt: skip

    def work(self, at: At, ground: Ground) -> Work | None:
        size = at(self.size) * ground.per
        if size < 1.5:
            return None
        return Work(_blocks, (size, ground.size, (ground.left, ground.top)))

    def reach(self, at: At) -> float:
        return at(self.size) + 2


@nb.njit(error_model="numpy")
def _row_sums(row, columns, sums):
    for j in range(len(columns) - 1):
        for x in range(columns[j], columns[j + 1]):
            for c in range(4):
                sums[j, c] += np.int64(row[x, c])


@kernel(parallel=True)
def _cells(picture, rows, columns):
    out = np.empty_like(picture)
    for i in nb.prange(len(rows) - 1):
        sums = np.zeros((len(columns) - 1, 4), np.int64)
        first, last = rows[i], rows[i + 1]
        for y in range(first, last):
            _row_sums(picture[y], columns, sums)
        for j in range(len(columns) - 1):
            area = (last - first) * (columns[j + 1] - columns[j])
            for c in range(4):
                mean = np.uint8((2 * sums[j, c] + area) // (2 * area))
                for x in range(columns[j], columns[j + 1]):
                    out[first, x, c] = mean
        for y in range(first + 1, last):
            out[y] = out[first]
    return out


def _blocks(
    size: float, whole: tuple[int, int], corner: tuple[int, int], picture: Picture
) -> Picture:
    """Means over cells; a cell ends at a whole pixel."""
    edges = []
    for length, full, first in (
        (picture.shape[0], whole[1], corner[1]), (picture.shape[1], whole[0], corner[0])
    ):  # fmt: skip
        cells = np.floor((np.arange(length) + first + 0.5 - full / 2) / size).astype(np.int64)
        starts = np.flatnonzero(np.diff(cells, prepend=cells[0] - 1))
        edges.append(np.append(starts, length))
    return np.asarray(_cells(np.ascontiguousarray(picture), *edges))
