"""The crop of a layer: its frame cut smaller, round or soft."""

from __future__ import annotations

from typing import Annotated

from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Part


def _side(name: str) -> Bounds:
    return Bounds(0, 100, "%", name, f"How much of the layer is cut off at its {name.lower()}", step=0.5,
                  find="crop trim cut frame")  # fmt: skip


class Crop(Part):
    """How much of the layer is cut off at each side. It turns and scales with the layer; radius and softness are
    lengths as seen on the canvas."""

    left: Annotated[Animated, _side("Left")] = 0.0
    top: Annotated[Animated, _side("Top")] = 0.0
    right: Annotated[Animated, _side("Right")] = 0.0
    bottom: Annotated[Animated, _side("Bottom")] = 0.0
    radius: Annotated[
        Animated,
        Bounds(0, 4096, "px", "Corners", "Radius of the corners; a large one makes a circle of a square", shown=(0, 300), of="canvas",
               find="crop round rounded circle picture in picture"),
    ] = 0.0  # fmt: skip
    softness: Annotated[
        Animated,
        Bounds(0, 2000, "px", "Softness", "Over how wide a rim, inward from the edge, the layer fades", shown=(0, 200), of="canvas",
               find="crop feather soft edge"),
    ] = 0.0  # fmt: skip

    @property
    def none(self) -> bool:
        """Whether it leaves the layer as it is."""
        return all(getattr(self, name) == 0 for name in type(self).model_fields)
