"""What is told of a study pixel before a screen, and of what lies around it.

By it the estimates of the pixel's coverage are weighed, see :mod:`velvet_seam.core.picture.estimates`.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.foreground import Foreground, has_grey, ycc_of
from velvet_seam.core.picture.neighbourhood import (
    deviation,
    far,
    least,
    mean,
    most,
    noise_between,
)
from velvet_seam.core.picture.unmix import far_of, grey_of, raw_of

F32 = NDArray[np.float32]

(
    RAW, ON_THE_WAY, BESIDE_THE_WAY, LEAST, OTHER_HUE, LIGHT, SCREEN_COLOUR, AWAY, FOREGROUND_RAW, VARIED, UNLIKE, LUMA,
    SCREEN_LUMA, LEAST_BESIDE, LEAST_NEAR, LEAST_WIDE, MOST_NEAR, MEAN_NEAR, MEAN_WIDE, LEAST_MEAN, LEAST_MOST,
    TO_SCREEN, SURE_WIDE, ROUGH, RAW_ROUGH, WAY_MEAN, SURE_IN_ALL, TO_SURE,
) = range(28)  # fmt: skip
"""The facts, in the order in which the network takes them.

Of a pixel: its raw coverage; how much of the way from the screen to the foreground nearby it lies, and how far beside
that way; the least coverage that keeps its foreground inside the gamut; how far it is from the screen's hue, and its
light against the screen's; how much colour the screen has; how far it is from the screen, by the noise; the raw coverage
of the foreground nearby, and how varied that is; how unlike it the pixel is; the luma of both.

Of its surroundings: the least raw coverage over 3, 15 and 33 pixels each way, the most over 9, the mean over 9 and 33;
the mean over 9 and the most over 15 of the least coverage; how far the next sure screen is; the part of 33 pixels each
way that surely is subject; how rough luma and raw coverage are; the mean over 15 of the way to the foreground; how much
of the whole subject surely is one; how far the next such pixel is.
"""

FACTS = 28

SURE, NONE = 0.93, 0.06
"""Raw coverage, of the most there is, of what surely is subject, and of what surely is screen."""


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
            to[RAW, y, x] = min(raw / white, one)
            # how much of the way to the foreground nearby, and what is left beside that way
            ek, ei, ej = fk - sk, fi - si, fj - sj
            on = (dk * ek + di * ei + dj * ej) / (ek * ek + ei * ei + ej * ej + np.float32(0.002))
            on = min(max(on, zero), one)
            to[ON_THE_WAY, y, x] = on
            bk, bi, bj = dk - on * ek, di - on * ei, dj - on * ej
            to[BESIDE_THE_WAY, y, x] = min(
                np.float32(4) * np.sqrt(bk * bk + bi * bi + bj * bj), one
            )
            least = zero
            for c in range(3):
                p, s = small[y, x, c], screen[y, x, c]
                room = max(s if p < s else one - s, np.float32(0.02))
                least = max(least, (abs(p - s) - np.float32(0.02)) / room)
            to[LEAST, y, x] = min(least, one)
            py, sy = wk * pk + wi * pi + wj * pj, wk * sk + wi * si + wj * sj
            light = min(py / max(sy, np.float32(0.02)), np.float32(2))
            hk, hi, hj = pk - light * sk, pi - light * si, pj - light * sj
            size = max(np.sqrt(sk * sk + si * si + sj * sj), np.float32(0.05))
            to[OTHER_HUE, y, x] = min(np.sqrt(hk * hk + hi * hi + hj * hj) / size, one)
            to[LIGHT, y, x] = light * np.float32(0.5)
            to[SCREEN_COLOUR, y, x] = max(sk - max(si, sj), zero) / max(sk, np.float32(0.05))
            away = np.sqrt(dk * dk + di * di + dj * dj)
            to[AWAY, y, x] = min(away / (np.float32(20) * noise), one)
            to[FOREGROUND_RAW, y, x] = own
            to[VARIED, y, x] = min(np.sqrt(max(
                near[y, x, 3] - (wk * fk + wi * fi + wj * fj) ** 2, zero
            )) * np.float32(3), one)  # fmt: skip
            ok, oi, oj = pk - fk, pi - fi, pj - fj
            to[UNLIKE, y, x] = min(np.sqrt(ok * ok + oi * oi + oj * oj), one)
            to[LUMA, y, x] = py
            to[SCREEN_LUMA, y, x] = sy


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
    noise = np.float32(max(noise_between(small, np.asarray(screen, np.float32)), 0.004))
    white, grey = np.float32(foreground.white), has_grey(surface, key)
    _own_facts(small, screen, beside, white, noise, key, ycc_of(key), grey, to)
    raw, lowest = to[RAW], to[LEAST]
    to[LEAST_BESIDE] = least(raw, 3)
    to[LEAST_NEAR] = least(raw, 15)
    to[LEAST_WIDE] = least(to[LEAST_NEAR], 19)
    to[MOST_NEAR] = most(raw, 9)
    to[MEAN_NEAR], to[MEAN_WIDE] = mean(raw, 9), mean(raw, 33)
    to[LEAST_MEAN], to[LEAST_MOST] = mean(lowest, 9), most(lowest, 15)
    to[TO_SCREEN] = far(mean(raw, 3) > NONE)
    to[SURE_WIDE] = mean((raw > SURE).astype(np.float32), 33)
    to[ROUGH] = np.minimum(5 * deviation(to[LUMA], 5), 1)
    to[RAW_ROUGH] = np.minimum(3 * deviation(raw, 9, to[MEAN_NEAR]), 1)
    to[WAY_MEAN] = mean(to[ON_THE_WAY], 15)
    to[SURE_IN_ALL] = float((raw > SURE).mean()) / max(float((raw > 0.3).mean()), 1e-3)
    to[TO_SURE] = far(raw < SURE)
    return to
