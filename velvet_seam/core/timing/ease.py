"""Ease: how a value leaves one keyframe towards the next."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Literal, TypeVar

from pydantic import Field

Number = TypeVar("Number", float, Fraction)

Along = Annotated[float, Field(ge=0, le=1)]
Across = Annotated[float, Field(ge=-2, le=3)]
Curve = tuple[Along, Across, Along, Across]
"""The two handles of a cubic Bézier curve from (0, 0) to (1, 1): x1, y1, x2, y2 as in *CSS Easing
Functions Level 1*. Time never runs back, so both x lie in 0 to 1; a y outside 0 to 1 overshoots."""

Named = Literal["hold", "linear", "smooth", "slow-start", "slow-end"]
Ease = Named | Curve

CURVES: dict[str, Curve] = {
    "linear": (1 / 3, 1 / 3, 2 / 3, 2 / 3),
    "smooth": (1 / 3, 0.0, 2 / 3, 1.0),
    "slow-start": (1 / 3, 0.0, 2 / 3, 1 / 3),
    "slow-end": (1 / 3, 2 / 3, 2 / 3, 1.0),
}
"""The named eases as curves, exactly: with x at thirds time runs evenly along the curve, and y are
t, 3t² − 2t³, t² and 2t − t². None of them overshoots."""


def _cubic(first: Number, second: Number, s: Number) -> Number:
    """A coordinate of the curve at its parameter ``s``."""
    rest = 1 - s
    return 3 * rest * rest * s * first + 3 * rest * s * s * second + s * s * s


def parameter(curve: Curve, t: float) -> float:
    """The curve's parameter where its x is ``t``, both 0 to 1: Newton's steps, kept inside a bracket.

    >>> round(parameter((0.42, 0.0, 0.58, 1.0), 0.25), 6)
    0.225065
    """
    x1, x2 = curve[0], curve[2]
    low, high, s = 0.0, 1.0, t
    for _ in range(60):
        off = _cubic(x1, x2, s) - t
        if abs(off) < 1e-13 or high - low < 1e-15:
            break
        low, high = (low, s) if off > 0 else (s, high)
        rest = 1 - s
        slope = 3 * rest * rest * x1 + 6 * rest * s * (x2 - x1) + 3 * s * s * (1 - x2)
        step = s - off / slope if slope > 1e-9 else -1.0
        s = step if low < step < high else (low + high) / 2
    return s


def eased(ease: Ease, t: float) -> float:
    """How much of the way is gone after the part ``t`` of the time, 0 to 1.

    >>> [eased(name, 0.5) for name in ("hold", "linear", "smooth", "slow-start", "slow-end")]
    [0.0, 0.5, 0.5, 0.25, 0.75]
    """
    if ease == "hold":
        return 0.0
    if ease == "linear" or not 0 < t < 1:
        return float(t)
    if ease == "smooth":
        return t * t * (3 - 2 * t)
    if ease == "slow-start":
        return t * t
    if ease == "slow-end":
        return t * (2 - t)
    assert not isinstance(ease, str)
    return _cubic(ease[1], ease[3], parameter(ease, t))


def area(ease: Ease, t: Fraction) -> Fraction:
    """The integral of :func:`eased` from 0 to ``t``: exact for the named eases, and for every ease at
    1; else of a float's accuracy.

    >>> area("smooth", Fraction(1)), area("slow-start", Fraction(1, 2)), area((0, 0, 1, 1), Fraction(1))
    (Fraction(1, 2), Fraction(1, 24), Fraction(1, 2))
    """
    if ease == "hold":
        return Fraction(0)
    if ease == "linear":
        return t * t / 2
    if ease == "smooth":
        return t**3 - t**4 / 2
    if ease == "slow-start":
        return t**3 / 3
    if ease == "slow-end":
        return t * t - t**3 / 3
    assert not isinstance(ease, str)
    s = Fraction(1) if t == 1 else Fraction(parameter(ease, float(t)))
    x1, y1, x2, y2 = map(Fraction, ease)
    # ∫ y(s) x'(s) ds, both polynomials of s
    y = (Fraction(0), 3 * y1, 3 * y2 - 6 * y1, 3 * y1 - 3 * y2 + 1)
    dx = (3 * x1, 6 * x2 - 12 * x1, 9 * x1 - 9 * x2 + 3)
    total = sum(
        (a * b * s ** (i + j + 1) / (i + j + 1) for i, a in enumerate(y) for j, b in enumerate(dx)),
        Fraction(0),
    )
    return total if t == 1 else Fraction(float(total))
