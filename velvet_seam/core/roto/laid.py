"""Pixels of one frame laid on another, both blurred, by Gauss-Newton steps (B. D. Lucas and T. Kanade, 1981; S. Baker and I.
Matthews, *Lucas-Kanade 20 Years On*, 2004), each pixel counted the less the more unlike it is."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.roto.places import Places, shown_at

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]

STEPS, STILL, FAR_STILL = 8, 0.05, 0.1
"""So often something is laid better, until hardly any of it moves by so many pixels; and by so many of a smaller frame's."""

SMALLEST = 16
"""Pixels along its shorter side of what is made smaller still."""


@dataclass(frozen=True)
class Blurred:
    """What is compared of two frames, blurred, ``before`` and ``now``: (h, w, 3) each, at a ``part`` of their size."""

    before: F32
    now: F32
    part: float = 1.0

    @classmethod
    def of(cls, before: F32, now: F32, blur: float) -> Blurred:
        """Two frames blurred by so many of their pixels."""
        return cls(_softened(before, blur), _softened(now, blur))

    @classmethod
    def far(cls, before: F32, now: F32, halvings: int) -> list[Blurred]:
        """The same two frames at a half of their size, at a quarter and so on, blurred by two of the pixels there; the smallest
        first."""
        made: list[Blurred] = []
        for n in range(1, halvings + 1):
            if min(before.shape[:2]) < SMALLEST:
                break
            before, now = (np.asarray(cv2.pyrDown(one), np.float32) for one in (before, now))
            made.append(cls(_softened(before, 2), _softened(now, 2), 0.5**n))
        return made[::-1]

    def was(self, at: Places) -> F32:
        """What pixels of the first frame look like: (n, 3)."""
        rows, columns = at
        if self.part == 1.0:
            return self.before[rows, columns]
        x, y = ((one * self.part).astype(np.float32) for one in (columns, rows))
        return shown_at(self.before, x, y)

    def laid(self, own: F64, at: Places, placed: F64, stiff: float) -> tuple[F64, float, F32]:
        """Pixels of the first laid better on the second: where, with the median squared difference and the mean one of
        each channel.

        Args:
            own: (n, 3) the pixels by their piece's own measure.
            at: the same by rows and columns.
            placed: (2, 3) where they are laid first, by that measure.
            stiff: what holds them against turning, growing and slanting, of what lets them shift.
        """
        part, still = self.part, STILL if self.part == 1.0 else FAR_STILL
        made, usual, offset = _laid(own, self.was(at), self.now, placed * part, STEPS, still, stiff)
        return made / part, usual, offset


def _softened(f: F32, blur: float) -> F32:
    """What is compared of a frame, (h, w, 3), blurred by so many pixels, as far as three times that."""
    side = 2 * round(3 * blur) + 1
    return np.asarray(cv2.GaussianBlur(f, (side, side), blur), np.float32)


@nb.njit(error_model="numpy")
def compared(now, y, x, before, offset, e, ex, ey):
    """How unlike what it was a place between pixels is, and how that grows to the right and downward; False outside."""
    height, width = now.shape[:2]
    if not (0 <= y <= height - 1 and 0 <= x <= width - 1):
        return False
    top, left = min(int(y), height - 2), min(int(x), width - 2)
    b, r = np.float32(y - top), np.float32(x - left)
    a, q = np.float32(1) - b, np.float32(1) - r
    for c in range(3):
        nw, ne = now[top, left, c], now[top, left + 1, c]
        sw, se = now[top + 1, left, c], now[top + 1, left + 1, c]
        ex[c] = (ne - nw) * a + (se - sw) * b
        ey[c] = (sw - nw) * q + (se - ne) * r
        e[c] = (nw * q + ne * r) * a + (sw * q + se * r) * b - before[c] - offset[c]
    return True


@nb.njit(error_model="numpy")
def _solved(h, g):
    """What ``h`` (n, n), symmetric and positive, makes ``g`` (n,) of: by Cholesky's factors, in place of LAPACK, which Numba
    takes from a library that is not here."""
    n = g.size
    x = g.copy()
    for k in range(n):
        for m in range(k):
            h[k, k] -= h[k, m] * h[k, m]
            x[k] -= h[k, m] * x[m]
        h[k, k] = np.sqrt(h[k, k])
        x[k] /= h[k, k]
        for row in range(k + 1, n):
            for m in range(k):
                h[row, k] -= h[row, m] * h[k, m]
            h[row, k] /= h[k, k]
    for k in range(n - 1, -1, -1):
        for row in range(k + 1, n):
            x[k] -= h[row, k] * x[row]
        x[k] /= h[k, k]
    return x


@kernel()
def _laid(own, before, now, placed, steps, still, stiff):
    """Gauss-Newton steps of an affine placement; with the median squared difference and the mean one of each channel."""
    count = own.shape[0]
    e = np.empty((count, 3), np.float32)
    ex, ey = np.empty_like(e), np.empty_like(e)
    squared = np.empty(count, np.float64)
    offset = np.zeros(3, np.float32)
    usual = 1e9  # of what lies outside of the frame nothing is alike
    placed = placed.copy()
    for _ in range(steps):
        seen = 0
        for n in range(count):
            x = placed[0, 0] * own[n, 0] + placed[0, 1] * own[n, 1] + placed[0, 2]
            y = placed[1, 0] * own[n, 0] + placed[1, 1] * own[n, 1] + placed[1, 2]
            squared[n] = -1.0
            if compared(now, y, x, before[n], offset, e[n], ex[n], ey[n]):
                squared[n] = e[n, 0] ** 2 + e[n, 1] ** 2 + e[n, 2] ** 2
                seen += 1
        if seen < 12:
            break
        usual = max(float(np.median(squared[squared >= 0])), 1.0)
        h, g = np.zeros((6, 6)), np.zeros(6)
        off, weights = np.zeros(3), 0.0
        for n in range(count):
            if squared[n] < 0:
                continue
            weight = 1 / (1 + squared[n] / (4 * usual))
            weights += weight
            xx = xy = yy = xe = ye = 0.0
            for c in range(3):
                off[c] += weight * e[n, c]
                xx += ex[n, c] * ex[n, c]
                xy += ex[n, c] * ey[n, c]
                yy += ey[n, c] * ey[n, c]
                xe += ex[n, c] * e[n, c]
                ye += ey[n, c] * e[n, c]
            for k in range(3):
                g[k] += weight * xe * own[n, k]
                g[3 + k] += weight * ye * own[n, k]
                for m in range(3):
                    both = weight * own[n, k] * own[n, m]
                    h[k, m] += xx * both
                    h[k, 3 + m] += xy * both
                    h[3 + k, 3 + m] += yy * both
        for k in range(3):
            for m in range(3):
                h[3 + m, k] = h[k, 3 + m]
        whole = h[2, 2] + h[5, 5]
        for k in range(6):
            h[k, k] += 1e-3 * count
            if k != 2 and k != 5:
                h[k, k] += stiff * whole
        step = _solved(h, g)
        for c in range(3):
            offset[c] += np.float32(off[c] / weights)
        for k in range(3):
            placed[0, k] -= step[k]
            placed[1, k] -= step[3 + k]
        if np.abs(step).max() < still:
            break
    return placed, usual, offset
