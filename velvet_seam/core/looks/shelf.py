"""A dozen looks made of the parts there are: to begin with, and to see what the parts can do."""

from __future__ import annotations

from typing import Any

from velvet_seam.core.looks import LOOKS, LookBase
from velvet_seam.core.words import kind_of

_KINDS = {kind_of(kind): kind for kind in LOOKS}


def _parts(**given: dict[str, Any]) -> tuple[LookBase, ...]:
    """Parts by the names of their kinds, with the values that are not their defaults."""
    return tuple(
        _KINDS[name].model_validate({"kind": name, "id": f"p-{name}", **values})
        for name, values in given.items()
    )


SHELF: dict[str, tuple[LookBase, ...]] = {
    "Lamplight": _parts(
        balance={"temperature": 34, "tint": 2}, light={"exposure": 0.1, "contrast": 10, "highlights": -14, "shadows": 8},
        vignette={"amount": 30, "size": 70},
    ),
    "Cold hour": _parts(
        balance={"temperature": -26, "tint": 4}, light={"exposure": -0.15, "contrast": 12, "blacks": -10},
        saturation={"saturation": 84},
    ),
    "Moonlit": _parts(
        light={"exposure": -0.9, "contrast": 16, "highlights": -20}, balance={"temperature": -40, "tint": -4},
        saturation={"saturation": 58}, glow={"amount": 60, "radius": 30, "above": 55},
    ),
    "Old reel": _parts(
        monochrome={"red": 38, "green": 52, "blue": 10}, light={"contrast": 26, "blacks": 30, "whites": -14},
        tints={"shadows": "#5a3d22", "shadows_by": 60, "highlights": "#f1d9a4", "highlights_by": 55},
        flicker={"amount": 0.16}, vignette={"amount": 40, "size": 70}, grain={"amount": 26, "size": 2.6},
    ),
    "Ink": _parts(
        monochrome={"red": 30, "green": 60, "blue": 10}, light={"contrast": 62, "blacks": -30, "whites": 20},
    ),
    "Faded poster": _parts(
        curves={"master": ((0, 0.1), (0.5, 0.53), (1, 0.93))}, saturation={"saturation": 72},
        tints={"shadows": "#2c6e6a", "shadows_by": 34, "highlights": "#e5a05a", "highlights_by": 28},
    ),
    "Ember": _parts(
        light={"exposure": 0.1, "contrast": 24, "shadows": -16}, balance={"temperature": 22},
        tints={"shadows": "#14506e", "shadows_by": 42, "highlights": "#ff9a3d", "highlights_by": 48},
    ),
    "Sea glass": _parts(
        light={"exposure": 0.25, "contrast": -10, "shadows": 22}, balance={"temperature": -12, "tint": -14},
        saturation={"saturation": 88, "vibrance": 20},
    ),
    "Candy paper": _parts(
        light={"exposure": 0.2, "contrast": 6, "shadows": 14}, saturation={"saturation": 134, "vibrance": 30},
    ),
    "Dream": _parts(
        light={"exposure": 0.15, "contrast": -8}, glow={"amount": 120, "radius": 60, "above": 35},
        blur={"radius": 3, "strength": 40},
    ),
    "Linocut": _parts(
        monochrome={"red": 34, "green": 56, "blue": 10}, light={"contrast": 30}, posterise={"levels": 3},
        tints={"shadows": "#233a6b", "shadows_by": 80, "highlights": "#f0c98a", "highlights_by": 40},
    ),
    "Crushed": _parts(
        light={"contrast": 44, "blacks": -60, "highlights": 12}, saturation={"saturation": 112},
    ),
}  # fmt: skip
"""Looks by their names."""
