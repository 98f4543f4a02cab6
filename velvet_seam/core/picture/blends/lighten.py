"""Blends that lighten."""

from __future__ import annotations

import numpy as np

from velvet_seam.core.picture.blends.base import Blend, formula, lum


@formula
def _screen(b, s):
    return b + s - b * s


@formula
def _screen_at_once(b, s, a):
    return s * (np.float32(1) - b)


SCREEN = Blend(
    "screen", "Screen", "Lighten", "Black vanishes, light stays: embers, flares, rain on black.",
    channel=_screen, at_once=_screen_at_once, black_idle=True,
)  # fmt: skip


@formula
def _lighten(b, s):
    return max(b, s)


@formula
def _lighten_at_once(b, s, a):
    return max(s - a * b, np.float32(0))


LIGHTEN = Blend(
    "lighten", "Lighten", "Lighten", "In each of red, green and blue the lighter of the two.",
    channel=_lighten, at_once=_lighten_at_once, black_idle=True,
)  # fmt: skip


@formula
def _lighter_colour(br, bg, bb, sr, sg, sb):
    take = lum(sr, sg, sb) > lum(br, bg, bb)
    return (sr if take else br), (sg if take else bg), (sb if take else bb)


LIGHTER_COLOUR = Blend(
    "lighter-colour", "Lighter colour", "Lighten",
    "The lighter of the two, pixel by pixel, its colour whole.", whole=_lighter_colour,
)  # fmt: skip


@formula
def color_dodge(b, s):
    """0 / anything is 0, anything / almost nothing is at least 1."""
    one, tiny = np.float32(1), np.float32(1e-9)
    return min(b / max(one - s, tiny), one)


COLOR_DODGE = Blend(
    "color-dodge", "Colour dodge", "Lighten", "Lightens to a glow where the layer is light.",
    channel=color_dodge,
)  # fmt: skip


@formula
def _sum(b, s, a):
    return s


PLUS_LIGHTER = Blend(
    "plus-lighter", "Plus lighter", "Lighten",
    "Adds light and coverage, as two projectors would; good for cross-fades.",
    at_once=_sum, black_idle=True,
)  # fmt: skip
"""The Porter–Duff sum clipped to 1: ``co = min(1, αs·Cs + αb·Cb)``."""


@formula
def _add(b, s):
    return min(b + s, np.float32(1))


@formula
def _add_at_once(b, s, a):
    return min(s, a - a * b)


ADD = Blend(
    "add", "Add", "Lighten", "Adds the layer's light: brighter than screen, clips sooner.",
    channel=_add, at_once=_add_at_once, black_idle=True,
)  # fmt: skip


@formula
def _divide(b, s):
    return min(b / max(s, np.float32(1e-9)), np.float32(1))


DIVIDE = Blend(
    "divide", "Divide", "Lighten", "Lightens where the layer is dark; white changes nothing.",
    channel=_divide,
)  # fmt: skip
