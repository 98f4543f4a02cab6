"""Steadying a matte over time: each frame's coverage joined with its neighbours', moved along the
picture's motion.

Noise and compression make an edge boil from frame to frame although the subject hardly moves. The
mean over neighbouring frames takes that away, but only where they show the same thing: so they are
first moved along the optical flow (T. Kroeger et al., *Fast Optical Flow using Dense Inverse Search*,
2016, as OpenCV has it), and count the less the more picture and coverage then differ, in the manner of
a bilateral filter over time (E. Bennett, L. McMillan, *Video Enhancement Using Per-Pixel Virtual
Exposures*, 2005). An edge that flow cannot follow is left as it is, not smeared; so is one that moves
faster than a pixel or so a frame.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

Picture = NDArray[np.uint8]
Motion = NDArray[np.float32]
Plane = NDArray[np.uint8]

FLOW_SIDE = 270
"""Short side of the mattes that motion is looked for in."""

REACH = 2
"""Frames on either side that are worth asking for."""

_COVERAGE_REACH, _LIGHT_REACH = 0.14, 0.05
"""Differences, after a 3 × 3 mean, at which a neighbour counts 1/e as much."""

_STILL, _FAST = 0.15, 1.0
"""Movement, in 1080ths of the short side a frame, that is taken for none, and at which a neighbour
counts 1/e as much: what moves faster does not visibly boil, and moving a picture by parts of a pixel
costs sharpness."""


@dataclass(frozen=True)
class Neighbour:
    """Another frame of the same clip: its picture, the picture cut out, and where things of this
    frame lie in that one, from :func:`motion`."""

    picture: Picture
    cut: Picture
    motion: Motion


def motion(now: Picture, other: Picture) -> Motion:
    """Where every part of a matte lies in another one.

    Args:
        now, other: (h, w, 4) uint8 of one size, cut out.

    Returns:
        (rows, columns, 2) float32, shift across and down in pixels of the picture, at a short side of
        at most :data:`FLOW_SIDE`.
    """
    height, width = now.shape[:2]
    small = min(1.0, FLOW_SIDE / min(height, width))
    size = (max(16, round(width * small)), max(16, round(height * small)))
    one, two = (
        cv2.resize(np.ascontiguousarray(p[..., 3]), size, interpolation=cv2.INTER_AREA)
        for p in (now, other)
    )
    finder = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    flow = np.asarray(finder.calc(one, two, None), np.float32)  # type: ignore[call-overload]
    # only edges say anything: the field between them follows from theirs
    slope = np.hypot(cv2.Sobel(one, cv2.CV_32F, 1, 0), cv2.Sobel(one, cv2.CV_32F, 0, 1))
    weight = cv2.blur(slope + np.float32(0.5), (3, 3))
    flow = np.asarray(cv2.GaussianBlur(flow * weight[..., None], (0, 0), 3.0), np.float32)
    flow /= cv2.GaussianBlur(weight, (0, 0), 3.0)[..., None]
    flow = flow * np.array([width / size[0], height / size[1]], np.float32)
    length = np.hypot(flow[..., 0], flow[..., 1])
    still = _STILL * min(height, width) / 1080
    return np.asarray(
        flow * np.maximum(0, 1 - still / np.maximum(length, 1e-6))[..., None], np.float32
    )


@nb.njit(error_model="numpy", inline="always")
def _light(picture, y, x):
    return (
        np.float32(picture[y, x, 0])
        + np.float32(2) * np.float32(picture[y, x, 1])
        + np.float32(picture[y, x, 2])
    ) * np.float32(0.25)


@nb.njit(error_model="numpy", inline="always")
def _cubic(t):
    """Weights of four samples for a place t past the second: cubic convolution (R. Keys, 1981) with
    a = −0.75, which keeps more of an edge's slope than −0.5."""
    f = np.float32
    a, one = f(-0.75), f(1)
    s, r = t + one, one - t
    w0 = ((a * s - f(5) * a) * s + f(8) * a) * s - f(4) * a
    w1 = ((a + f(2)) * t - (a + f(3))) * t * t + one
    w2 = ((a + f(2)) * r - (a + f(3))) * r * r + one
    return w0, w1, w2, one - w0 - w1 - w2


@kernel(parallel=True)
def _add(places, picture, cut, shown, other, flow, strength, fast, sums):
    """Add a neighbour to the sums (n, 5) of R, G, B, coverage and weight at some places, counted row
    by row."""
    height, width = cut.shape[0], cut.shape[1]
    rows, columns = flow.shape[0], flow.shape[1]
    up, across = np.float32(rows / height), np.float32(columns / width)
    half, zero, one = np.float32(0.5), np.float32(0), np.float32(1)
    for n in nb.prange(places.size):
        y, x = places[n] // width, places[n] % width
        fy = min(max((np.float32(y) + half) * up - half, zero), np.float32(rows - 1))
        fx = min(max((np.float32(x) + half) * across - half, zero), np.float32(columns - 1))
        r, c = int(fy), int(fx)
        r1, c1 = min(r + 1, rows - 1), min(c + 1, columns - 1)
        dy, dx = fy - np.float32(r), fx - np.float32(c)
        w00, w01, w10, w11 = (one - dy) * (one - dx), (one - dy) * dx, dy * (one - dx), dy * dx
        mx = (
            w00 * flow[r, c, 0]
            + w01 * flow[r, c1, 0]
            + w10 * flow[r1, c, 0]
            + w11 * flow[r1, c1, 0]
        )
        my = (
            w00 * flow[r, c, 1]
            + w01 * flow[r, c1, 1]
            + w10 * flow[r1, c, 1]
            + w11 * flow[r1, c1, 1]
        )
        apart = (mx * mx + my * my) / (fast * fast)
        if apart > np.float32(8):
            continue
        ix, iy = int(np.floor(mx)), int(np.floor(my))
        tx, ty = mx - np.float32(ix), my - np.float32(iy)
        w00, w01, w10, w11 = (one - ty) * (one - tx), (one - ty) * tx, ty * (one - tx), ty * tx
        light = coverage = zero
        for v in range(-1, 2):
            a, b = min(max(y + v, 0), height - 1), min(max(y + v + iy, 0), height - 1)
            b1 = min(max(y + v + iy + 1, 0), height - 1)
            for u in range(-1, 2):
                e, f = min(max(x + u, 0), width - 1), min(max(x + u + ix, 0), width - 1)
                f1 = min(max(x + u + ix + 1, 0), width - 1)
                light += _light(picture, a, e) - (
                    w00 * _light(shown, b, f) + w01 * _light(shown, b, f1)
                    + w10 * _light(shown, b1, f) + w11 * _light(shown, b1, f1)
                )  # fmt: skip
                coverage += np.float32(cut[a, e, 3]) - (
                    w00 * np.float32(other[b, f, 3]) + w01 * np.float32(other[b, f1, 3])
                    + w10 * np.float32(other[b1, f, 3]) + w11 * np.float32(other[b1, f1, 3])
                )  # fmt: skip
        light *= np.float32(1 / (9 * 255 * _LIGHT_REACH))
        coverage *= np.float32(1 / (9 * 255 * _COVERAGE_REACH))
        weight = strength * np.exp(-(apart + light * light + coverage * coverage))
        wx, wy = _cubic(tx), _cubic(ty)
        for k in range(4):
            total = zero
            for v in range(4):
                b = min(max(y + iy + v - 1, 0), height - 1)
                line = zero
                for u in range(4):
                    f = min(max(x + ix + u - 1, 0), width - 1)
                    line += wx[u] * np.float32(other[b, f, k])
                total += wy[v] * line
            sums[n, k] += weight * min(max(total, zero), np.float32(255))
        sums[n, 4] += weight


@kernel(parallel=True)
def _write(places, cut, sums, out):
    width = cut.shape[1]
    for n in nb.prange(places.size):
        y, x = places[n] // width, places[n] % width
        whole = np.float32(1) + sums[n, 4]
        a = np.uint8((np.float32(cut[y, x, 3]) + sums[n, 3]) / whole + np.float32(0.5))
        for c in range(3):  # rounding keeps premultiplied colour within coverage
            v = np.uint8((np.float32(cut[y, x, c]) + sums[n, c]) / whole + np.float32(0.5))
            out[y, x, c] = min(v, a)
        out[y, x, 3] = a


def steadied(
    picture: Picture, cut: Picture, neighbours: Sequence[Neighbour], strength: float
) -> Picture:
    """A cut-out joined with those of the frames beside it.

    Args:
        picture: (h, w, 4) uint8, the frame before it was cut out.
        cut: (h, w, 4) uint8, premultiplied.
        neighbours: frames beside it.
        strength: 0 (as it is) to 1 (a like neighbour counts as much as the frame itself).

    Returns:
        (h, w, 4) uint8, premultiplied. What is clear or wholly covered,
        and not beside an edge, stays as it is.

    >>> still = np.full((32, 32, 4), 128, np.uint8)
    >>> other = Neighbour(still, still - np.uint8(8), np.zeros((32, 32, 2), np.float32))
    >>> int(steadied(still, still, [other, other], 1.0)[16, 16, 3])
    123
    """
    if strength <= 0 or not neighbours:
        return cut
    alpha = cut[..., 3]
    part = ((alpha > 0) & (alpha < 255)).astype(np.uint8)
    places = np.flatnonzero(cv2.dilate(part, np.ones((5, 5), np.uint8)))
    sums = np.zeros((places.size, 5), np.float32)
    fast = np.float32(_FAST * min(alpha.shape) / 1080)
    for one in neighbours:
        _add(
            places, picture, cut, one.picture, one.cut, one.motion, np.float32(strength), fast, sums
        )
    out = cut.copy()
    _write(places, cut, sums, out)
    return out
