"""The edge of a matte: specks and holes, growth, feather, density, colour of the rim."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, floor

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.coverage import Plane

PRESENT = 26
"""Coverage (of 255) from which a pixel counts as part of a speck; the rest of a hole likewise."""


_FAINT = 12
"""Coverage (of 255) below which a pixel's own colour is too coarse to be shown at more of it."""


@dataclass(frozen=True)
class EdgeWork:
    """What is to be done. Areas in square pixels of the picture, lengths in its pixels; density as
    a factor, clean 0 to 1."""

    specks: float = 0.0
    holes: float = 0.0
    grow: float = 0.0
    feather: float = 0.0
    density: float = 1.0
    clean: float = 0.0

    @property
    def idle(self) -> bool:
        return self == EdgeWork()


@dataclass(frozen=True)
class Counts:
    """Parts and holes of a matte, by their areas in pixels, the largest first."""

    parts: list[int]
    holes: list[int]
    covered: float
    """Part of the picture that is covered, 0 to 1."""


def counts(alpha: Plane) -> Counts:
    """Parts and holes of a matte. What touches the border from outside is no hole.

    >>> matte = np.zeros((9, 9), np.uint8); matte[1:8, 1:8] = 255; matte[4, 4] = 0
    >>> counts(matte)
    Counts(parts=[48], holes=[1], covered=0.5925925925925926)
    """
    parts = _areas(alpha >= PRESENT)[1]
    labels, areas = _areas(alpha <= 255 - PRESENT)
    outside = set(np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])))
    holes = [int(area) for n, area in enumerate(areas, 1) if n not in outside]
    return Counts(
        sorted((int(a) for a in parts), reverse=True), sorted(holes, reverse=True),
        float(alpha.mean() / 255),
    )  # fmt: skip


def _areas(present: NDArray[np.bool_]) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Numbers of connected parts, 0 where there is none, and their areas in order."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(present.astype(np.uint8), connectivity=8)
    return np.asarray(labels, np.int32), np.asarray(stats[1:, cv2.CC_STAT_AREA], np.int32)


def without_specks(alpha: Plane, area: float) -> Plane:
    """A matte without parts up to an area. A part is what hangs together, its faint rim included."""
    if area <= 0:
        return alpha
    labels, areas = _areas(alpha > 2)
    small = np.concatenate([[False], areas <= area])
    return np.where(small[labels], 0, alpha).astype(np.uint8)


def without_holes(alpha: Plane, area: float) -> Plane:
    """The same the other way round: holes up to an area are filled."""
    return np.asarray(255 - without_specks(np.asarray(255 - alpha, np.uint8), area), np.uint8)


def grown(alpha: Plane, by: float) -> Plane:
    """A matte grown (or shrunk, below 0) by a length in pixels, to tenths.

    Grey dilation with discs built up from 3 × 3 squares and crosses in turn, octagons whose radius
    is one pixel larger each time; between two sizes it is mixed.

    >>> row = np.zeros((9, 9), np.uint8); row[:, :5] = 255
    >>> grown(row, 1.5)[4].tolist()
    [255, 255, 255, 255, 255, 255, 128, 0, 0]
    """
    if by == 0:
        return alpha
    work = cv2.dilate if by > 0 else cv2.erode
    cross = cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3))
    square = np.ones((3, 3), np.uint8)
    long = abs(by)
    plane = alpha
    for n in range(floor(long)):
        plane = np.asarray(work(plane, square if n % 5 in (1, 3) else cross), np.uint8)
    part = long - floor(long)
    if part > 0.005:
        n = floor(long)
        further = np.asarray(work(plane, square if n % 5 in (1, 3) else cross), np.uint8)
        plane = np.asarray(cv2.addWeighted(plane, 1 - part, further, part, 0), np.uint8)
    return plane


def feathered(alpha: Plane, wide: float) -> Plane:
    """A matte with its edge softened over a width: a Gaussian whose middle 80 % spans it."""
    if wide <= 0:
        return alpha
    sigma = wide / 2.563  # between the 10th and the 90th percentile
    if sigma < 5:
        return np.asarray(cv2.GaussianBlur(alpha, (0, 0), sigma), np.uint8)
    step = 2 ** floor(np.log2(sigma / 2.5))
    height, width = alpha.shape
    small = cv2.resize(
        alpha, (ceil(width / step), ceil(height / step)), interpolation=cv2.INTER_AREA
    )
    small = cv2.GaussianBlur(small, (0, 0), sigma / step)
    return np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR), np.uint8)


def denser(alpha: Plane, times: float) -> Plane:
    """What so many copies of a layer, one on the other, would cover: 1 − (1 − α)^times.

    >>> denser(np.array([[0, 128, 255]], np.uint8), 2).tolist()
    [[0, 192, 255]]
    """
    if times == 1:
        return alpha
    table = 255 * (1 - (1 - np.arange(256) / 255) ** times)
    return np.asarray(cv2.LUT(alpha, np.rint(table).astype(np.uint8)), np.uint8)


@kernel()
def _sure(cut, least, out):
    """Means over 2 × 2 pixels of the colour of what is covered enough, weighted by coverage, and of
    the weight: (rows, columns, 4) float32."""
    height, width = cut.shape[0], cut.shape[1]
    unit, quarter = np.float32(1 / 255), np.float32(0.25)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            r = g = b = a = np.float32(0)
            for v in range(2 * y, min(2 * y + 2, height)):
                for u in range(2 * x, min(2 * x + 2, width)):
                    if cut[v, u, 3] >= least:
                        r += np.float32(cut[v, u, 0])
                        g += np.float32(cut[v, u, 1])
                        b += np.float32(cut[v, u, 2])
                        a += np.float32(cut[v, u, 3]) * unit
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r * quarter, g * quarter, b * quarter
            out[y, x, 3] = a * quarter


def _inner_colour(cut: NDArray[np.uint8]) -> NDArray[np.float32]:
    """The colour of what is wholly covered, carried outward over the edge and beyond, straight, at half
    the size: pushed down a pyramid and pulled up again where a level knows none of its own (S.
    Gortler et al., *The Lumigraph*, 1996)."""
    height, width = cut.shape[:2]
    least = 245 if int((cut[..., 3] >= 245).sum()) >= 4 else 1
    fine = np.empty((ceil(height / 2), ceil(width / 2), 4), np.float32)
    _sure(cut, least, fine)
    levels = [fine]
    while max(levels[-1].shape[:2]) > 2:
        h, w = levels[-1].shape[:2]
        size = (max(1, ceil(w / 2)), max(1, ceil(h / 2)))
        smaller = cv2.resize(levels[-1], size, interpolation=cv2.INTER_AREA)
        levels.append(np.asarray(smaller, np.float32))
    known = levels[-1][..., :3] / np.maximum(levels[-1][..., 3:], 1e-6)
    for level in reversed(levels[:-1]):
        h, w = level.shape[:2]
        wide = cv2.resize(np.ascontiguousarray(known), (w, h), interpolation=cv2.INTER_LINEAR)
        own = np.minimum(level[..., 3:] * 2, 1)
        known = wide + (level[..., :3] / np.maximum(level[..., 3:], 1e-6) - wide) * own
    return np.ascontiguousarray(known, np.float32)


@kernel(parallel=True)
def _recolour(cut, alpha, inner, clean, out):
    """Premultiplied by a new coverage; what had less colour than it needs gets it from inside."""
    height, width = alpha.shape
    rows, columns = inner.shape[0], inner.shape[1]
    one, half, full, zero = np.float32(1), np.float32(0.5), np.float32(255), np.float32(0)
    for y in nb.prange(height):
        fy = min(max((np.float32(y) + half) * half - half, zero), np.float32(max(rows - 1, 0)))
        r0 = int(fy)
        r1, dy = min(r0 + 1, rows - 1), fy - np.float32(r0)
        for x in range(width):
            a = np.float32(alpha[y, x])
            if a == zero:
                continue
            was = np.float32(cut[y, x, 3])
            scale = full / max(was, one)
            weight = one
            if rows:
                rim = one - was / full
                weight = min(was / a, one) * (one - clean * min(rim + rim, one))
            if weight < one:
                fx = min(max((np.float32(x) + half) * half - half, zero), np.float32(columns - 1))
                c0 = int(fx)
                c1, dx = min(c0 + 1, columns - 1), fx - np.float32(c0)
                for c in range(3):
                    top = inner[r0, c0, c] + (inner[r0, c1, c] - inner[r0, c0, c]) * dx
                    low = inner[r1, c0, c] + (inner[r1, c1, c] - inner[r1, c0, c]) * dx
                    far = top + (low - top) * dy
                    own = np.float32(cut[y, x, c]) * scale
                    v = min(own * weight + far * (one - weight), full)
                    out[y, x, c] = np.uint8(v * a / full + half)
            else:
                for c in range(3):
                    v = min(np.float32(cut[y, x, c]) * scale, full)
                    out[y, x, c] = np.uint8(v * a / full + half)
            out[y, x, 3] = alpha[y, x]


def worked(cut: NDArray[np.uint8], work: EdgeWork) -> NDArray[np.uint8]:
    """A cut-out picture with its edge worked on.

    Args:
        cut: (h, w, 4) uint8 RGBA, premultiplied.

    Returns:
        The same size, premultiplied. Where coverage has become greater than before, colour comes
        from further inside the subject.
    """
    if work.idle:
        return cut
    before = np.ascontiguousarray(cut[..., 3])
    alpha = without_specks(before, work.specks)
    alpha = without_holes(alpha, work.holes)
    alpha = grown(alpha, work.grow)
    alpha = feathered(alpha, work.feather)
    alpha = denser(alpha, work.density)
    faint = (alpha > before) & (before < _FAINT)
    inner = _inner_colour(cut) if work.clean > 0 or bool(faint.any()) else _NO_COLOUR
    out = np.zeros_like(cut)
    _recolour(np.ascontiguousarray(cut), alpha, inner, np.float32(work.clean), out)
    return out


_NO_COLOUR = np.empty((0, 0, 3), np.float32)
