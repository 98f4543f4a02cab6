"""Sizes and speeds that follow from what a layer shows."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

from velvet_seam.core.shot.layer import SCALES

How = Literal["inside", "over"]


def fitting_scale(size: tuple[int, int], canvas: tuple[int, int], how: How = "inside") -> float:
    """The scale, in per cent, at which a picture fits wholly into the canvas, or just covers all of it.

    A wide strip on a narrow canvas, or a few pixels on a large one, is not fitted beyond what a scale can be.

    >>> fitting_scale((540, 960), (1080, 1920)), fitting_scale((100, 50), (100, 100), "over")
    (200.0, 200.0)
    """
    each = [canvas[n] / max(1, size[n]) for n in (0, 1)]
    wanted = 100 * (min(each) if how == "inside" else max(each))
    return min(max(round(wanted, 4), SCALES[0]), SCALES[1])


def speed_frame_by_frame(clip: Fraction, shot: Fraction) -> float:
    """The speed, in per cent, at which each frame of a clip shows in exactly one frame of the shot.

    >>> speed_frame_by_frame(Fraction(120), Fraction(25))
    20.833333333
    """
    return round(float(100 * shot / clip), 9)
