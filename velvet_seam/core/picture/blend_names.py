"""The names of all blends."""

from __future__ import annotations

from typing import Literal

Blend = Literal[
    "normal",
    "multiply",
    "screen",
    "overlay",
    "darken",
    "lighten",
    "color-dodge",
    "color-burn",
    "hard-light",
    "soft-light",
    "difference",
    "exclusion",
    "hue",
    "saturation",
    "color",
    "luminosity",
    "plus-lighter",
    "add",
    "subtract",
    "divide",
    "linear-burn",
    "linear-light",
    "vivid-light",
    "pin-light",
    "hard-mix",
    "darker-colour",
    "lighter-colour",
    "keep-inside",
    "keep-outside",
    "keep-bright",
    "keep-dark",
    "atop",
    "xor",
]
"""The first sixteen are named as in *Compositing and Blending Level 1* (W3C), then CSS
``plus-lighter``, the trade's further ones, and operators that cut what lies below: by the layer's
coverage (inside, outside), by its brightness (bright, dark), and Porter and Duff's atop and xor."""
