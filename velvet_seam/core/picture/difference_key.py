"""The difference key: coverage of what differs from a clean plate.

The light of a plate drifts against that of the picture, so its gain is estimated first, per channel,
as the median ratio over what differs little, in rounds. What is then only darker, by one factor for
all channels, may be a shadow. Differences are measured between local means, whose noise is lower; the
edge is drawn by the pixels themselves. The foreground is unmixed from the plate.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.kernels import kernel

_ROUNDS = 4
_STEP = 4
"""Every so many pixels across and down are looked at for the light."""

_SHADOW = 0.68
"""The darkest that a shadow makes a plate, as a factor of display-referred values."""


def light_between(picture: NDArray[np.uint8], plate: NDArray[np.uint8]) -> NDArray[np.float32]:
    """By how much a picture is lighter than a plate of the same scene, per channel, robust to what
    stands before it: factors of display-referred R, G, B.

    >>> plate = np.full((64, 64, 4), 100, np.uint8)
    >>> lit = np.full((64, 64, 4), 110, np.uint8); lit[:20] = 30
    >>> light_between(lit, plate).astype(float).round(2).tolist()
    [1.1, 1.1, 1.1]
    """
    one = picture[::_STEP, ::_STEP, :3].reshape(-1, 3).astype(np.float32)
    other = plate[::_STEP, ::_STEP, :3].reshape(-1, 3).astype(np.float32)
    usable = (other > 16).all(1) & (other < 250).all(1) & (one < 250).all(1)
    if usable.sum() < 50:
        return np.ones(3, np.float32)
    ratio = one[usable] / other[usable]
    gain = np.median(ratio, axis=0)
    near = 0.25
    for _ in range(_ROUNDS):
        alike = (np.abs(ratio / gain - 1) < near).all(1)
        if alike.sum() < 50:
            break
        gain = np.median(ratio[alike], axis=0)
        near *= 0.7
    return np.asarray(gain, np.float32)


@kernel(parallel=True)
def _distance(picture, plate, gain, pass_shadows):
    """A distance near OKLab ΔE × 100 for every pixel: of luma and of colour, (h, w, 2) float32."""
    height, width = picture.shape[0], picture.shape[1]
    out = np.empty((height, width), np.float32)
    one, zero, unit = np.float32(1), np.float32(0), np.float32(1 / 255)
    floor, dim = np.float32(0.02), np.float32(_SHADOW)
    for y in nb.prange(height):
        for x in range(width):
            r, g, b = picture[y, x, 0] * unit, picture[y, x, 1] * unit, picture[y, x, 2] * unit
            pr = min(plate[y, x, 0] * unit * gain[0], one)
            pg = min(plate[y, x, 1] * unit * gain[1], one)
            pb = min(plate[y, x, 2] * unit * gain[2], one)
            py = np.float32(0.2126) * pr + np.float32(0.7152) * pg + np.float32(0.0722) * pb
            iy = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            # the plate in the shade that fits best
            s = (r * pr + g * pg + b * pb) / max(pr * pr + pg * pg + pb * pb, floor)
            s = min(max(s, dim), one)
            s = one + (s - one) * pass_shadows
            dr, dg, db = r - s * pr, g - s * pg, b - s * pb
            dy = iy - s * py
            # luma counts as it is seen; colour more, where there is light to see it by
            cr, cb = dr - dy, db - dy
            out[y, x] = (
                np.float32(75)
                * np.sqrt(
                    dy * dy
                    + np.float32(2.2)
                    * (cr * cr + np.float32(0.5) * cb * cb + (dg - dy) * (dg - dy))
                )
                + zero
            )
    return out


@kernel(parallel=True)
def _unmixed(picture, plate, gain, calm, sharp, tolerance, per):
    height, width = picture.shape[0], picture.shape[1]
    out = np.zeros((height, width, 4), np.uint8)
    one, zero, half, full = np.float32(1), np.float32(0), np.float32(0.5), np.float32(255)
    for y in nb.prange(height):
        for x in range(width):
            # the calm difference decides whether, the sharp one where
            d = calm[y, x]
            a = min(max((d - tolerance) * per, zero), one)
            near = min(max((sharp[y, x] - tolerance) * per, zero), one)
            edge = min(max((d - tolerance * half) * per, zero), one)
            a = max(min(near, edge), a * a)
            if a <= zero:
                continue
            a *= picture[y, x, 3] / full
            top = a * full
            for c in range(3):
                f = picture[y, x, c] - (one - a) * min(plate[y, x, c] * gain[c], full)
                out[y, x, c] = np.uint8(np.int32(min(max(f, zero), top) + half))
            out[y, x, 3] = np.uint8(np.int32(top + half))
    return out


@dataclass(frozen=True)
class Flutter:
    """What comes and goes in a scene by itself, a waving tape or leaves: ``often`` (h, w) uint8, 1 where it does;
    ``dark`` and ``bright`` (h, w, 4) uint8, the two that are seen there in turn: so what lies next to each other in one of
    them is the same thing."""

    often: NDArray[np.uint8]
    dark: NDArray[np.uint8]
    bright: NDArray[np.uint8]

    @property
    def nbytes(self) -> int:
        return self.often.nbytes + self.dark.nbytes + self.bright.nbytes


_DIFFERS, _TURNS, _LASTS = 16, 3, 0.5
"""Levels by which a channel must differ from the plate, how often that must change, and over which part of the take: who
walks past covers a pixel for a while, and then no more."""


def flutter(pictures: list[NDArray[np.uint8]], plate: NDArray[np.uint8]) -> Flutter:
    """What comes and goes in a take, of some frames of it in their order and of its plate, (h, w, 4) uint8 each.

    >>> frames = [np.full((9, 9, 4), 200 if n % 2 else 90, np.uint8) for n in range(8)]
    >>> bool(flutter(frames, frames[0]).often.all()), bool(flutter(frames[::2], frames[0]).often.any())
    (True, False)
    """
    every = np.stack([np.asarray(cv2.blur(one, (3, 3)), np.uint8) for one in pictures])
    height, width = every.shape[1:3]
    if plate.shape[:2] != (height, width):
        plate = np.asarray(cv2.resize(plate, (width, height), interpolation=cv2.INTER_AREA))
    plate = np.asarray(cv2.blur(plate, (3, 3)), np.uint8)
    away = np.stack([cv2.absdiff(one, plate)[..., :3].max(2) > _DIFFERS for one in every])
    turns = away[1:] != away[:-1]
    lasts = len(turns) - turns.argmax(0) - turns[::-1].argmax(0)
    comes = (turns.sum(0) >= _TURNS) & (lasts > _LASTS * len(turns))
    often = cv2.morphologyEx(comes.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    often = np.asarray(cv2.dilate(often, np.ones((5, 5), np.uint8)), np.uint8)
    dark, bright = np.array(plate, np.uint8), np.array(plate, np.uint8)
    at = often > 0
    if at.any():
        dark[at], bright[at] = _two(every[:, at])
    return Flutter(np.asarray(often, np.uint8), dark, bright)


def _two(seen: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """The two colours that pixels have in turn, of frames of them (n, m, 4) uint8: by two means, begun at the darkest and
    the brightest tenth (S. Lloyd, 1982)."""
    values = seen.astype(np.float32)
    order = np.argsort(values[..., :3].sum(2), axis=0)
    tenth = max(len(seen) // 10, 1)
    low, high = (
        np.take_along_axis(values, order[n][None, :, None], axis=0)[0] for n in (tenth, -1 - tenth)
    )
    for _ in range(_ROUNDS):
        near = ((values - low) ** 2).sum(2) <= ((values - high) ** 2).sum(2)
        low, high = (
            (values * of[..., None]).sum(0) / np.maximum(of.sum(0), 1)[:, None]
            for of in (near, ~near)
        )
    return low.astype(np.uint8), high.astype(np.uint8)


def _settled(
    held: NDArray[np.float32], seen: NDArray[np.uint8], one: NDArray[np.uint8], other: NDArray[np.uint8],
    often: NDArray[np.uint8], gain: NDArray[np.float32], shade: np.float32,
) -> None:  # fmt: skip
    """Where something comes and goes, the difference from whatever lies between what is seen then and otherwise: its edge
    does."""
    rows, columns = np.flatnonzero(often.any(1)), np.flatnonzero(often.any(0))
    box = np.s_[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    there, at = np.ascontiguousarray(seen[box]), often[box] > 0
    for part in (0.0, 0.25, 0.5, 0.75, 1.0):
        mixed = cv2.addWeighted(other[box], part, one[box], 1 - part, 0)
        np.minimum(
            held[box],
            _distance(there, np.asarray(mixed, np.uint8), gain, shade),
            out=held[box],
            where=at,
        )


def difference_key(
    picture: NDArray[np.uint8], plate: NDArray[np.uint8], *, tolerance: float, softness: float,
    ignore_shadows: float, flutters: Flutter | None = None,
) -> NDArray[np.uint8]:  # fmt: skip
    """Keep what differs from a clean plate.

    Args:
        picture: (h, w, 4) uint8 RGBA, display-referred, premultiplied.
        plate: the scene without the subject; of another size it is scaled to the picture's.
        tolerance, softness: about OKLab ΔE × 100.
        ignore_shadows: 0 to 1.
        flutters: what comes and goes in the scene by itself; that is no subject either.

    Returns:
        (h, w, 4) uint8 RGBA, premultiplied, the plate unmixed from the edge.

    >>> plate = np.full((48, 48, 4), 255, np.uint8); plate[..., :3] = (120, 140, 160)
    >>> shown = plate.copy(); shown[16:32, 16:32, :3] = (200, 80, 40)
    >>> keyed = difference_key(shown, plate, tolerance=6, softness=9, ignore_shadows=0.8)
    >>> keyed[24, 24].tolist(), keyed[4, 4].tolist()
    ([200, 80, 40, 255], [0, 0, 0, 0])
    """
    height, width = picture.shape[:2]
    if plate.shape[:2] != (height, width):
        plate = np.asarray(
            cv2.resize(plate, (width, height), interpolation=cv2.INTER_AREA), np.uint8
        )
    picture, plate = np.ascontiguousarray(picture), np.ascontiguousarray(plate)
    gain = light_between(picture, plate)
    reach = max(3, round(min(height, width) / 360) * 2 + 1)
    soft_picture = np.asarray(cv2.blur(picture, (reach, reach)), np.uint8)
    soft_plate = np.asarray(cv2.blur(plate, (reach, reach)), np.uint8)
    shade = np.float32(ignore_shadows)
    calm = _distance(soft_picture, soft_plate, gain, shade)
    sharp = _distance(picture, plate, gain, shade)
    if flutters is not None and flutters.often.any():
        often, dark, bright = (
            np.asarray(cv2.resize(one, (width, height), interpolation=cv2.INTER_LINEAR), np.uint8)
            for one in (flutters.often, flutters.dark, flutters.bright)
        )
        soft_dark, soft_bright = (
            np.asarray(cv2.blur(one, (reach, reach)), np.uint8) for one in (dark, bright)
        )
        _settled(calm, soft_picture, soft_dark, soft_bright, often, gain, shade)
        _settled(sharp, picture, dark, bright, often, gain, shade)
    per = np.float32(1 / max(softness, 0.01))
    return np.asarray(_unmixed(picture, plate, gain, calm, sharp, np.float32(tolerance), per))


def median_plate(pictures: list[NDArray[np.uint8]]) -> NDArray[np.uint8]:
    """The median of some frames of a take: what stands still, without what moves through it.

    >>> frames = [np.full((1, 1, 4), v, np.uint8) for v in (10, 12, 200)]
    >>> median_plate(frames)[0, 0, 0].item()
    12
    """
    return np.median(np.stack(pictures), axis=0).astype(np.uint8)
