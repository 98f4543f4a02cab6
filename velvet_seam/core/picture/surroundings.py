"""What is told of a study pixel before a screen, and of what lies around it: by it the estimates of its coverage are weighed.

A few facts are of the pixel alone: how far it is from the screen and from the foreground nearby, in several ways. The
others are of its surroundings: the least, the most and the mean of those over squares of some sizes, and how far it is to
what surely is screen and to what surely is subject.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.foreground import Foreground, has_grey, ycc_of
from velvet_seam.core.picture.unmix import far_of, grey_of, raw_of

F32 = NDArray[np.float32]

FACTS = 28

SURE, NONE = 0.93, 0.06
"""Raw coverage, of the most there is, of what surely is subject, and of what surely is screen."""
LEAST_BESIDE = 13
"""The fact that is the least raw coverage of a pixel and the eight beside it."""

MOST_NEAR = 16
"""The fact that is the most raw coverage nearby."""
_FAR = 16
"""Study pixels that count as far away."""


@kernel(parallel=True)
def _own_facts(small, screen, near, white, noise, k, to_ycc, grey, to):
    """Facts of every pixel by itself: planes (facts, h, w)."""
    zero, one = np.float32(0), np.float32(1)
    i, j = (k + 1) % 3, (k + 2) % 3
    wk, wi, wj = to_ycc[0, 0], to_ycc[0, 1], to_ycc[0, 2]
    uk, ui, uj = to_ycc[1, 0], to_ycc[1, 1], to_ycc[1, 2]
    vk, vi, vj = to_ycc[2, 0], to_ycc[2, 1], to_ycc[2, 2]
    for y in nb.prange(small.shape[0]):
        for x in range(small.shape[1]):
            pk, pi, pj = small[y, x, k], small[y, x, i], small[y, x, j]
            sk, si, sj = screen[y, x, k], screen[y, x, i], screen[y, x, j]
            fk, fi, fj = near[y, x, 0], near[y, x, 1], near[y, x, 2]
            dk, di, dj = pk - sk, pi - si, pj - sj
            raw, own = raw_of(pk, pi, pj, sk, si, sj), raw_of(fk, fi, fj, sk, si, sj)
            if grey:
                far = far_of(
                    wk * dk + wi * di + wj * dj, uk * dk + ui * di + uj * dj, vk * dk + vi * di + vj * dj,
                )  # fmt: skip
                raw += grey_of(sk, si, sj) * (far - raw)
            to[0, y, x] = min(raw / white, one)
            # how much of the way to the foreground nearby, and what is left beside that way
            ek, ei, ej = fk - sk, fi - si, fj - sj
            on = (dk * ek + di * ei + dj * ej) / (ek * ek + ei * ei + ej * ej + np.float32(0.002))
            on = min(max(on, zero), one)
            to[1, y, x] = on
            bk, bi, bj = dk - on * ek, di - on * ei, dj - on * ej
            to[2, y, x] = min(np.float32(4) * np.sqrt(bk * bk + bi * bi + bj * bj), one)
            least = zero
            for c in range(3):
                p, s = small[y, x, c], screen[y, x, c]
                room = max(s if p < s else one - s, np.float32(0.02))
                least = max(least, (abs(p - s) - np.float32(0.02)) / room)
            to[3, y, x] = min(least, one)
            py, sy = wk * pk + wi * pi + wj * pj, wk * sk + wi * si + wj * sj
            light = min(py / max(sy, np.float32(0.02)), np.float32(2))
            hk, hi, hj = pk - light * sk, pi - light * si, pj - light * sj
            size = max(np.sqrt(sk * sk + si * si + sj * sj), np.float32(0.05))
            to[4, y, x] = min(np.sqrt(hk * hk + hi * hi + hj * hj) / size, one)
            to[5, y, x] = light * np.float32(0.5)
            to[6, y, x] = max(sk - max(si, sj), zero) / max(sk, np.float32(0.05))
            away = np.sqrt(dk * dk + di * di + dj * dj)
            to[7, y, x] = min(away / (np.float32(20) * noise), one)
            to[8, y, x] = own
            to[9, y, x] = min(np.sqrt(max(
                near[y, x, 3] - (wk * fk + wi * fi + wj * fj) ** 2, zero
            )) * np.float32(3), one)  # fmt: skip
            ok, oi, oj = pk - fk, pi - fi, pj - fj
            to[10, y, x] = min(np.sqrt(ok * ok + oi * oi + oj * oj), one)
            to[11, y, x] = py
            to[12, y, x] = sy


def facts(small: F32, surface: F32, foreground: Foreground, key: int) -> F32:
    """What the network is told of each study pixel: (:data:`FACTS`, h, w) float32, most of them 0 to 1.

    Args:
        small: (h, w, 3), the picture as :func:`~velvet_seam.core.picture.study.study` gives it.
        surface: the screen's, one value for each cell.
        foreground: what stands before it.
        key: the screen's strongest channel.
    """
    h, w = small.shape[:2]
    screen = cv2.resize(surface, (w, h), interpolation=cv2.INTER_LINEAR)
    beside = cv2.resize(foreground.near, (w, h), interpolation=cv2.INTER_LINEAR)
    to = np.empty((FACTS, h, w), np.float32)
    noise = np.float32(max(_noise_of(small, np.asarray(screen, np.float32)), 0.004))
    _own_facts(
        small,
        screen,
        beside,
        np.float32(foreground.white),
        noise,
        key,
        ycc_of(key),
        has_grey(surface, key),
        to,
    )
    raw, least = to[0], to[3]
    to[LEAST_BESIDE] = _least(raw, 3)
    to[14] = _least(raw, 15)
    to[15] = _least(to[14], 19)
    to[MOST_NEAR] = _most(raw, 9)
    to[17] = cv2.blur(raw, (9, 9))
    to[18] = cv2.blur(raw, (33, 33))
    to[19] = cv2.blur(least, (9, 9))
    to[20] = _most(least, 15)
    clear = (cv2.blur(raw, (3, 3)) > NONE).astype(np.uint8)
    far = cv2.distanceTransform(clear, cv2.DIST_L2, 3)
    to[21] = np.minimum(far / np.float32(_FAR), 2)
    to[22] = cv2.blur((raw > SURE).astype(np.float32), (33, 33))
    mean = cv2.blur(to[11], (5, 5))
    to[23] = np.minimum(
        5 * np.sqrt(np.maximum(cv2.blur(to[11] * to[11], (5, 5)) - mean * mean, 0)), 1
    )
    to[24] = np.minimum(
        3 * np.sqrt(np.maximum(cv2.blur(raw * raw, (9, 9)) - to[17] * to[17], 0)), 1
    )
    to[25] = cv2.blur(to[1], (15, 15))
    to[26] = float((raw > SURE).mean()) / max(float((raw > 0.3).mean()), 1e-3)
    there = cv2.distanceTransform((raw < SURE).astype(np.uint8), cv2.DIST_L2, 3)
    to[27] = np.minimum(there / np.float32(_FAR), 2)
    return to


def _least(plane: F32, side: int) -> F32:
    return np.asarray(cv2.erode(plane, np.ones((side, side), np.uint8)), np.float32)


def _most(plane: F32, side: int) -> F32:
    return np.asarray(cv2.dilate(plane, np.ones((side, side), np.uint8)), np.float32)


def _noise_of(small: F32, screen: F32) -> float:
    """How far a pixel of the screen is from the screen's surface, at the middle of every sixteenth."""
    away = cv2.absdiff(
        np.ascontiguousarray(small[::4, ::4]), np.ascontiguousarray(screen[::4, ::4])
    ).max(2)
    near = away[away < 0.05]
    return float(np.median(near)) if near.size > 25 else 0.01
