"""Two takes lined up in place: the warp from one to the other, how sure it is, or why there is none."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.register.descend import Descent, Fit, chosen
from velvet_seam.core.register.levels import Grey, Level, Valid, levels_of
from velvet_seam.core.register.starts import by_features, by_phase, by_tiles
from velvet_seam.core.register.warps import Matrix, Model, apart, mapped, scaled, within

Why = Literal["", "structure", "direction", "repeats", "common", "unsure"]

SAID: dict[str, str] = {
    "structure": "There is too little to see in these pictures to line them up by: plain walls, sky, dark.",
    "direction": "All that is seen runs in one direction, so nothing says how far they are apart along it.",
    "repeats": "What is seen repeats itself, so that several places fit as well.",
    "common": "These two pictures show nothing in common, or from places too far apart.",
    "unsure": "They can be lined up only roughly.",
}
"""Why two takes are not lined up, in words."""

LEAST_SCORE = 0.08
LEAST_AGREES = 0.09
ONE_WAY = 0.03
"""Of how much the picture rises the one way, it must rise the other way by at least so much."""

ALIKE = 0.75
"""A picture that is so like itself, moved by more than its own grain, repeats itself."""

MOST_OFF = 0.3
"""Pixels of the picture: what is less sure is not taken, so that hardly anything off by more than half a pixel is."""

CLEAR, FAR_FROM_CLEAR, PLANE_FAR = 0.35, 0.16, 0.24
"""Where no start scores as much, tiles are looked for, and where none scores even the second, of a plane the third, features."""

GROUPS = 8
PATCH = 4
SPREAD, BESIDE = 1.5, 0.75
"""How much the spread of the groups, and what the level beside says otherwise, count in the error: measured on two
thirds of the pictures of ``bench/register.py``."""


@dataclass(frozen=True)
class LinedUp:
    """What was found.

    Attributes:
        warp: from pixels of the first picture to those of the second; None where it is refused.
        why: the reason, where it is.
        residual: how far it may be off, pixels, one standard error, the mean over the picture.
        agrees: how much of the picture shows the same in both, 0 to 1.
        score: 0 to 1, how well all that could agree does.
        rough: where it is refused only for being unsure, the warp all the same.
    """

    warp: Matrix | None
    why: Why
    residual: float
    agrees: float
    score: float
    rough: Matrix | None = None

    @property
    def found(self) -> bool:
        return self.warp is not None


def line_up(
    first: Grey, second: Grey, model: Model = "turn", valid: Valid | None = None,
    other_valid: Valid | None = None, start: Matrix | None = None,
) -> LinedUp:  # fmt: skip
    """How the second picture lies off the first, on what both show.

    Args:
        first, second: grey pictures of about one scale, (h, w) uint8.
        valid, other_valid: 255 where they show something, (h, w) uint8; None for all of them.
        start: a warp that is tried besides, such as that of the frame before.
    """
    levels, others = levels_of(first, valid), levels_of(second, other_valid)
    count = min(len(levels), len(others))
    levels, others = levels[:count], others[:count]
    if not _structured(levels[-1]) or not _structured(others[-1]):
        return LinedUp(None, "structure", np.inf, 0.0, 0.0)
    starts = [np.eye(3)] if start is None else [np.eye(3), scaled(start, levels[-1].scale)]
    fits = _tried(starts + by_phase(levels[-1], others[-1]), levels[-1], others[-1], model)
    if _clearest(fits) < CLEAR:
        fits = _tried(by_tiles(levels[-1], others[-1]), levels[-1], others[-1], model, fits)
    # without its perspective a wall seen from elsewhere fits in part, and not where it truly lies
    if _clearest(fits) < (PLANE_FAR if model == "plane" else FAR_FROM_CLEAR):
        scales = levels[-1].scale, others[-1].scale
        more = by_features(first, second, *scales, plane=model == "plane")
        fits = _tried(more, levels[-1], others[-1], model, fits)
    if not fits:
        return LinedUp(None, "common", np.inf, 0.0, 0.0)
    best = max(fits, key=lambda one: one.score)
    ambiguous = _ambiguous(best, fits, levels[-1])
    fit, tried = best, []
    for n in range(count - 1, -1, -1):
        ratio = levels[n].scale / levels[min(n + 1, count - 1)].scale
        warp = within(model, scaled(fit.warp, ratio), levels[n].size)
        descent = Descent(levels[n], others[n], model)
        fit = descent.run(warp, steps=30 if n == count - 1 else 12)
        tried.append((spread_of(descent, fit) / levels[n].scale, fit, descent, levels[n].scale))
    at = min(range(count), key=lambda n: tried[n][0])
    spread, fit, descent, scale = tried[at]
    beside = tried[min(at + 1, count - 1) if at + 1 < count else at - 1] if count > 1 else tried[at]
    fit = replace(fit, warp=scaled(fit.warp, 1 / scale))
    size = levels[0].size
    residual = float(
        np.hypot(
            SPREAD * spread, BESIDE * apart(fit.warp, scaled(beside[1].warp, 1 / beside[3]), size)
        )
    )
    why = _why(fit, descent, levels, residual, ambiguous)
    rough = fit.warp if why == "unsure" else None
    return LinedUp(None if why else fit.warp, why, residual, fit.agrees, fit.score, rough)


def _clearest(fits: list[Fit]) -> float:
    return max((one.score for one in fits), default=0.0)


def _tried(
    starts: list[Matrix], level: Level, other: Level, model: Model, known: Sequence[Fit] = ()
) -> list[Fit]:
    """Descents from some starts, each to where it leads, beside those that are known; what two of them find counts
    once. Those of a plane only turn and stretch it, and keep the perspective it begins with."""
    plain: Model = "stretch" if model == "plane" else model
    first = Descent(level, other, plain, chosen(level, 8_000))
    fits = list(known)
    for start in starts:
        fit = first.run(within(model, start, level.size), steps=12, least=0.02)
        if all(apart(fit.warp, one.warp, level.size) > 1 for one in fits):
            fits.append(fit)
    return fits


def _ambiguous(best: Fit, fits: list[Fit], level: Level) -> bool:
    """Whether another place, further off than a few pixels, fits nearly as well."""
    others = (one for one in fits if one is not best and apart(one.warp, best.warp, level.size) > 3)
    return any(one.score > 0.8 * best.score and one.agrees > LEAST_AGREES for one in others)


def _structured(level: Level) -> bool:
    """Whether there is anything in a picture that stands out from its noise."""
    inside = level.valid > 0
    return bool(inside.any()) and float(level.plane[inside].std()) > 0.35


def spread_of(descent: Descent, fit: Fit) -> float:
    """How much the warp changes when an eighth of the picture is left out: a jackknife (J. Tukey, 1958) over groups of
    blocks, as displacement, root mean square over the picture."""
    of = descent.of
    block = np.arange(of.blocks)
    # neighbouring blocks are not independent, so groups are made of squares
    group = (block // of.across // PATCH * 3 + block % of.across // PATCH) % GROUPS
    n = fit.normal.shape[1]
    whole, right = fit.normal.sum(0), fit.right.sum(0)
    ridge = np.eye(n) * 1e-9 * max(np.trace(whole), 1e-12)
    found = []
    for one in range(GROUPS):
        left = group == one
        if not fit.right[left].any():
            continue
        step = np.linalg.solve(
            whole - fit.normal[left].sum(0) + ridge, right - fit.right[left].sum(0)
        )
        found.append(descent.displaced(step))
    if len(found) < 3:
        return float("inf")
    moved = np.array(found)
    deviation = moved - moved.mean(0)
    return float(np.sqrt((deviation**2).sum(2).mean(1).sum() * (len(found) - 1) / len(found)))


def _why(fit: Fit, descent: Descent, levels: list[Level], residual: float, ambiguous: bool) -> Why:
    if fit.score < LEAST_SCORE or fit.agrees < LEAST_AGREES:
        return "repeats" if _repeats(levels[-1]) else "common"
    one_way = _one_way(fit, descent)
    if one_way < ONE_WAY:
        return "direction"
    if ambiguous or _repeats(levels[-1]):
        return "repeats"
    if not residual <= MOST_OFF:
        return "direction" if one_way < 3 * ONE_WAY else "unsure"
    return ""


def _one_way(fit: Fit, descent: Descent) -> float:
    """How much what agrees rises in the direction in which it rises least, of that in which it rises most."""
    weight = (fit.ncc**6)[descent.of.block]
    rise = descent.of.rise.astype(np.float64)
    if weight.sum() <= 0:
        return 0.0
    tensor = (rise * weight[:, None]).T @ rise
    small, large = np.linalg.eigvalsh(tensor)
    return float(small / max(large, 1e-9))


def _repeats(level: Level) -> bool:
    """Whether the picture is like itself when it is moved."""
    plane = np.where(level.valid > 0, level.plane, 0).astype(np.float32)
    height, width = plane.shape
    size = cv2.getOptimalDFTSize(2 * height), cv2.getOptimalDFTSize(2 * width)
    spectrum = np.fft.rfft2(plane, size)
    alike = np.fft.irfft2(np.abs(spectrum) ** 2, size)
    energy = np.fft.rfft2(plane * plane, size)
    ones = np.fft.rfft2(np.ones_like(plane), size)
    # how much of the picture's energy the two copies share, at each shift
    shared = np.fft.irfft2(np.conj(energy) * ones, size)
    other = np.fft.irfft2(np.conj(ones) * energy, size)
    far = max(6, min(height, width) // 20)
    y = np.minimum(np.arange(size[0]), size[0] - np.arange(size[0]))[:, None]
    x = np.minimum(np.arange(size[1]), size[1] - np.arange(size[1]))[None]
    apart_enough = np.hypot(y, x) > far
    overlaps = (height - y > height / 3) & (width - x > width / 3)
    with np.errstate(invalid="ignore", divide="ignore"):
        like = alike / np.sqrt(np.maximum(shared * other, 1e-6))
    return bool(like[apart_enough & overlaps].max(initial=0.0) > ALIKE)


def moves(warp: Matrix, size: tuple[int, int]) -> tuple[NDArray[np.float64], float, float]:
    """How the middle of the picture is moved, pixels, how far it is turned, degrees, and how much it grows."""
    middle = np.array([[size[0] / 2, size[1] / 2]])
    near = within("stretch", warp, size)
    turn = float(np.degrees(np.arctan2(near[1, 0], near[0, 0])))
    return (mapped(warp, middle) - middle)[0], turn, float(np.hypot(near[0, 0], near[1, 0]))
