"""Blends that darken."""

from __future__ import annotations

import numpy as np

from velvet_seam.core.picture.blends.base import Blend, formula, lum


@formula
def _multiply(b, s):
    return b * s


@formula
def _multiply_at_once(b, s, a):
    return b * (s - a)


MULTIPLY = Blend(
    "multiply", "Multiply", "Darken", "White vanishes, black stays: ink, shadows, textures on paper.",
    channel=_multiply, at_once=_multiply_at_once,
)  # fmt: skip


@formula
def _darken(b, s):
    return min(b, s)


@formula
def _darken_at_once(b, s, a):
    return min(s - a * b, np.float32(0))


DARKEN = Blend(
    "darken", "Darken", "Darken", "In each of red, green and blue the darker of the two.",
    channel=_darken, at_once=_darken_at_once,
)  # fmt: skip


@formula
def _darker_colour(br, bg, bb, sr, sg, sb):
    take = lum(sr, sg, sb) < lum(br, bg, bb)
    return (sr if take else br), (sg if take else bg), (sb if take else bb)


DARKER_COLOUR = Blend(
    "darker-colour", "Darker colour", "Darken",
    "The darker of the two, pixel by pixel, its colour whole.", whole=_darker_colour,
)  # fmt: skip


@formula
def color_burn(b, s):
    one, tiny = np.float32(1), np.float32(1e-9)
    return one - min((one - b) / max(s, tiny), one)


COLOR_BURN = Blend(
    "color-burn", "Colour burn", "Darken", "Darkens and deepens colour where the layer is dark.",
    channel=color_burn,
)  # fmt: skip


@formula
def _linear_burn(b, s):
    return max(b + s - np.float32(1), np.float32(0))


@formula
def _linear_burn_at_once(b, s, a):
    return max(s - a, -a * b)


LINEAR_BURN = Blend(
    "linear-burn", "Linear burn", "Darken", "Darkens evenly; mid grey takes away half.",
    channel=_linear_burn, at_once=_linear_burn_at_once,
)  # fmt: skip


@formula
def _subtract(b, s):
    return max(b - s, np.float32(0))


@formula
def _subtract_at_once(b, s, a):
    return -min(s, a * b)


SUBTRACT = Blend(
    "subtract", "Subtract", "Darken", "Takes the layer's light away.",
    channel=_subtract, at_once=_subtract_at_once, black_idle=True,
)  # fmt: skip
