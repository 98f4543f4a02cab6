"""The seam: how a layer joins the picture below it."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from velvet_seam.core.masks import Mask
from velvet_seam.core.mattes import Matte
from velvet_seam.core.picture.blends import BlendName
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.words import Part


class Edge(Part):
    """What is done to the edge of a matte, in this order. Lengths in canvas pixels."""

    steady: Annotated[
        Animated,
        Bounds(0, 100, "%", "Steady",
               "Joins the matte with those of the frames beside it along the motion: calms an edge that boils on a slow subject", find="edge crawl time smooth"),
    ] = 0.0  # fmt: skip
    specks: Annotated[
        Animated,
        Bounds(0, 100_000, "px²", "Drop specks",
               "Parts of the matte up to this area, in canvas pixels, are dropped", step=10, shown=(0, 4000), find="edge matte noise"),
    ] = 0.0  # fmt: skip
    holes: Annotated[
        Animated,
        Bounds(0, 100_000, "px²", "Fill holes",
               "Holes in the subject up to this area, in canvas pixels, are filled", step=10, shown=(0, 4000), find="edge matte"),
    ] = 0.0  # fmt: skip
    grow: Annotated[
        Animated,
        Bounds(-50, 50, "px", "Grow", "Moves the edge outward, or inward below 0; tenths of a pixel count",
               step=0.1, shown=(-10, 10), of="canvas", find="edge shrink choke"),
    ] = 0.0  # fmt: skip
    feather: Annotated[
        Animated,
        Bounds(0, 1000, "px", "Feather", "Softens the edge over this width", step=0.5, shown=(0, 40),
               of="canvas", find="edge soft blur"),
    ] = 0.0  # fmt: skip
    density: Annotated[
        Animated,
        Bounds(10, 800, "%", "Density", "200 % covers as two copies of the layer would: closes a thin matte",
               step=5, shown=(20, 400), find="edge thin matte"),
    ] = 100.0  # fmt: skip
    clean: Annotated[
        Animated,
        Bounds(0, 100, "%", "Clean colour", "Takes the colour of the rim from further inside the subject", find="edge rim fringe spill"),
    ] = 0.0  # fmt: skip


class Seam(Part):
    """How a layer joins: its mattes, their edge, masks, blend and opacity, applied in this order."""

    matte: tuple[Matte, ...] = Field((), max_length=16)
    edge: Edge = Edge()
    masks: tuple[Mask, ...] = Field((), max_length=64)
    blend: BlendName = "normal"
    opacity: Annotated[
        Animated,
        Bounds(0, 100, "%", "Opacity", "How much of the layer shows in the join", find="transparent strength fade"),
    ] = 100.0  # fmt: skip

    @property
    def parts(self) -> tuple[Matte | Mask, ...]:
        """Mattes and masks together: all that has an id of its own."""
        return (*self.matte, *self.masks)
