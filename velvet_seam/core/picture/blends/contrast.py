"""Blends that darken what is dark and lighten what is light."""

from __future__ import annotations

import numpy as np

from velvet_seam.core.picture.blends.base import Blend, formula


@formula
def _hard_light(b, s):
    """Multiply or screen by 2·Cs."""
    one = np.float32(1)
    t = np.float32(2) * s
    dark, light = b * t, b + (t - one) - b * (t - one)
    return dark if t <= one else light


@formula
def _hard_light_at_once(b, s, a):
    t = s + s - a
    return t * (b if t <= np.float32(0) else np.float32(1) - b)


HARD_LIGHT = Blend(
    "hard-light", "Hard light", "Contrast", "Darkens where the layer is dark, lightens where it is light.",
    channel=_hard_light, at_once=_hard_light_at_once,
)  # fmt: skip


@formula
def _overlay(b, s):
    """Hard light the other way round."""
    one = np.float32(1)
    t = np.float32(2) * b
    dark, light = s * t, s + (t - one) - s * (t - one)
    return dark if t <= one else light


@formula
def _overlay_at_once(b, s, a):
    return (s + s - a) * min(b, np.float32(1) - b)


OVERLAY = Blend(
    "overlay", "Overlay", "Contrast",
    "Darkens the dark and lightens the light of what lies below; grey changes nothing.",
    channel=_overlay, at_once=_overlay_at_once,
)  # fmt: skip


@formula
def _soft_light(b, s):
    """Per the specification, with its polynomial below 0.25."""
    zero, one = np.float32(0), np.float32(1)
    t = np.float32(2) * s - one
    root = np.sqrt(b) - b
    low = ((np.float32(16) * b - np.float32(12)) * b + np.float32(3)) * b
    lift = low if b <= np.float32(0.25) else root
    return b + t * (b * (one - b) if t <= zero else lift)


@formula
def _soft_light_at_once(b, s, a):
    t = s + s - a
    low = ((np.float32(16) * b - np.float32(12)) * b + np.float32(3)) * b
    lift = low if b <= np.float32(0.25) else np.sqrt(b) - b
    return t * (b - b * b if t <= np.float32(0) else lift)


SOFT_LIGHT = Blend(
    "soft-light", "Soft light", "Contrast", "The same, gently: a lamp of the layer's colour.",
    channel=_soft_light, at_once=_soft_light_at_once,
)  # fmt: skip


@formula
def _vivid_light(b, s):
    """Colour burn with 2·Cs up to a half, colour dodge with 2·Cs − 1 above."""
    one, two, tiny = np.float32(1), np.float32(2), np.float32(1e-9)
    t = two * s
    burn = one - min((one - b) / max(t, tiny), one)
    dodge = min(b / max(two - t, tiny), one)
    return burn if t <= one else dodge


VIVID_LIGHT = Blend(
    "vivid-light", "Vivid light", "Contrast",
    "Burns where the layer is dark and dodges where it is light: strong contrast.",
    channel=_vivid_light,
)  # fmt: skip


@formula
def _linear_light(b, s):
    zero, one = np.float32(0), np.float32(1)
    return min(max(b + np.float32(2) * s - one, zero), one)


@formula
def _linear_light_at_once(b, s, a):
    return min(max(s + s - a, -a * b), a - a * b)


LINEAR_LIGHT = Blend(
    "linear-light", "Linear light", "Contrast",
    "Takes light away where the layer is dark, adds it where it is light.",
    channel=_linear_light, at_once=_linear_light_at_once,
)  # fmt: skip


@formula
def _pin_light(b, s):
    """Darken with 2·Cs up to a half, lighten with 2·Cs − 1 above."""
    one = np.float32(1)
    t = np.float32(2) * s
    return min(b, t) if t <= one else max(b, t - one)


@formula
def _pin_light_at_once(b, s, a):
    t = s + s
    return min(t - a * b, np.float32(0)) if t <= a else max(t - a - a * b, np.float32(0))


PIN_LIGHT = Blend(
    "pin-light", "Pin light", "Contrast", "Replaces only what is lighter or darker than the layer.",
    channel=_pin_light, at_once=_pin_light_at_once,
)  # fmt: skip


@formula
def _hard_mix(b, s):
    return np.float32(1) if b + s >= np.float32(1) else np.float32(0)


HARD_MIX = Blend(
    "hard-mix", "Hard mix", "Contrast", "Reduces to eight pure colours.", channel=_hard_mix
)
