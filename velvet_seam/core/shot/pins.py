"""Corner pins of a layer."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from velvet_seam.core.picture.pinned import pinned
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Part

CORNERS = ("top_left", "top_right", "bottom_right", "bottom_left")
"""Clockwise; each has a number for across and one for down."""


def _pull(corner: str, way: str) -> Bounds:
    return Bounds(
        -16384, 16384, "px", f"{corner} {'x' if way == 'across' else 'y'}",
        f"How far the {corner.lower()} corner is pulled {way}, in pixels of the footage",
        shown=(-500, 500), of="source", find="perspective distort",
    )  # fmt: skip


class Pins(Part):
    """How far each corner is pulled from where it would be, in source pixels: the layer is then a plane seen in
    perspective, as on a sign, a screen or a wall. They move, turn and scale with the layer."""

    top_left_x: Annotated[Animated, _pull("Top left", "across")] = 0.0
    top_left_y: Annotated[Animated, _pull("Top left", "down")] = 0.0
    top_right_x: Annotated[Animated, _pull("Top right", "across")] = 0.0
    top_right_y: Annotated[Animated, _pull("Top right", "down")] = 0.0
    bottom_right_x: Annotated[Animated, _pull("Bottom right", "across")] = 0.0
    bottom_right_y: Annotated[Animated, _pull("Bottom right", "down")] = 0.0
    bottom_left_x: Annotated[Animated, _pull("Bottom left", "across")] = 0.0
    bottom_left_y: Annotated[Animated, _pull("Bottom left", "down")] = 0.0

    @cached_property
    def none(self) -> bool:
        """No corner is ever pulled."""
        return all(getattr(self, name) == 0 for name in type(self).model_fields)

    def matrix(self, at: At, width: float, height: float) -> NDArray[np.float64] | None:
        """3 × 3, from source pixels to where they are pulled; None where the corners cross or lie in a line."""
        pulled = [(at(getattr(self, f"{c}_x")), at(getattr(self, f"{c}_y"))) for c in CORNERS]
        return pinned(width, height, pulled)
