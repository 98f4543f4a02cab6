"""Around a layer: a border, shadows, a glow, and the light of what lies behind it. Each is a file of its own."""

from __future__ import annotations

from velvet_seam.core.around.base import AroundBase, Drawn, Lies
from velvet_seam.core.around.border import Border
from velvet_seam.core.around.glow import OuterGlow
from velvet_seam.core.around.shadow import FloorShadow, Shadow
from velvet_seam.core.around.wrap import LightWrap, wrapped

__all__ = [
    "AROUND",
    "AroundBase",
    "Border",
    "Drawn",
    "FloorShadow",
    "Lies",
    "LightWrap",
    "OuterGlow",
    "Shadow",
    "wrapped",
]

AROUND: dict[str, type[AroundBase]] = {
    "floor": FloorShadow, "shadow": Shadow, "glow": OuterGlow, "border": Border, "wrap": LightWrap,
}  # fmt: skip
"""All of them by the names that a document says, from the lowest to the topmost; a new one is named here and in
:class:`velvet_seam.core.shot.around.Around`."""
