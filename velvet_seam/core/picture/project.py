"""Laying a picture on the canvas by a projective matrix: a plane seen in perspective.

A canvas pixel is where the matrix sends it in the source, divided by w (homogeneous coordinates). Where the source
is enlarged that is one bicubic sample, as in :mod:`velvet_seam.core.picture.turn`; where it is shrunk, the mean of
so many bilinear samples, evenly spread over the canvas pixel, that none lies farther than a source pixel from the
next: so distant parts are averaged by area, and near ones stay sharp. What lies behind the eye is not seen.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.turn import BAND, RUN, add_tap, cubic, fetch, write_run

MOST = 16
"""Samples across, and down, of a canvas pixel at most."""

NEAR = 1.05
"""Source pixels to one of the canvas up to which one bicubic sample is taken."""


@nb.njit(error_model="numpy")
def _positions(inverse, cx, cy, n, u, v, inside, width, height, soft):
    """Where the pixels of a run lie in the source, and how much of each the source covers: within ``soft`` of a
    canvas pixel its border falls off."""
    zero, half, one = np.float32(0), np.float32(0.5), np.float32(1)
    w32, h32, s32 = np.float32(width), np.float32(height), np.float32(soft)
    for k in range(n):
        i = np.uint64(k)
        x = cx + k
        w = inverse[2, 0] * x + inverse[2, 1] * cy + inverse[2, 2]
        seen = w > 1e-9
        d = 1.0 / w if seen else 0.0
        a = (inverse[0, 0] * x + inverse[0, 1] * cy + inverse[0, 2]) * d
        b = (inverse[1, 0] * x + inverse[1, 1] * cy + inverse[1, 2]) * d
        # how fast the place changes with the canvas: of both axes together
        ax, ay = (inverse[0, 0] - a * inverse[2, 0]) * d, (inverse[0, 1] - a * inverse[2, 1]) * d
        bx, by = (inverse[1, 0] - b * inverse[2, 0]) * d, (inverse[1, 1] - b * inverse[2, 1]) * d
        per_u = np.float32(1.0 / max(np.sqrt(ax * ax + ay * ay), 1e-12)) * s32
        per_v = np.float32(1.0 / max(np.sqrt(bx * bx + by * by), 1e-12)) * s32
        # held beside the source: what lies far off has no number that an index could hold
        p = np.float32(min(max(a, -4.0), width + 4.0))
        q = np.float32(min(max(b, -4.0), height + 4.0))
        rim = min(max(p * per_u + half, zero), one) * min(max((w32 - p) * per_u + half, zero), one)
        rim *= min(max(q * per_v + half, zero), one) * min(max((h32 - q) * per_v + half, zero), one)
        inside[i] = rim if seen else zero
        u[i], v[i] = p - half, q - half


@nb.njit(error_model="numpy")
def _any(values, n):
    most = np.float32(0)
    for k in range(n):
        most = max(most, values[np.uint64(k)])
    return most > 0


@nb.njit(error_model="numpy")
def _pace(inverse, cx, cy):
    """Source pixels to a canvas pixel, across and down the canvas, at a place of it; none behind the eye."""
    w = inverse[2, 0] * cx + inverse[2, 1] * cy + inverse[2, 2]
    if w <= 1e-9:
        return 0.0, 0.0
    a = (inverse[0, 0] * cx + inverse[0, 1] * cy + inverse[0, 2]) / w
    b = (inverse[1, 0] * cx + inverse[1, 1] * cy + inverse[1, 2]) / w
    ax, ay = (inverse[0, 0] - a * inverse[2, 0]) / w, (inverse[0, 1] - a * inverse[2, 1]) / w
    bx, by = (inverse[1, 0] - b * inverse[2, 0]) / w, (inverse[1, 1] - b * inverse[2, 1]) / w
    return max(abs(ax), abs(bx)), max(abs(ay), abs(by))


@nb.njit(error_model="numpy")
def _bicubic(at, size, stride, n, index, weight):
    zero, one, two, last = np.int32(0), np.int32(1), np.int32(2), np.int32(size - 1)
    o1, o2, o3 = np.uint64(RUN), np.uint64(2 * RUN), np.uint64(3 * RUN)
    for k in range(n):
        i = np.uint64(k)
        floor = np.floor(at[i])
        x = np.int32(floor)
        weight[i], weight[o1 + i], weight[o2 + i], weight[o3 + i] = cubic(at[i] - floor)
        index[i] = np.uint32(min(max(x - one, zero), last)) * stride
        index[o1 + i] = np.uint32(min(max(x, zero), last)) * stride
        index[o2 + i] = np.uint32(min(max(x + one, zero), last)) * stride
        index[o3 + i] = np.uint32(min(max(x + two, zero), last)) * stride


@nb.njit(error_model="numpy")
def _bilinear(at, size, stride, n, index, weight):
    zero, one, last = np.int32(0), np.int32(1), np.int32(size - 1)
    o1, full = np.uint64(RUN), np.float32(1)
    for k in range(n):
        i = np.uint64(k)
        floor = np.floor(at[i])
        x, part = np.int32(floor), at[i] - floor
        weight[i], weight[o1 + i] = full - part, part
        index[i] = np.uint32(min(max(x, zero), last)) * stride
        index[o1 + i] = np.uint32(min(max(x + one, zero), last)) * stride


@nb.njit(error_model="numpy")
def _scaled(weights, inside, share, n):
    """Two planes of weights times how much of a pixel is covered, and times a share."""
    o1 = np.uint64(RUN)
    for k in range(n):
        i = np.uint64(k)
        weights[i] *= inside[i] * share
        weights[o1 + i] *= inside[i] * share


@nb.njit(error_model="numpy")
def _averaged(source, sw, sh, inverse, cx, cy, n, across, down, u, v, inside, columns, rows, wx, wy,
              taps, sums):  # fmt: skip
    """The mean of samples over each canvas pixel of a run."""
    share, zero = np.float32(1.0 / (across * down)), np.float32(0)
    for b in range(down):
        for a in range(across):
            x, y = cx - 0.5 + (a + 0.5) / across, cy - 0.5 + (b + 0.5) / down
            _positions(inverse, x, y, n, u, v, inside, sw, sh, max(across, down))
            if not _any(inside, n):
                continue
            _bilinear(u, sw, np.uint32(1), n, columns, wx)
            _bilinear(v, sh, np.uint32(sw), n, rows, wy)
            _scaled(wy, inside, share, n)
            for k in range(n, RUN):
                wy[np.uint64(k)] = wy[np.uint64(RUN + k)] = zero
            for tap_y in range(2):
                for tap_x in range(2):
                    fetch(source, rows, columns, tap_y, tap_x, taps)
                    add_tap(taps, wy, wx, tap_y, tap_x, sums)


@kernel(parallel=True)
def _project(source, sh, sw, inverse, left, top, width, height):
    out = np.zeros((height, width), np.uint32)
    for band in nb.prange((height + BAND - 1) // BAND):
        columns, rows = np.zeros(4 * RUN, np.uint32), np.zeros(4 * RUN, np.uint32)
        wx, wy = np.zeros(4 * RUN, np.float32), np.zeros(4 * RUN, np.float32)
        u, v, inside = (
            np.zeros(RUN, np.float32),
            np.zeros(RUN, np.float32),
            np.zeros(RUN, np.float32),
        )
        taps, rim = np.empty(RUN, np.uint32), np.ones(RUN, np.float32)
        sums = np.empty(4 * RUN, np.float32)
        for j in range(band * BAND, min(band * BAND + BAND, height)):
            cy = top + j + 0.5
            for c in range(0, width, RUN):
                n, cx = min(RUN, width - c), left + c + 0.5
                sums[:] = np.float32(0)
                first, last = _pace(inverse, cx, cy), _pace(inverse, cx + n - 1, cy)
                across, down = max(first[0], last[0]), max(first[1], last[1])
                if max(across, down) <= NEAR:
                    _positions(inverse, cx, cy, n, u, v, inside, sw, sh, 1)
                    if not _any(inside, n):
                        continue
                    _bicubic(u, sw, np.uint32(1), n, columns, wx)
                    _bicubic(v, sh, np.uint32(sw), n, rows, wy)
                    for tap_y in range(4):
                        for tap_x in range(4):
                            fetch(source, rows, columns, tap_y, tap_x, taps)
                            add_tap(taps, wy, wx, tap_y, tap_x, sums)
                    write_run(sums, inside, out[j, c : c + n])
                else:
                    many = (
                        min(max(int(np.ceil(across - 0.15)), 1), MOST),
                        min(max(int(np.ceil(down - 0.15)), 1), MOST),
                    )
                    _averaged(source, sw, sh, inverse, cx, cy, n, many[0], many[1], u, v, inside, columns,
                              rows, wx, wy, taps, sums)  # fmt: skip
                    write_run(sums, rim, out[j, c : c + n])
    return out


def project(
    picture: NDArray[np.uint8], inverse: NDArray[np.float64], window: tuple[int, int, int, int]
) -> NDArray[np.uint8]:
    """Sample a picture at the places of a window of the canvas.

    Args:
        picture: (h, w, 4) uint8 RGBA, premultiplied.
        inverse: 3 × 3, from canvas pixels to pixels of ``picture``, homogeneous; its w is above 0 before the eye.
        window: left, top, width, height of the canvas area to fill.

    >>> red = np.full((4, 4, 4), (200, 0, 0, 255), np.uint8)
    >>> project(red, np.eye(3), (-1, 0, 3, 1))[0, :, 0].tolist()
    [0, 200, 200]
    """
    pixels = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    sh, sw = pixels.shape
    made = _project(pixels.reshape(-1), sh, sw, np.ascontiguousarray(inverse), *window)
    return np.asarray(made.view(np.uint8).reshape(window[3], window[2], 4))
