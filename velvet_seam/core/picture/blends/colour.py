"""Blends that take hue, strength or light from one of the two: they look at the whole colour."""

from __future__ import annotations

from velvet_seam.core.picture.blends.base import Blend, formula, lum, set_lum, set_sat


@formula
def _hue(br, bg, bb, sr, sg, sb):
    sat = max(br, bg, bb) - min(br, bg, bb)
    x, y, z = set_sat(sr, sg, sb, sat)
    return set_lum(x, y, z, lum(br, bg, bb))


HUE = Blend(
    "hue", "Hue", "Colour", "The layer's hue, with the light and strength of what lies below.",
    whole=_hue,
)  # fmt: skip


@formula
def _saturation(br, bg, bb, sr, sg, sb):
    sat = max(sr, sg, sb) - min(sr, sg, sb)
    x, y, z = set_sat(br, bg, bb, sat)
    return set_lum(x, y, z, lum(br, bg, bb))


SATURATION = Blend(
    "saturation", "Saturation", "Colour", "The layer's strength of colour only.", whole=_saturation
)


@formula
def _color(br, bg, bb, sr, sg, sb):
    return set_lum(sr, sg, sb, lum(br, bg, bb))


COLOR = Blend(
    "color", "Colour", "Colour", "The layer's colour with the light of what lies below.",
    whole=_color,
)  # fmt: skip


@formula
def _luminosity(br, bg, bb, sr, sg, sb):
    return set_lum(br, bg, bb, lum(sr, sg, sb))


LUMINOSITY = Blend(
    "luminosity", "Luminosity", "Colour", "The layer's light with the colour of what lies below.",
    whole=_luminosity,
)  # fmt: skip
