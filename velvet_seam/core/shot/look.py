"""The look of a layer: parts that act one after the other."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from velvet_seam.core.looks import LookPart
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Part


class Look(Part):
    """Parts from the first to the last, and how much of all of them is mixed in."""

    on: bool = True
    strength: Annotated[
        Animated,
        Bounds(0, 100, "%", "Strength", "How much of the whole look is mixed in", find="look mix amount grade"),
    ] = 100.0  # fmt: skip
    parts: tuple[LookPart, ...] = Field((), max_length=32)

    @property
    def others(self) -> frozenset[str]:
        """The other layers that its parts act through."""
        through = (part.through for part in self.parts)
        return frozenset(one.layer for one in through if one is not None and one.layer is not None)
