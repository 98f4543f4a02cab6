"""Turning a picture: bicubic interpolation (Catmull–Rom, a = −½, R. Keys 1981) at any places.

A canvas row is sampled in runs of :data:`RUN` pixels. Positions, weights and the sixteen taps of a
run each go through a loop of their own over flat arrays, because only then does the compiler make
vectors of them; a kernel that does a pixel at a time takes about twice as long.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

RUN = 32
"""Canvas pixels that are sampled together."""

BAND = 16
"""Canvas rows that share the room they are worked out in."""

BLOCK_BITS = 3
BLOCK = 1 << BLOCK_BITS
"""Side of a block of pixels that is skipped as a whole where it is empty."""


@nb.njit(inline="always", error_model="numpy")
def cubic(t):
    """The four Catmull–Rom weights for a point ``t`` of the way from tap 1 to tap 2."""
    half, one, two = np.float32(0.5), np.float32(1), np.float32(2)
    three, four, five = np.float32(3), np.float32(4), np.float32(5)
    return (
        half * t * (t * (two - t) - one),
        half * (t * t * (three * t - five) + two),
        half * t * (t * (four - three * t) + one),
        half * t * t * (t - one),
    )


@nb.njit(inline="always", error_model="numpy")
def _rim(distance):
    return min(max(distance + np.float32(0.5), np.float32(0)), np.float32(1))


@kernel(parallel=True)
def _occupancy(source):
    """For each block of pixels, 1 where it or a block around it has any coverage."""
    h, w = source.shape
    bh, bw = (h + BLOCK - 1) // BLOCK, (w + BLOCK - 1) // BLOCK
    own = np.zeros((bh + 2, bw + 2), np.uint8)
    for by in nb.prange(bh):
        line = np.zeros(w, np.uint32)
        for y in range(by * BLOCK, min(by * BLOCK + BLOCK, h)):
            row = source[y]
            for x in range(w):
                line[x] |= row[x]
        for x in range(w):
            if line[x] != 0:
                own[by + 1, x // BLOCK + 1] = 1
    out = np.empty((bh, bw), np.uint8)
    for y in range(bh):
        for x in range(bw):
            out[y, x] = (
                own[y, x] | own[y, x + 1] | own[y, x + 2]
                | own[y + 1, x] | own[y + 1, x + 1] | own[y + 1, x + 2]
                | own[y + 2, x] | own[y + 2, x + 1] | own[y + 2, x + 2]
            )  # fmt: skip
    return out


@nb.njit(error_model="numpy")
def _empty(blocks, x, y, step_x, step_y, count, width, height):
    """Whether no point of a run has anything near it. Blocks know their neighbours."""
    for i in range(0, count + BLOCK - 1, BLOCK):
        k = min(i, count - 1)
        bx = min(max(int(x + step_x * k), 0), width - 1) >> BLOCK_BITS
        by = min(max(int(y + step_y * k), 0), height - 1) >> BLOCK_BITS
        if blocks[by, bx] != 0:
            return False
    return True


@nb.njit(error_model="numpy")
def _axis(at, step, size, reach, stride, index, weight, rim):
    """Along one source axis: where the four taps of each pixel of a run lie (times ``stride``),
    their weights, and by ``rim`` how much of the canvas pixel the source covers."""
    whole = np.floor(at)
    base, part, pace = np.int32(whole), np.float32(at - whole), np.float32(step)
    half, zero, one, two = np.float32(0.5), np.int32(0), np.int32(1), np.int32(2)
    last = np.int32(size - 1)
    o1, o2, o3 = np.uint64(RUN), np.uint64(2 * RUN), np.uint64(3 * RUN)
    for k in range(RUN):
        i = np.uint64(k)
        t = part + pace * np.float32(np.int32(k))
        floor = np.floor(t)
        u, x = t - floor, base + np.int32(floor)
        centre = np.float32(x) + u + half
        rim[i] *= _rim(centre * reach) * _rim((np.float32(size) - centre) * reach)
        weight[i], weight[o1 + i], weight[o2 + i], weight[o3 + i] = cubic(u)
        index[i] = np.uint32(min(max(x - one, zero), last)) * stride
        index[o1 + i] = np.uint32(min(max(x, zero), last)) * stride
        index[o2 + i] = np.uint32(min(max(x + one, zero), last)) * stride
        index[o3 + i] = np.uint32(min(max(x + two, zero), last)) * stride


@nb.njit(error_model="numpy")
def fetch(source, rows, columns, tap_y, tap_x, taps):
    down, across = np.uint64(tap_y * RUN), np.uint64(tap_x * RUN)
    for k in range(RUN):
        i = np.uint64(k)
        taps[i] = source[rows[down + i] + columns[across + i]]


@nb.njit(error_model="numpy", fastmath={"contract"})
def add_tap(taps, down, across, tap_y, tap_x, sums):
    """Add one tap to the sums of a run: R, G, B and α, each for all its pixels."""
    byte = np.uint32(255)
    v, u = np.uint64(tap_y * RUN), np.uint64(tap_x * RUN)
    o1, o2, o3 = np.uint64(RUN), np.uint64(2 * RUN), np.uint64(3 * RUN)
    for k in range(RUN):
        i = np.uint64(k)
        pixel, w = taps[i], down[v + i] * across[u + i]
        sums[i] += w * np.float32(np.int32(pixel & byte))
        sums[o1 + i] += w * np.float32(np.int32((pixel >> np.uint32(8)) & byte))
        sums[o2 + i] += w * np.float32(np.int32((pixel >> np.uint32(16)) & byte))
        sums[o3 + i] += w * np.float32(np.int32(pixel >> np.uint32(24)))


@nb.njit(error_model="numpy")
def write_run(sums, rim, out):
    """Bicubic weights overshoot: coverage is held in 0 to 255, a colour in 0 to its coverage."""
    zero, half, full, tiny = np.float32(0), np.float32(0.5), np.float32(255), np.float32(1e-3)
    o1, o2, o3 = np.uint64(RUN), np.uint64(2 * RUN), np.uint64(3 * RUN)
    for k in range(out.size):
        i = np.uint64(k)
        a = min(max(sums[o3 + i], zero), full) * rim[i]
        a = full if full - a < tiny else a
        r = min(max(sums[i] * rim[i], zero), a)
        g = min(max(sums[o1 + i] * rim[i], zero), a)
        b = min(max(sums[o2 + i] * rim[i], zero), a)
        pixel = np.uint32(np.int32(r + half)) | np.uint32(np.int32(g + half)) << np.uint32(8)
        pixel |= np.uint32(np.int32(b + half)) << np.uint32(16)
        out[i] = pixel | np.uint32(np.int32(a + half)) << np.uint32(24)


@kernel(parallel=True)
def _turn(source, sh, sw, blocks, inverse, left, top, width, height, reach_x, reach_y):
    out = np.zeros((height, width), np.uint32)
    ax, ay = inverse[0, 0], inverse[1, 0]
    one = np.float32(1)
    for band in nb.prange((height + BAND - 1) // BAND):
        columns, rows = np.empty(4 * RUN, np.uint32), np.empty(4 * RUN, np.uint32)
        across, down = np.empty(4 * RUN, np.float32), np.empty(4 * RUN, np.float32)
        taps, rim = np.empty(RUN, np.uint32), np.empty(RUN, np.float32)
        sums = np.empty(4 * RUN, np.float32)
        for j in range(band * BAND, min(band * BAND + BAND, height)):
            cx, cy = left + 0.5, top + j + 0.5
            begin_x = inverse[0, 0] * cx + inverse[0, 1] * cy + inverse[0, 2] - 0.5
            begin_y = inverse[1, 0] * cx + inverse[1, 1] * cy + inverse[1, 2] - 0.5
            for c in range(0, width, RUN):
                n = min(RUN, width - c)
                x, y = begin_x + ax * c, begin_y + ay * c
                if _empty(blocks, x, y, ax, ay, n, sw, sh):
                    continue
                rim[:] = one
                sums[:] = np.float32(0)
                _axis(x, ax, sw, np.float32(reach_x), np.uint32(1), columns, across, rim)
                _axis(y, ay, sh, np.float32(reach_y), np.uint32(sw), rows, down, rim)
                for tap_y in range(4):
                    for tap_x in range(4):
                        fetch(source, rows, columns, tap_y, tap_x, taps)
                        add_tap(taps, down, across, tap_y, tap_x, sums)
                write_run(sums, rim, out[j, c : c + n])
    return out


def turn(
    picture: NDArray[np.uint8], inverse: NDArray[np.float64], window: tuple[int, int, int, int],
    reach: tuple[float, float],
) -> NDArray[np.uint8]:  # fmt: skip
    """Sample a picture at the places of a window of the canvas.

    Args:
        picture: (h, w, 4) uint8 RGBA, premultiplied; beyond its border it goes on as its last pixel,
            and its coverage falls off over the canvas pixel that the border crosses.
        inverse: 3 × 3, from canvas pixels to pixels of ``picture``.
        window: left, top, width, height of the canvas area to fill.
        reach: canvas pixels per source pixel along the source's axes.

    >>> red = np.full((4, 4, 4), (200, 0, 0, 255), np.uint8)
    >>> turn(red, np.eye(3), (-1, 0, 3, 1), (1.0, 1.0))[0, :, 0].tolist()
    [0, 200, 200]
    """
    pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    sh, sw = pixels.shape
    sampled = _turn(pixels.reshape(-1), sh, sw, _occupancy(pixels), inverse, *window, *reach)
    return np.asarray(sampled.view(np.uint8).reshape(window[3], window[2], 4))
