"""How far hair, fur and blur reach at the edge of what is cut out along a region."""

from __future__ import annotations

from typing import Annotated

from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds

Fringe = Annotated[
    Animated,
    Bounds(50, 1000, "%", "Fringe", "How far from the edge hair, fur and blur are looked for: more for long hair, less for what is sharp",
           shown=(50, 600), step=10, find="hair fur wisps soft edge band"),
]  # fmt: skip
"""Of what is usual, :data:`velvet_seam.core.roto.soft.REACH`."""
