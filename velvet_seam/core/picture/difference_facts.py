"""What is told of a study pixel before a clean plate, and of what lies around it.

By it the estimates of the pixel's coverage are weighed, see :mod:`velvet_seam.core.picture.difference_estimates`. A
shadow is as dark as a dark subject, but the plate's own pattern goes on within it; a place where subject and plate look
the same is inside, if all around it is.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.neighbourhood import (
    correlation,
    deviation,
    far,
    least,
    mean,
    most,
    noise_between,
)
from velvet_seam.core.picture.screen import CELL, spread

F32 = NDArray[np.float32]

(
    APART, APART_IN_SHADE, SHADE, ON_THE_WAY, BESIDE_THE_WAY, VARIED, UNLIKE, LUMA, PLATE_LUMA, BY_NOISE, COLOUR, COMES,
    LEAST_BESIDE, LEAST_NEAR, LEAST_WIDE, MOST_NEAR, MEAN_NEAR, MEAN_WIDE, SURE_WIDE, TO_SURE, TO_PLATE, ALIKE,
    ALIKE_WIDE, ROUGH, PLATE_ROUGH, SHADE_ROUGH, SURE_IN_ALL, SETTLED, APART_LEAST, STEP, APART_MEAN,
    SHADE_ROUGH_NEAR,
) = range(32)  # fmt: skip
"""The facts, in the order in which the network takes them.

Of a pixel: how far it is from the plate, and from the plate in the shade that fits it best; that shade; how much of the
way from the plate to the subject nearby it lies, and how far beside that way; how varied the subject nearby is, and how
unlike it the pixel; the luma of both; the distance by the noise; the distance in colour alone; whether something comes and
goes there by itself.

Of its surroundings, where D is the distance from the plate in shade, and from whatever comes and goes: the least of D over
3, 9 and 33 pixels each way, the most over 9, the mean over 9 and 33; the part of 33 pixels each way that surely differs;
how far the next such pixel is, and the next that surely does not; how alike the patterns of picture and plate are over 5
and 13 pixels; how rough both are, and how rough the shade is; how much of what differs surely does; D itself;
the least of the distance from the plate as it is over 9, and its mean; how many pixels of the picture a study pixel
stands for, as a power of two; the most of how rough the shade is over 15.
"""

FACTS = 32

SURE, NONE = 12.0, 4.0
"""ΔE of what surely differs from the plate, and of what surely does not."""

UNIT = 40.0
"""ΔE that counts as 1 in the facts."""

_DIM, _BRIGHT = 0.25, 1.0
"""The darkest and the brightest that the shade of a plate may be."""

UNKNOWN = (0.5, 0.5, 0.5, 0.3)
"""Where no subject is seen at all: grey, and anything."""


@nb.njit(error_model="numpy")
def apart(r, g, b, pr, pg, pb, pass_shadows, dim):
    """A distance near OKLab ΔE × 100 of a pixel from a plate, display-referred, which may lie in a shade down to ``dim``
    by as much as shadows are let go."""
    one, zero = np.float32(1), np.float32(0)
    py = np.float32(0.2126) * pr + np.float32(0.7152) * pg + np.float32(0.0722) * pb
    iy = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
    # the plate in the shade that fits best
    s = (r * pr + g * pg + b * pb) / max(pr * pr + pg * pg + pb * pb, np.float32(0.02))
    s = min(max(s, dim), one)
    s = one + (s - one) * pass_shadows
    dr, dg, db = r - s * pr, g - s * pg, b - s * pb
    dy = iy - s * py
    # luma counts as it is seen; colour more, where there is light to see it by
    cr, cb = dr - dy, db - dy
    return (
        np.float32(75)
        * np.sqrt(
            dy * dy
            + np.float32(2.2) * (cr * cr + np.float32(0.5) * cb * cb + (dg - dy) * (dg - dy))
        )
        + zero
    )


@dataclass(frozen=True)
class Before:
    """A picture before a plate in its light, as study pixels: ``small`` and ``plate`` (h, w, 3) float32 R'G'B' in 0 to 1;
    ``comes`` (h, w) float32, 0 to 1, whether something comes and goes there, and ``between``, what is seen then; how much a
        difference ``counts``."""

    small: F32
    plate: F32
    comes: F32 | None = None
    between: tuple[F32, ...] = ()
    counts: float = 1.0
    step: float = 1.0


@kernel(parallel=True)
def _differs(small, plate, shade):
    """The distance of every pixel from a plate, of which shadows are let go."""
    out = np.empty(small.shape[:2], np.float32)
    for y in nb.prange(small.shape[0]):
        for x in range(small.shape[1]):
            out[y, x] = apart(
                small[y, x, 0], small[y, x, 1], small[y, x, 2], plate[y, x, 0], plate[y, x, 1], plate[y, x, 2],
                shade, np.float32(_DIM),
            )  # fmt: skip
    return out


@kernel(parallel=True)
def _own_facts(small, plate, near, noise, counts, to):
    """Facts of every pixel by itself: planes (facts, h, w)."""
    zero, one, unit = np.float32(0), np.float32(1), np.float32(1 / UNIT) * counts
    dim = np.float32(_DIM)
    for y in nb.prange(small.shape[0]):
        for x in range(small.shape[1]):
            r, g, b = small[y, x, 0], small[y, x, 1], small[y, x, 2]
            pr, pg, pb = plate[y, x, 0], plate[y, x, 1], plate[y, x, 2]
            fr, fg, fb = near[y, x, 0], near[y, x, 1], near[y, x, 2]
            to[APART, y, x] = min(apart(r, g, b, pr, pg, pb, zero, dim) * unit, one)
            to[APART_IN_SHADE, y, x] = min(apart(r, g, b, pr, pg, pb, one, dim) * unit, one)
            s = (r * pr + g * pg + b * pb) / max(pr * pr + pg * pg + pb * pb, np.float32(0.02))
            to[SHADE, y, x] = min(s, np.float32(2)) * np.float32(0.5)
            dr, dg, db = r - pr, g - pg, b - pb
            er, eg, eb = fr - pr, fg - pg, fb - pb
            on = (dr * er + dg * eg + db * eb) / (er * er + eg * eg + eb * eb + np.float32(0.002))
            on = min(max(on, zero), one)
            to[ON_THE_WAY, y, x] = on
            br, bg, bb = dr - on * er, dg - on * eg, db - on * eb
            to[BESIDE_THE_WAY, y, x] = min(
                np.float32(4) * np.sqrt(br * br + bg * bg + bb * bb), one
            )
            fy = np.float32(0.2126) * fr + np.float32(0.7152) * fg + np.float32(0.0722) * fb
            to[VARIED, y, x] = min(np.sqrt(max(near[y, x, 3] - fy * fy, zero)) * np.float32(3), one)
            ur, ug, ub = r - fr, g - fg, b - fb
            to[UNLIKE, y, x] = min(np.sqrt(ur * ur + ug * ug + ub * ub), one)
            to[LUMA, y, x] = (
                np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            )
            to[PLATE_LUMA, y, x] = (
                np.float32(0.2126) * pr + np.float32(0.7152) * pg + np.float32(0.0722) * pb
            )
            to[BY_NOISE, y, x] = min(
                counts * np.sqrt(dr * dr + dg * dg + db * db) / (np.float32(20) * noise), one
            )
            cr, cg, cb = r - s * pr, g - s * pg, b - s * pb
            to[COLOUR, y, x] = min(
                np.float32(4) * counts * np.sqrt(cr * cr + cg * cg + cb * cb), one
            )


def settled(before: Before, shade: float = 1.0) -> F32:
    """The distance of every study pixel from the plate in shade, and from whatever comes and goes there, in ΔE, by as
    much as it counts."""
    lowest = np.asarray(_differs(before.small, before.plate, np.float32(shade)), np.float32)
    if before.comes is not None:
        for one in before.between:
            held = np.asarray(_differs(before.small, one, np.float32(shade)))
            np.minimum(lowest, held, out=lowest, where=before.comes > 0.5)
    return lowest * np.float32(before.counts)


@kernel()
def _sums(small, least_beside, sure):
    """Of every cell the sums of R'G'B' and of the square of luma over what surely differs, and the count."""
    height, width = least_beside.shape
    sums = np.zeros(((height + CELL - 1) // CELL, (width + CELL - 1) // CELL, 5), np.float32)
    for y in range(height):
        for x in range(width):
            if least_beside[y, x] > sure:
                r, g, b = small[y, x, 0], small[y, x, 1], small[y, x, 2]
                luma = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
                cell = sums[y // CELL, x // CELL]
                cell[0] += r
                cell[1] += g
                cell[2] += b
                cell[3] += luma * luma
                cell[4] += np.float32(1)
    return sums


def subject_near(before: Before, away: F32) -> F32:
    """The colour of what stands before the plate, nearby, and its mean square of luma: (rows, columns, 4) for each cell of
    study pixels. ``away``: :func:`settled`."""
    unknown = np.array(UNKNOWN, np.float32).reshape(1, 1, 4)
    sums = _sums(before.small, least(away, 3), np.float32(SURE))
    return np.asarray(spread(sums, unknown, np.float32(2.0)), np.float32)


def facts(before: Before, away: F32, near: F32) -> F32:
    """What the network is told of each study pixel: (:data:`FACTS`, h, w) float32, most of them 0 to 1.

    Args:
        away: :func:`settled`.
        near: :func:`subject_near`.
    """
    small, plate = before.small, before.plate
    h, w = away.shape
    to = np.empty((FACTS, h, w), np.float32)
    noise = np.float32(max(noise_between(small, plate), 0.004))
    beside = np.asarray(cv2.resize(near, (w, h), interpolation=cv2.INTER_LINEAR), np.float32)
    _own_facts(small, plate, beside, noise, np.float32(before.counts), to)
    to[COMES] = 0 if before.comes is None else before.comes
    d = np.minimum(away * np.float32(1 / UNIT), 1)
    to[SETTLED] = d
    to[LEAST_BESIDE] = least(d, 3)
    to[LEAST_NEAR] = least(d, 9)
    to[LEAST_WIDE] = least(to[LEAST_NEAR], 25)
    to[MOST_NEAR] = most(d, 9)
    to[MEAN_NEAR], to[MEAN_WIDE] = mean(d, 9), mean(d, 33)
    sure = away > SURE
    to[SURE_WIDE] = mean(sure.astype(np.float32), 33)
    to[TO_SURE] = far(least(away, 3) <= SURE)
    to[TO_PLATE] = far(mean(away, 3) > NONE)
    own, of_plate = to[LUMA], to[PLATE_LUMA]
    to[ALIKE], to[ALIKE_WIDE] = correlation(own, of_plate, 5), correlation(own, of_plate, 13)
    to[ROUGH] = np.minimum(5 * deviation(own, 5), 1)
    to[PLATE_ROUGH] = np.minimum(5 * deviation(of_plate, 5), 1)
    to[SHADE_ROUGH] = np.minimum(5 * deviation(to[SHADE], 5), 1)
    to[SHADE_ROUGH_NEAR] = most(to[SHADE_ROUGH], 15)
    to[APART_LEAST], to[APART_MEAN] = least(to[APART], 9), mean(to[APART], 9)
    to[STEP] = np.float32(0.3 * np.log2(before.step))
    to[SURE_IN_ALL] = float(sure.mean()) / max(float((away > NONE).mean()), 1e-3)
    return to
