"""Blends: how a layer joins what lies below it. Each is one entry in the file of its group."""

from __future__ import annotations

from typing import Annotated

from velvet_seam.core.picture.blends.base import Blend
from velvet_seam.core.picture.blends.colour import COLOR, HUE, LUMINOSITY, SATURATION
from velvet_seam.core.picture.blends.contrast import (
    HARD_LIGHT,
    HARD_MIX,
    LINEAR_LIGHT,
    OVERLAY,
    PIN_LIGHT,
    SOFT_LIGHT,
    VIVID_LIGHT,
)
from velvet_seam.core.picture.blends.cover import ATOP, NORMAL, XOR
from velvet_seam.core.picture.blends.cut_outs import (
    KEEP_BRIGHT,
    KEEP_DARK,
    KEEP_INSIDE,
    KEEP_OUTSIDE,
)
from velvet_seam.core.picture.blends.darken import (
    COLOR_BURN,
    DARKEN,
    DARKER_COLOUR,
    LINEAR_BURN,
    MULTIPLY,
    SUBTRACT,
)
from velvet_seam.core.picture.blends.difference import DIFFERENCE, EXCLUSION
from velvet_seam.core.picture.blends.lighten import (
    ADD,
    COLOR_DODGE,
    DIVIDE,
    LIGHTEN,
    LIGHTER_COLOUR,
    PLUS_LIGHTER,
    SCREEN,
)
from velvet_seam.core.words import OneOf

__all__ = ["ATOP", "BLENDS", "NAMES", "NORMAL", "PLUS_LIGHTER", "Blend", "BlendName", "blend_of"]

BLENDS: tuple[Blend, ...] = (
    NORMAL, ATOP, XOR,
    MULTIPLY, DARKEN, DARKER_COLOUR, COLOR_BURN, LINEAR_BURN, SUBTRACT,
    SCREEN, LIGHTEN, LIGHTER_COLOUR, COLOR_DODGE, PLUS_LIGHTER, ADD, DIVIDE,
    OVERLAY, SOFT_LIGHT, HARD_LIGHT, VIVID_LIGHT, LINEAR_LIGHT, PIN_LIGHT, HARD_MIX,
    DIFFERENCE, EXCLUSION,
    HUE, SATURATION, COLOR, LUMINOSITY,
    KEEP_INSIDE, KEEP_OUTSIDE, KEEP_BRIGHT, KEEP_DARK,
)  # fmt: skip
"""All of them, as the wall shows them, group by group; a new one is named here. A kernel knows a blend by its
place in this list."""

NAMES: tuple[str, ...] = tuple(blend.name for blend in BLENDS)

_BY_NAME = {blend.name: blend for blend in BLENDS}


def blend_of(name: str) -> Blend:
    """The blend of a name that a document says.

    >>> blend_of("soft-light").title
    'Soft light'
    """
    return _BY_NAME[name]


BlendName = Annotated[str, OneOf(NAMES, "there is no blend “{}”")]
"""The name of one of them."""
