"""The difference key: coverage of what differs from a clean plate.

The light of a plate drifts against that of the picture, so it is evened first (:mod:`~velvet_seam.core.picture.plate_light`).
What is then only darker, by one factor for all channels, may be a shadow. Differences are measured between local means,
whose noise is lower; the edge is drawn by the pixels themselves. That is one estimate of coverage; others go by the
subject's colour nearby, and which is to be believed where is weighed by what lies around
(:mod:`~velvet_seam.core.picture.difference_estimates`). The foreground is unmixed from the plate, and where coverage is partial its colour hears those
beside it (:mod:`~velvet_seam.core.picture.edge_colour`).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.difference_estimates import (
    ALL,
    LESS,
    MORE,
    STRETCH,
    WAY,
    WEIGHTS,
    weighed,
)
from velvet_seam.core.picture.difference_facts import Before, apart, facts, settled, subject_near
from velvet_seam.core.picture.edge_colour import edge_coloured
from velvet_seam.core.picture.flutter import Flutter
from velvet_seam.core.picture.plate_light import light_between
from velvet_seam.core.picture.screen import CELL
from velvet_seam.core.picture.study import places, study

TOLERANCE, SOFTNESS = 5.0, 5.0
"""ΔE, where nothing else is asked for; with these the weighed estimates were fitted."""

_PARTS = (0.0, 0.25, 0.5, 0.75, 1.0)
"""How far between the two things that come and go in turn what is seen may be."""

LEAST = np.float32(0.01)
"""Weights below this count for nothing."""

_SHADOW = 0.68
"""The darkest that a shadow makes a plate, as a factor of display-referred values."""


@kernel(parallel=True)
def _distance(picture, plate, gain, pass_shadows):
    """How far every pixel is from the plate: (h, w) float32, in ΔE."""
    height, width = picture.shape[0], picture.shape[1]
    out = np.empty((height, width), np.float32)
    one, unit = np.float32(1), np.float32(1 / 255)
    for y in nb.prange(height):
        for x in range(width):
            out[y, x] = apart(
                picture[y, x, 0] * unit, picture[y, x, 1] * unit, picture[y, x, 2] * unit,
                min(plate[y, x, 0] * unit * gain[0], one), min(plate[y, x, 1] * unit * gain[1], one),
                min(plate[y, x, 2] * unit * gain[2], one), pass_shadows, np.float32(_SHADOW),
            )  # fmt: skip
    return out


@kernel(parallel=True)
def _said(calm, sharp, tolerance, per):
    """Coverage by tolerance and softness: the calm difference decides whether, the sharp one where."""
    out, one, zero, half = np.empty_like(calm), np.float32(1), np.float32(0), np.float32(0.5)
    for y in nb.prange(calm.shape[0]):
        for x in range(calm.shape[1]):
            d = calm[y, x]
            a = min(max((d - tolerance) * per, zero), one)
            near = min(max((sharp[y, x] - tolerance) * per, zero), one)
            edge = min(max((d - tolerance * half) * per, zero), one)
            out[y, x] = max(min(near, edge), a * a)
    return out


@nb.njit(error_model="numpy")
def _between(row, other, share, to):
    """A row of values between two others."""
    for x in range(row.shape[0]):
        for c in range(to.shape[1]):
            to[x, c] = row[x, c] + (other[x, c] - row[x, c]) * share


@kernel(parallel=True)
def _believed(picture, plate, gain, near, weights, down, across, power):
    """Coverage as the weighed estimates say it: (h, w) float32. ``down`` and ``across``: where each row and each column
    lies among the study pixels, and among their cells; ``power``: of what comes out."""
    height, width = picture.shape[0], picture.shape[1]
    rows, columns, cells, wide = weights.shape[0], weights.shape[1], near.shape[0], near.shape[1]
    out = np.zeros((height, width), np.float32)
    one, zero, two, unit = np.float32(1), np.float32(0), np.float32(2), np.float32(1 / 255)
    lines, line_shares, near_lines, near_shares = down
    at, parts, near_at, near_parts = across
    for y in nb.prange(height):
        line, beside = np.empty((columns, WEIGHTS), np.float32), np.empty((wide, 3), np.float32)
        v, p, some = lines[y], near_lines[y], np.zeros(columns, np.bool_)
        _between(weights[v], weights[min(v + 1, rows - 1)], line_shares[y], line)
        _between(near[p], near[min(p + 1, cells - 1)], near_shares[y], beside)
        for x in range(columns):
            some[x] = (
                max(max(line[x, WAY], line[x, MORE]), max(line[x, LESS], line[x, ALL])) > LEAST
            )
        for x in range(width):
            u0, q0 = at[x], near_at[x]
            u1, q1 = min(u0 + 1, columns - 1), min(q0 + 1, wide - 1)
            if not (some[u0] or some[u1]):
                continue
            du, dq = parts[x], near_parts[x]
            along, whole = zero, np.float32(0.002)
            for c in range(3):
                b = min(plate[y, x, c] * unit * gain[c], one)
                f = beside[q0, c] + (beside[q1, c] - beside[q0, c]) * dq - b
                along += (picture[y, x, c] * unit - b) * f
                whole += f * f
            way = min(max(along / whole, zero), one)
            total = line[u0, ALL] + (line[u1, ALL] - line[u0, ALL]) * du
            total += (line[u0, WAY] + (line[u1, WAY] - line[u0, WAY]) * du) * way
            total += (line[u0, MORE] + (line[u1, MORE] - line[u0, MORE]) * du) * min(two * way, one)
            total += (line[u0, LESS] + (line[u1, LESS] - line[u0, LESS]) * du) * max(
                two * way - one, zero
            )
            total = min(total * np.float32(STRETCH), one)
            if power != one and zero < total < one:
                total = total**power
            out[y, x] = total
    return out


@kernel(parallel=True)
def _asked(believed, said, hold, kept, gone):
    """Coverage as it is asked for, of what is believed and what the difference alone says. ``kept``: how much of that
    stays in any case; ``gone``: how much of the rest goes."""
    out, one = np.empty_like(said), np.float32(1)
    for y in nb.prange(said.shape[0]):
        for x in range(said.shape[1]):
            a = said[y, x]
            made = max(believed[y, x] * (one - gone * (one - a)), a * kept)
            out[y, x] = a + (made - a) * hold
    return out


@kernel(parallel=True)
def _unmixed(picture, plate, gain, alpha):
    height, width = picture.shape[0], picture.shape[1]
    out = np.zeros((height, width, 4), np.uint8)
    one, zero, half, full = np.float32(1), np.float32(0), np.float32(0.5), np.float32(255)
    for y in nb.prange(height):
        for x in range(width):
            a = alpha[y, x]
            if a <= zero:
                continue
            a *= picture[y, x, 3] / full
            top = a * full
            for c in range(3):
                f = picture[y, x, c] - (one - a) * min(plate[y, x, c] * gain[c], full)
                out[y, x, c] = np.uint8(np.int32(min(max(f, zero), top) + half))
            out[y, x, 3] = np.uint8(np.int32(top + half))
    return out


def _settled(
    held: NDArray[np.float32], seen: NDArray[np.uint8], one: NDArray[np.uint8], other: NDArray[np.uint8],
    often: NDArray[np.uint8], gain: NDArray[np.float32], shade: np.float32,
) -> None:  # fmt: skip
    """Where something comes and goes, the difference from whatever lies between what is seen then and otherwise: its edge
    does."""
    rows, columns = np.flatnonzero(often.any(1)), np.flatnonzero(often.any(0))
    box = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    there, at = np.ascontiguousarray(seen[box]), often[box] > 0
    for part in _PARTS:
        mixed = cv2.addWeighted(other[box], part, one[box], 1 - part, 0)
        np.minimum(
            held[box],
            _distance(there, np.asarray(mixed, np.uint8), gain, shade),
            out=held[box],
            where=at,
        )


@dataclass(frozen=True)
class Known:
    """What is known of a picture before a clean plate.

    ``tolerance``, by which differences count; ``plate`` at the picture's size, and its light, factors of R, G, B;
    ``comes``: what comes and goes, at that size; ``near``: the subject's colour nearby, for each cell of study pixels;
    ``weights``: of the estimates of coverage, for each study pixel."""

    tolerance: float
    plate: NDArray[np.uint8]
    gain: NDArray[np.float32]
    comes: Flutter | None
    near: NDArray[np.float32]
    weights: NDArray[np.float32]

    @property
    def nbytes(self) -> int:
        own = self.plate.nbytes + self.near.nbytes + self.weights.nbytes
        return own + (self.comes.nbytes if self.comes else 0)


def known_before(
    tolerance: float, picture: NDArray[np.uint8], plate: NDArray[np.uint8], flutters: Flutter | None = None
) -> Known:  # fmt: skip
    """What is to be known of a picture before it is keyed.

    Args:
        tolerance: about OKLab ΔE × 100; at twice :data:`TOLERANCE` every difference counts half.
        picture: (h, w, 4) uint8 RGBA, display-referred, premultiplied.
        plate: the scene without the subject; of another size it is scaled to the picture's.
        flutters: what comes and goes in the scene by itself; that is no subject either.
    """
    size = (picture.shape[1], picture.shape[0])
    if plate.shape[:2] != picture.shape[:2]:
        plate = np.asarray(cv2.resize(plate, size, interpolation=cv2.INTER_AREA), np.uint8)
    picture, plate = np.ascontiguousarray(picture), np.ascontiguousarray(plate)
    gain = light_between(picture, plate)
    comes = None if flutters is None or not flutters.often.any() else flutters.at_size(size)
    near, told = told_before(tolerance, picture, plate, gain, comes)
    return Known(tolerance, plate, gain, comes, near, weighed(told))


def told_before(
    tolerance: float, picture: NDArray[np.uint8], plate: NDArray[np.uint8], gain: NDArray[np.float32],
    comes: Flutter | None,
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:  # fmt: skip
    """The subject's colour near each cell of study pixels, and the facts of each study pixel; all at one size."""
    small, often, between = study(picture), None, []
    few = (small.shape[1], small.shape[0])
    if comes is not None:
        of = cv2.resize(comes.often.astype(np.float32), few, interpolation=cv2.INTER_AREA)
        often = np.asarray(of, np.float32)
        ends = [_in_light(study(one), gain) for one in (comes.dark, comes.bright)]
        between = [ends[0] + (ends[1] - ends[0]) * np.float32(part) for part in _PARTS]
    lit, counts = _in_light(study(plate), gain), TOLERANCE / max(tolerance, 0.5)
    before = Before(small, lit, often, tuple(between), counts, picture.shape[1] / few[0])
    away = settled(before)
    near = subject_near(before, away)
    return near, facts(before, away, near)


def _in_light(small: NDArray[np.float32], gain: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.asarray(np.minimum(small * gain, 1), np.float32)


def said_by_difference(
    picture: NDArray[np.uint8], known: Known, *, softness: float, ignore_shadows: float
) -> NDArray[np.float32]:
    """Coverage (h, w), 0 to 1, by nothing but how far a pixel is from the plate; see :func:`difference_key`."""
    reach = max(3, round(min(picture.shape[:2]) / 360) * 2 + 1)
    soft = lambda one: np.asarray(cv2.blur(one, (reach, reach)), np.uint8)  # noqa: E731
    shade, gain = np.float32(ignore_shadows), known.gain
    soft_picture, picture = soft(picture), np.ascontiguousarray(picture)
    calm = _distance(soft_picture, soft(known.plate), gain, shade)
    sharp = _distance(picture, known.plate, gain, shade)
    if known.comes is not None:
        often, dark, bright = known.comes.often, known.comes.dark, known.comes.bright
        _settled(calm, soft_picture, soft(dark), soft(bright), often, gain, shade)
        _settled(sharp, picture, dark, bright, often, gain, shade)
    return np.asarray(
        _said(calm, sharp, np.float32(known.tolerance), np.float32(1 / max(softness, 0.01)))
    )


Lying = tuple[NDArray[np.int64], NDArray[np.float32], NDArray[np.int64], NDArray[np.float32]]


def _lying(size: int, known: Known, axis: int) -> Lying:
    """Where each row, or column, lies among the study pixels and among their cells."""
    few, cells = known.weights.shape[axis], known.near.shape[axis]
    return (*places(size, few / size, few), *places(size, few / size / CELL, cells))


def difference_key(
    picture: NDArray[np.uint8], known: Known, *, softness: float = SOFTNESS, ignore_shadows: float = 0.5,
    hold: float = 1.0,
) -> NDArray[np.uint8]:  # fmt: skip
    """Keep what differs from a clean plate.

    Args:
        picture: (h, w, 4) uint8 RGBA, display-referred, premultiplied.
        known: from :func:`known_before`.
        softness: over how wide a range of difference coverage rises, about OKLab ΔE × 100; of the weighed coverage it
            is a power, 1 at :data:`SOFTNESS`.
        ignore_shadows: 0 to 1; below a half, shadows stay that the weighed estimates would let go; above it goes what
            may be one, too.
        hold: how much the weighed estimates count, 0 to 1.

    Returns:
        (h, w, 4) uint8 RGBA, premultiplied, the plate unmixed from the edge.

    >>> plate = np.full((48, 48, 4), 255, np.uint8); plate[..., :3] = (120, 140, 160)
    >>> shown = plate.copy(); shown[16:32, 16:32, :3] = (200, 80, 40)
    >>> keyed = difference_key(shown, known_before(6, shown, plate))
    >>> keyed[24, 24].tolist(), keyed[4, 4].tolist()
    ([200, 80, 40, 255], [0, 0, 0, 0])
    """
    picture, alpha = np.ascontiguousarray(picture), None
    if hold > 0:
        alpha = _believed(
            picture, known.plate, known.gain, known.near, known.weights, _lying(picture.shape[0], known, 0),
            _lying(picture.shape[1], known, 1), np.float32(max(softness, 0.25) / SOFTNESS),
        )  # fmt: skip
    if alpha is None or hold < 1 or ignore_shadows != 0.5:
        said = said_by_difference(picture, known, softness=softness, ignore_shadows=ignore_shadows)
        kept, gone = max(1 - 2 * ignore_shadows, 0), max(2 * ignore_shadows - 1, 0)
        alpha = (
            said
            if alpha is None
            else _asked(alpha, said, np.float32(hold), np.float32(kept), np.float32(gone))
        )
    return edge_coloured(_unmixed(picture, known.plate, known.gain, alpha))
