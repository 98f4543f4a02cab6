"""Descent: a warp that is about right made exact, on what both pictures show, whatever stands before it in either.

Inverse compositional Gauss–Newton (S. Baker and I. Matthews, 2004). Each pixel counts by how well its block of the
picture agrees with the other picture, and by Tukey's function of how far off it is.
"""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.register.levels import Level
from velvet_seam.core.register.warps import (
    GENERATORS,
    Matrix,
    Model,
    grid,
    mapped,
    moved_along,
)

BLOCKS = 40
"""Blocks along the long side."""

MOST_PIXELS = 40_000

POWER = 6
"""A block that agrees half counts a sixty-fourth."""

TUKEY = 4.685
"""Times the spread of what agrees: what is further off does not count at all (J. Tukey, 1960)."""

STEEP = 0.12
"""A pixel is looked at where the picture rises by more than so much to the next."""


@dataclass(frozen=True)
class Chosen:
    """Pixels of a level that are looked at: where they are, their values and how these rise across and down, and which
    block each lies in."""

    x: NDArray[np.float32]
    y: NDArray[np.float32]
    value: NDArray[np.float32]
    rise: NDArray[np.float32]
    block: NDArray[np.int64]
    blocks: int
    area: float
    """Blocks of the whole picture, those without a chosen pixel included."""
    across: int
    """Blocks in a row."""


@dataclass(frozen=True)
class Fit:
    """Where a descent has come to.

    Attributes:
        warp: from the level's pixels to the other picture's.
        score: of all chosen pixels, the mean of their block's agreement to the third power; 0 to 1.
        agrees: how much of the picture agrees, 0 to 1.
        normal, right: of the last step, per block: (blocks, n, n) and (blocks, n).
        settled: the last step was as short as was asked for.
    """

    warp: Matrix
    score: float
    agrees: float
    ncc: NDArray[np.float64]
    normal: NDArray[np.float64]
    right: NDArray[np.float64]
    settled: bool


def chosen(level: Level, most: int = MOST_PIXELS, least_side: int = 4) -> Chosen:
    """The steepest pixels of every block of a level; blocks are at least so many pixels wide."""
    plane = level.plane
    height, width = plane.shape
    side = max(least_side, int(np.ceil(max(width, height) / BLOCKS)))
    rise_x, rise_y = np.zeros_like(plane), np.zeros_like(plane)
    rise_x[:, 1:-1] = (plane[:, 2:] - plane[:, :-2]) / 2
    rise_y[1:-1] = (plane[2:] - plane[:-2]) / 2
    steep = rise_x**2 + rise_y**2
    steep[level.valid == 0] = 0
    rows, columns = -(-height // side), -(-width // side)
    padded = np.zeros((rows * side, columns * side), np.float32)
    padded[:height, :width] = steep
    tiles = padded.reshape(rows, side, columns, side).swapaxes(1, 2).reshape(rows * columns, -1)
    each = min(max(8, most // (rows * columns)), tiles.shape[1])
    at = np.argpartition(tiles, -each, axis=1)[:, -each:]
    worth = np.take_along_axis(tiles, at, axis=1) > STEEP * STEEP
    enough = worth.sum(1) >= min(8, each)
    worth &= enough[:, None]
    block = np.repeat(np.arange(rows * columns), each).reshape(rows * columns, each)[worth]
    at = at[worth]
    y = block // columns * side + at // side
    x = block % columns * side + at % side
    rise = np.column_stack([rise_x[y, x], rise_y[y, x]])
    return Chosen(
        x.astype(np.float32), y.astype(np.float32), plane[y, x], rise, block, rows * columns,
        height * width / side**2, columns,
    )  # fmt: skip


@kernel()
def _asked(plane, valid, x, y, warp, out, inside):
    """A plane at places that a warp sends pixels to, by Catmull and Rom's cubic (1974); nothing outside."""
    height, width = plane.shape
    for k in range(x.size):
        u, v = x[k] + 0.5, y[k] + 0.5
        w = warp[2, 0] * u + warp[2, 1] * v + warp[2, 2]
        inside[k] = False
        if w <= 1e-6:
            continue
        px = (warp[0, 0] * u + warp[0, 1] * v + warp[0, 2]) / w - 0.5
        py = (warp[1, 0] * u + warp[1, 1] * v + warp[1, 2]) / w - 0.5
        if not (px >= 1 and py >= 1 and px < width - 3 and py < height - 3):
            continue
        i, j = int(px), int(py)
        if valid[j, i] == 0:
            continue
        s, t = np.float32(px - i), np.float32(py - j)
        a0 = ((-np.float32(0.5) * s + np.float32(1)) * s - np.float32(0.5)) * s
        a1 = (np.float32(1.5) * s - np.float32(2.5)) * s * s + np.float32(1)
        a2 = ((-np.float32(1.5) * s + np.float32(2)) * s + np.float32(0.5)) * s
        a3 = (np.float32(0.5) * s - np.float32(0.5)) * s * s
        b0 = ((-np.float32(0.5) * t + np.float32(1)) * t - np.float32(0.5)) * t
        b1 = (np.float32(1.5) * t - np.float32(2.5)) * t * t + np.float32(1)
        b2 = ((-np.float32(1.5) * t + np.float32(2)) * t + np.float32(0.5)) * t
        b3 = (np.float32(0.5) * t - np.float32(0.5)) * t * t
        total = np.float32(0)
        for n in range(4):
            b = b0 if n == 0 else b1 if n == 1 else b2 if n == 2 else b3
            row = plane[j - 1 + n]
            total += b * (a0 * row[i - 1] + a1 * row[i] + a2 * row[i + 1] + a3 * row[i + 2])
        out[k] = total
        inside[k] = True


@kernel()
def _agreement(value, got, inside, block, blocks):
    """How well each block agrees: its normalised correlation from 0 to 1, 0 where less than half of it is seen."""
    sums = np.zeros((blocks, 7))
    for k in range(value.size):
        one = sums[block[k]]
        one[6] += 1
        if inside[k]:
            a, b = np.float64(value[k]), np.float64(got[k])
            one[0] += 1
            one[1] += a
            one[2] += b
            one[3] += a * a
            one[4] += b * b
            one[5] += a * b
    out = np.zeros(blocks)
    for n in range(blocks):
        count, sa, sb, saa, sbb, sab, every = sums[n]
        if 2 * count > every:
            va, vb = saa / count - (sa / count) ** 2, sbb / count - (sb / count) ** 2
            both = sab / count - sa * sb / count**2
            out[n] = min(max(both / np.sqrt(max(va * vb, 1e-9)), 0.0), 1.0)
    return out


@kernel()
def _gathered(jacobian, weight, off, block, normal, right):
    """The normal equations of each block."""
    count = jacobian.shape[1]
    for k in range(weight.size):
        w = weight[k]
        if w > 0:
            to, b = normal[block[k]], right[block[k]]
            for i in range(count):
                wi = w * jacobian[k, i]
                b[i] += wi * off[k]
                for j in range(i + 1):
                    to[i, j] += wi * jacobian[k, j]
    for n in range(normal.shape[0]):
        for i in range(count):
            for j in range(i):
                normal[n, j, i] = normal[n, i, j]


@kernel()
def _weighed(value, got, ncc, block, inside, off, weight):
    """How far each pixel is off once gain and offset are taken out, and what it then counts; all counts together."""
    total = ma = mb = 0.0
    for k in range(value.size):
        weight[k] = 0.0
        if inside[k]:
            w = ncc[block[k]] ** POWER
            weight[k] = w
            total += w
            ma += w * value[k]
            mb += w * got[k]
    if total <= 0:
        return 0.0
    ma /= total
    mb /= total
    vb = both = 0.0
    for k in range(value.size):
        if weight[k] > 0:
            a, b = value[k] - ma, got[k] - mb
            vb += weight[k] * b * b
            both += weight[k] * a * b
    gain = min(max(both / max(vb, 1e-9), 0.5), 2.0)
    held = np.empty(value.size, np.float64)
    count = 0
    for k in range(value.size):
        off[k] = gain * (got[k] - mb) + ma - value[k]
        if weight[k] > 0 and ncc[block[k]] > 0.5:
            held[count] = abs(off[k])
            count += 1
    spread = 1.4826 * np.median(held[:count]) if count > 0 else 1.0
    reach = TUKEY * max(spread, 0.02)
    total = 0.0
    for k in range(value.size):
        if weight[k] > 0:
            part = off[k] / reach
            weight[k] *= (1 - part * part) ** 2 if abs(part) < 1 else 0.0
            total += weight[k]
    return total


@kernel()
def _apart(one, other, places):
    """How far two warps send places to different ones, root mean square."""
    total = 0.0
    for k in range(places.shape[0]):
        x, y = places[k, 0], places[k, 1]
        wa = one[2, 0] * x + one[2, 1] * y + one[2, 2]
        wb = other[2, 0] * x + other[2, 1] * y + other[2, 2]
        dx = (one[0, 0] * x + one[0, 1] * y + one[0, 2]) / wa - (
            other[0, 0] * x + other[0, 1] * y + other[0, 2]
        ) / wb
        dy = (one[1, 0] * x + one[1, 1] * y + one[1, 2]) / wa - (
            other[1, 0] * x + other[1, 1] * y + other[1, 2]
        ) / wb
        total += dx * dx + dy * dy
    return np.sqrt(total / places.shape[0])


@kernel()
def _times(one, other):
    """The product of two matrices, 3 × 3."""
    out = np.zeros((3, 3))
    for i in range(3):
        for j in range(3):
            for k in range(3):
                out[i, j] += one[i, k] * other[k, j]
    return out


@kernel()
def _solved(matrix, values):
    """Solves symmetric equations of a few unknowns in place, as L D Lᵀ; whether they have one solution."""
    n = values.size
    ridge = 0.0
    for i in range(n):
        ridge += 1e-9 * matrix[i, i]
    if not ridge > 0:
        return False
    for i in range(n):
        matrix[i, i] += ridge
    for j in range(n):
        for k in range(j):
            matrix[j, j] -= matrix[j, k] * matrix[j, k] * matrix[k, k]
        if not matrix[j, j] > 0:
            return False
        for i in range(j + 1, n):
            for k in range(j):
                matrix[i, j] -= matrix[i, k] * matrix[j, k] * matrix[k, k]
            matrix[i, j] /= matrix[j, j]
    for i in range(n):
        for k in range(i):
            values[i] -= matrix[i, k] * values[k]
    for i in range(n - 1, -1, -1):
        values[i] /= matrix[i, i]
        for k in range(i + 1, n):
            values[i] -= matrix[k, i] * values[k]
    return True


@kernel()
def _descended(
    plane, valid, x, y, value, block, jacobian, ways, to, back, places, steps, least, warp, ncc, normal, right,
):  # fmt: skip
    """Steps from a warp on, which is changed, as are the last step's agreement and normal equations; whether the last
    step was as short as was asked for."""
    n = jacobian.shape[1]
    got = np.zeros(x.size, np.float32)
    inside = np.zeros(x.size, np.bool_)
    off, weight = np.zeros(x.size), np.zeros(x.size)
    whole, total = np.zeros((n, n)), np.zeros(n)
    for at in range(steps + 1):
        _asked(plane, valid, x, y, warp, got, inside)
        ncc[:] = _agreement(value, got, inside, block, ncc.size)
        held = _weighed(value, got, ncc, block, inside, off, weight)
        normal[:] = 0
        right[:] = 0
        _gathered(jacobian, weight, off, block, normal, right)
        if at == steps or held < 20:
            return False
        for i in range(n):
            total[i] = right[:, i].sum()
            for j in range(n):
                whole[i, j] = normal[:, i, j].sum()
        if not _solved(whole, total):
            return False
        way = np.zeros((3, 3))
        for i in range(n):
            if not abs(total[i]) < 0.5:
                return False
            way -= total[i] * ways[i]
        # the step taken back: the matrix exponential of what leads there, times -1
        moved, power = np.eye(3), np.eye(3)
        for k in range(1, 9):
            power = _times(power, way) / k
            moved += power
        new = _times(warp, _times(back, _times(moved, to)))
        new /= new[2, 2]
        for i in range(3):
            for j in range(3):
                if not np.isfinite(new[i, j]):
                    return False
        far = _apart(warp, new, places)
        warp[:] = new
        if far < least:
            return True
    return False


class Descent:
    """Descends from any start between one level of a picture and the same level of another."""

    def __init__(
        self, level: Level, other: Level, model: Model, pixels: Chosen | None = None
    ) -> None:
        self._other, self.model = other, model
        self.of = chosen(level) if pixels is None else pixels
        self.size = level.size
        of = self.of
        # places from the picture's middle, in halves of its long side, so that all steps are alike
        self._unit = max(self.size) / 2
        c = np.array(self.size) / 2
        self._to = np.array([[1, 0, -c[0]], [0, 1, -c[1]], [0, 0, self._unit]]) / self._unit
        x, y = (of.x + 0.5 - c[0]) / self._unit, (of.y + 0.5 - c[1]) / self._unit
        rise = of.rise * self._unit
        place = np.column_stack([x, y, np.ones_like(x)]).astype(np.float64)
        columns = []
        for way in GENERATORS[model]:
            d = place @ way.T
            columns.append(
                rise[:, 0] * (d[:, 0] - x * d[:, 2]) + rise[:, 1] * (d[:, 1] - y * d[:, 2])
            )
        self._jacobian = np.ascontiguousarray(np.column_stack(columns))
        self._back = np.linalg.inv(self._to)

    def beside(self, other: Level) -> Descent:
        """The same between this level and that of yet another picture."""
        made = copy(self)
        made._other = other
        return made

    def run(self, warp: Matrix, steps: int = 30, least: float = 0.002) -> Fit:
        """From a warp on, until the next step is shorter than ``least`` pixels."""
        of, other = self.of, self._other
        n = self._jacobian.shape[1]
        ncc = np.zeros(of.blocks)
        normal, right = np.zeros((of.blocks, n, n)), np.zeros((of.blocks, n))
        made = np.array(warp, float)
        settled = _descended(
            other.plane, other.valid, of.x, of.y, of.value, of.block, self._jacobian, GENERATORS[self.model],
            self._to, self._back, grid(self.size), steps, least, made, ncc, normal, right,
        )  # fmt: skip
        score = float((ncc[of.block] ** 3).mean()) if of.x.size else 0.0
        agrees = float((ncc > 0.6).sum() / max(of.area, 1))
        return Fit(made, score, min(agrees, 1.0), ncc, normal, right, bool(settled))

    def displaced(self, step: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far a small step along the generators moves places of the picture, (25, 2) pixels."""
        change = self._back @ moved_along(self.model, step) @ self._to
        places = grid(self.size)
        return mapped(change, places) - places
