"""Blends that show how far two pictures are apart."""

from __future__ import annotations

from velvet_seam.core.picture.blends.base import Blend, formula


@formula
def _difference(b, s):
    return abs(b - s)


@formula
def _difference_at_once(b, s, a):
    return abs(a * b - s) - a * b


DIFFERENCE = Blend(
    "difference", "Difference", "Difference",
    "How far the two are apart; where they agree, black. For lining up.",
    channel=_difference, at_once=_difference_at_once, black_idle=True,
)  # fmt: skip


@formula
def _exclusion(b, s):
    return b + s - b * s - b * s


@formula
def _exclusion_at_once(b, s, a):
    return s - (s + s) * b


EXCLUSION = Blend(
    "exclusion", "Exclusion", "Difference", "The same with less contrast.",
    channel=_exclusion, at_once=_exclusion_at_once, black_idle=True,
)  # fmt: skip
