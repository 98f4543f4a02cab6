"""The light and colour of one take brought to another's, on what both show.

Both lie in register. Where they agree in structure, or are flat alike, what differs is the light: a gain of each
channel, a mix of channels, or a curve of each; the least that says it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.channels import least_of, mean_of, most_of
from velvet_seam.core.picture.colour import delta_e

Colours = NDArray[np.float64]
"""Display values, (n, 3), 0 to 1."""

Numbers = NDArray[np.float64]

Light = Literal["gain", "mix", "curve"]

ABOUT = 11
LIKE = 0.6
"""Neighbourhoods that correlate so well show the same."""

FLAT = 3.0
"""Levels: neighbourhoods that vary less are flat."""

STEEP = 24.0
"""Levels from a pixel to the next: on an edge the least misregistration is more than any light."""

ENDS = 3, 251
"""Levels outside are cut off, and say nothing of the light."""

SMOOTH, JUDGED = (5, 5), (11, 11)
"""Pixels that are taken together: to fit a model, and to judge what it leaves."""

LEAST_PIXELS = 400
MOST_PIXELS = 40_000
KNOTS = 9

MOST_LEFT = 3.0
"""ΔE: where more is left at the middle, they do not show the same."""

BETTER, CLEARLY = 0.75, 0.08
"""A model that says more is taken where what is left is so much less, and less by so many ΔE."""


@dataclass(frozen=True)
class Matched:
    """What brings the second take to the first.

    Attributes:
        model: the least that does.
        gain: of each channel; ``mix``: 3 × 4, the last column offsets; ``curves``: for each channel 9 points.
        before, after: ΔE where both show the same, at the middle.
        share: how much of the picture that is, 0 to 1.
    """

    model: Light
    gain: tuple[float, float, float]
    mix: NDArray[np.float64]
    curves: NDArray[np.float64]
    before: float
    after: float
    share: float
    cut_off: float = 0.0
    """How much of the second is cut off in white, 0 to 1: darkened, it takes on a hue."""

    @property
    def stops(self) -> float:
        """How much brighter the second must become, in stops of light."""
        return float(2.2 * np.log2(np.mean(self.gain)))


def matched(
    first: NDArray[np.uint8], second: NDArray[np.uint8], valid: NDArray[np.bool_]
) -> Matched | None:
    """How the second picture's light is brought to the first's; None where too little is seen in both.

    Args:
        first, second: (h, w, 3 or more) uint8, in register.
        valid: (h, w), where both show something.
    """
    where = _comparable(first, second, valid)
    share = float(where.mean())
    if where.sum() < LEAST_PIXELS:
        return None
    to, of = _some(first, second, where, SMOOTH)
    gain = _gain(to, of)
    mix = _steadied(lambda w: _mix(w, of, to, gain), _as_mix(gain), lambda m: mixed(of, m), to)
    curves = _steadied(
        lambda w: _curves(w, of, to, gain), _as_curves(gain), lambda c: curved(of, c), to
    )
    like, now = _some(first, second, where, JUDGED)
    left = {
        "gain": _off(now * gain, like),
        "mix": _off(mixed(now, mix), like),
        "curve": _off(curved(now, curves), like),
    }
    model: Light = "gain"
    for other in ("mix", "curve"):
        if left[other] < BETTER * left[model] and left[model] - left[other] > CLEARLY:
            model = "mix" if other == "mix" else "curve"
    if left[model] > MOST_LEFT:
        return None
    return Matched(
        model, (float(gain[0]), float(gain[1]), float(gain[2])), mix, curves, _off(now, like), left[model], share,
        float((most_of(second[..., :3])[valid] > ENDS[1]).mean()),
    )  # fmt: skip


def _some(
    first: NDArray[np.uint8],
    second: NDArray[np.uint8],
    where: NDArray[np.bool_],
    size: tuple[int, int],
) -> tuple[Colours, Colours]:
    """Colours of both where they are compared. Noise is no light: each is the mean of some pixels, from which edges
    have been left out."""
    found: list[Colours] = []
    for picture in (first, second):
        mean = cv2.blur(picture[..., :3].astype(np.float32), size)[where]
        some = mean[:: max(1, len(mean) // MOST_PIXELS)]
        found.append(np.asarray(some, np.float64) / 255.0)
    return found[0], found[1]


def gain_of(
    first: NDArray[np.uint8], second: NDArray[np.uint8], valid: NDArray[np.bool_]
) -> tuple[float, float, float] | None:
    """The gain of each channel alone, as :func:`matched` finds it: for many frames."""
    where = _comparable(first, second, valid)
    if where.sum() < LEAST_PIXELS // 4:
        return None
    gain = _gain(*_some(first, second, where, SMOOTH))
    return float(gain[0]), float(gain[1]), float(gain[2])


def lent(
    first: NDArray[np.uint8],
    second: NDArray[np.uint8],
    shown: NDArray[np.bool_],
    other: NDArray[np.bool_],
) -> tuple[Numbers, Numbers] | None:
    """Slope and offset of each channel that give the second picture the mean and the spread of the first, whatever
    they show (E. Reinhard et al., 2001, on display values): a matter of taste, and no measurement."""
    to, of = first[..., :3][shown] / 255.0, second[..., :3][other] / 255.0
    if len(to) < LEAST_PIXELS or len(of) < LEAST_PIXELS:
        return None
    slope = np.clip(to.std(0) / np.maximum(of.std(0), 0.01), 0.4, 2.5)
    return np.asarray(slope), np.asarray(np.clip(to.mean(0) - slope * of.mean(0), -0.6, 0.6))


def _gain(to: Colours, of: Colours) -> Numbers:
    def fit(w: Colours) -> Numbers:
        return np.asarray((w * to * of).sum(0) / (w * of * of).sum(0))

    return _steadied(fit, _first_gain(to, of), lambda gain: np.asarray(of * gain), to)


def _off(made: Colours, to: Colours) -> float:
    return float(np.median(delta_e(np.clip(made, 0, 1), to)))


def _comparable(
    first: NDArray[np.uint8], second: NDArray[np.uint8], valid: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """Where both show the same, away from edges and from what is cut off."""
    grey = [mean_of(one[..., :3].astype(np.float32)) for one in (first, second)]
    size = ABOUT, ABOUT
    means = [cv2.blur(one, size) for one in grey]
    spreads = [
        np.sqrt(np.maximum(cv2.blur(g * g, size) - m * m, 0))
        for g, m in zip(grey, means, strict=True)
    ]
    both = cv2.blur(grey[0] * grey[1], size) - means[0] * means[1]
    like = both / np.maximum(spreads[0] * spreads[1], 1e-6)
    flat = (spreads[0] < FLAT) & (spreads[1] < FLAT)
    same = ((like > LIKE) & ~flat) | flat
    for one in grey:
        across, down = cv2.Sobel(one, cv2.CV_32F, 1, 0), cv2.Sobel(one, cv2.CV_32F, 0, 1)
        same &= np.hypot(across, down) / 4 < STEEP
    for picture in (first, second):
        rgb = picture[..., :3]
        same &= (least_of(rgb) >= ENDS[0]) & (most_of(rgb) <= ENDS[1])
    inner = cv2.erode(valid.astype(np.uint8), np.ones(size, np.uint8), borderValue=1.0) > 0
    return np.asarray(same & inner)


def _first_gain(to: Colours, of: Colours) -> NDArray[np.float64]:
    """The middle of the ratios, of those ever nearer to it."""
    ratio = np.log(np.maximum(to, 1e-3) / np.maximum(of, 1e-3))
    keep = np.ones(len(ratio), bool)
    middle = np.median(ratio, 0)
    for reach in (3.0, 2.0, 1.5):
        far = np.abs(ratio - middle).max(1)
        keep = far < reach * np.median(far) + 1e-3
        middle = np.median(ratio[keep], 0)
    return np.asarray(np.exp(middle))


def _steadied(
    fit: Callable[[Colours], Numbers],
    start: Numbers,
    made: Callable[[Numbers], Colours],
    to: Colours,
) -> Numbers:
    """A fit in which what is far off counts ever less (J. Tukey, 1960); the scale is that of the nearest quarter."""
    model = start
    for _ in range(8):
        far = np.linalg.norm(made(model) - to, axis=1)
        scale = max(float(np.quantile(far, 0.25)) * 2.2, 2e-3)
        part = far / (3 * scale)
        weight = np.where(part < 1, (1 - part * part) ** 2, 0)
        if weight.sum() < 50:
            return model
        model = fit(weight[:, None])
    return model


def _as_mix(gain: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.column_stack([np.diag(gain), np.zeros(3)])


def mixed(of: Colours, mix: NDArray[np.float64]) -> Colours:
    """Colours through a mix of channels, 3 × 4, the last column offsets."""
    return np.asarray(of @ mix[:, :3].T + mix[:, 3])


def _mix(w: Colours, of: Colours, to: Colours, gain: NDArray[np.float64]) -> NDArray[np.float64]:
    """Least squares, drawn a little towards the gain: where a picture has few colours, they say little of a mix."""
    place = np.column_stack([of, np.ones(len(of))])
    normal = (place * w).T @ place
    draw = np.eye(4) * 2e-4 * np.trace(normal)
    want = _as_mix(gain)
    return np.asarray(np.linalg.solve(normal + draw, (place * w).T @ to + draw @ want.T).T)


def _as_curves(gain: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.minimum(np.linspace(0, 1, KNOTS)[None] * gain[:, None], 1.2)


def curved(of: Colours, curves: NDArray[np.float64]) -> Colours:
    """Colours along a curve of each channel, straight from knot to knot."""
    at = np.linspace(0, 1, KNOTS)
    return np.stack([np.interp(of[:, c], at, curves[c]) for c in range(3)], -1)


def _curves(w: Colours, of: Colours, to: Colours, gain: NDArray[np.float64]) -> NDArray[np.float64]:
    """Least squares of a line with knots, smooth, and drawn to the gain where no pixel says anything; never falling."""
    out = np.empty((3, KNOTS))
    bend = np.diff(np.eye(KNOTS), 2, axis=0)
    for c in range(3):
        at = np.clip(of[:, c], 0, 1) * (KNOTS - 1)
        low = np.minimum(at.astype(int), KNOTS - 2)
        part = at - low
        basis = np.zeros((len(at), KNOTS))
        rows = np.arange(len(at))
        basis[rows, low], basis[rows, low + 1] = 1 - part, part
        normal = (basis * w).T @ basis
        total = np.trace(normal)
        smooth = 3e-3 * total * bend.T @ bend
        line = _as_curves(gain)[c]
        draw = 1e-4 * total * np.eye(KNOTS)
        made = np.linalg.solve(
            normal + smooth + draw, (basis * w).T @ to[:, c] + (smooth + draw) @ line
        )
        out[c] = np.maximum.accumulate(made)
    return out
