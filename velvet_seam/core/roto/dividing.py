"""Dividing a picture in two along its edges: the region that costs least.

With r, what it costs that a pixel belongs to the subject (below 0: what it gains), and g, small where the picture has an
edge, the region u minimises ``Σ λ g |∇u| + Σ r u`` over u in 0 to 1. That is convex, so the answer does not depend on
where one begins, and u is nearly everywhere 0 or 1 by itself (T. Chan, S. Esedoḡlu and M. Nikolova, 2006). Solved by the
first-order primal–dual scheme of A. Chambolle and T. Pock (2011).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

F32 = NDArray[np.float32]

ROUNDS = 60
STEP = 0.35
"""Of both variables; the scheme converges for a product below 1/8."""

AROUND = 3
"""Pixels around what is undecided that are solved with it."""

LEAST_EDGE = 0.05
"""What crossing the strongest edge costs, of crossing none."""


@kernel()
def _across(f, least, unit):
    """What it costs to cross from a pixel to the next on its right and below: (2, h, w)."""
    height, width, channels = f.shape
    out = np.zeros((2, height, width), np.float32)
    total, count = np.float64(0), 1
    for y in range(height):
        for x in range(width):
            right, below = np.float32(0), np.float32(0)
            for c in range(channels):
                if x + 1 < width:
                    d = f[y, x + 1, c] - f[y, x, c]
                    right += d * d
                if y + 1 < height:
                    d = f[y + 1, x, c] - f[y, x, c]
                    below += d * d
            out[0, y, x], out[1, y, x] = right, below
            total += right + below
            count += 2
    per = np.float32(-1 / max(total / count, 1e-6))
    for n in range(2):
        for y in range(height):
            for x in range(width):
                out[n, y, x] = least + (unit - least) * np.exp(out[n, y, x] * per)
    for y in range(height):
        out[0, y, width - 1] = 0
    for x in range(width):
        out[1, height - 1, x] = 0
    return out


def crossings(f: F32) -> F32:
    """What it costs to cross from each pixel of what is compared, (h, w, 3), to the one on its right and to the one
    below: (2, h, w) float32, 0.05 to 1; 0 at the border.

    >>> flat = np.zeros((2, 3, 3), np.float32)
    >>> flat[:, 2] = 40
    >>> crossings(flat)[0, 0].astype(float).round(2).tolist()
    [1.0, 0.05, 0.0]
    """
    return np.asarray(_across(f, np.float32(LEAST_EDGE), np.float32(1)))


@kernel()
def _divided(r, bound, u, rounds, step):
    """The scheme; ``bound`` is what the dual variable may be at most, (2, h, w)."""
    height, width = r.shape
    ahead = u.copy()
    px, py = np.zeros_like(u), np.zeros_like(u)
    zero, one, two = np.float32(0), np.float32(1), np.float32(2)
    for _ in range(rounds):
        for y in range(height):
            row, low = ahead[y], ahead[min(y + 1, height - 1)]
            for x in range(width - 1):
                v = px[y, x] + step * (row[x + 1] - row[x])
                b = bound[0, y, x]
                px[y, x] = min(max(v, -b), b)
            for x in range(width):
                v = py[y, x] + step * (low[x] - row[x])
                b = bound[1, y, x]
                py[y, x] = min(max(v, -b), b)
        for y in range(height):
            above = py[max(y - 1, 0)]
            up = one if y > 0 else zero
            for x in range(width):
                left = px[y, x - 1] if x > 0 else zero
                div = px[y, x] - left + py[y, x] - up * above[x]
                v = min(max(u[y, x] + step * (div - r[y, x]), zero), one)
                ahead[y, x] = two * v - u[y, x]
                u[y, x] = v
    return u


def undecided(r: F32, sure: float) -> tuple[slice, slice] | None:
    """The smallest rectangle, and a little around it, that holds every pixel of which it is not said beforehand to which
    side it belongs; None where there is none."""
    open_ = np.abs(r) < sure
    rows, columns = np.flatnonzero(open_.any(1)), np.flatnonzero(open_.any(0))
    if not rows.size:
        return None
    return (
        slice(max(int(rows[0]) - AROUND, 0), int(rows[-1]) + AROUND + 1),
        slice(max(int(columns[0]) - AROUND, 0), int(columns[-1]) + AROUND + 1),
    )


def divided_near(r: F32, cross: F32, smooth: float, begin: F32, sure: float) -> NDArray[np.bool_]:
    """As :func:`divided`, where most pixels are decided beforehand: (h, w) bool. What costs, or gains, ``sure`` or more
    stays as it is said."""
    region = r < 0
    box = undecided(r, sure)
    if box is not None:
        part = divided(
            np.ascontiguousarray(r[box]), np.ascontiguousarray(cross[:, *box]), smooth, begin[box]
        )
        region[box] = part > 0.5
    return np.asarray(region)


def divided(r: F32, cross: F32, smooth: float, begin: F32 | None = None) -> F32:
    """The region that costs least: (h, w) float32, 0 to 1, of which what is above a half belongs to it.

    Args:
        r: (h, w) what it costs that a pixel belongs to it; at most some tens.
        cross: from :func:`crossings`.
        smooth: how much an edge costs, λ.
        begin: (h, w) where to begin; what is cheap by itself, unless told.

    >>> cost = np.full((6, 9), 1.0, np.float32)
    >>> cost[:, :4] = -1
    >>> cost[2, 7] = -1.5  # a lone pixel is not worth its outline
    >>> divided(cost, np.ones((2, 6, 9), np.float32), 1.0)[2].round().astype(int).tolist()
    [1, 1, 1, 1, 0, 0, 0, 0, 0]
    """
    u = (r < 0).astype(np.float32) if begin is None else begin.astype(np.float32, copy=True)
    bound = np.ascontiguousarray(cross * np.float32(smooth))
    return np.asarray(
        _divided(np.ascontiguousarray(r, np.float32), bound, u, ROUNDS, np.float32(STEP))
    )
