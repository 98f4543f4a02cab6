"""Another layer as a matte."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from velvet_seam.core.mattes.base import Asked, Beside, Cut, MatteBase
from velvet_seam.core.picture.coverage import Plane, brightness
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.problem import Problem
from velvet_seam.core.steps import step
from velvet_seam.core.words import Id, Part


class Home(Part):
    """Where a layer lay when something was fixed to it; as :class:`~velvet_seam.core.shot.layer.Place`."""

    x: Annotated[float, Field(ge=-65536, le=65536)]
    y: Annotated[float, Field(ge=-65536, le=65536)]
    scale: Annotated[float, Field(gt=0, le=10_000)]
    rotation: Annotated[float, Field(ge=-100_000, le=100_000)]
    flip_x: bool = False
    flip_y: bool = False


class LayerMatte(MatteBase):
    """Coverage from another layer, where it lies on the canvas at this frame; with a ``home`` it moves with
    the layer that uses it, from where it is seen while that one lies there."""

    label: ClassVar[str] = "Layer matte"
    says: ClassVar[str] = "By another layer's coverage or brightness"
    find: ClassVar[str] = "track another layer coverage brightness"

    needs: ClassVar[Literal["footage", "coverage", "layers"]] = "layers"

    kind: Literal["layer-matte"] = "layer-matte"
    layer: Id
    of: Literal["coverage", "brightness"] = "coverage"
    home: Home | None = None

    @classmethod
    def new(cls, identity: str, beside: Beside) -> LayerMatte:
        if beside.layer is None:
            raise Problem("There is no other layer whose coverage could be taken.")
        return cls(id=identity, layer=beside.layer)

    def cut(self, asked: Asked) -> Cut | None:
        may, placed = asked.other(self.layer, self.home)
        if not may:
            return None
        size, bright, turned = asked.size, self.of == "brightness", self.invert
        there = () if placed is None else (placed,)
        return Cut(step("layer-matte", plane_of, (size, bright, turned), *there), "sheet")


def plane_of(
    size: tuple[int, int], bright: bool, turned: bool, patch: Patch | None = None
) -> Plane:
    """A placed layer's coverage or brightness over the whole sheet."""
    plane = np.zeros((size[1], size[0]), np.uint8)
    if patch is not None:
        h, w = patch.pixels.shape[:2]
        value = brightness(patch.pixels) if bright else patch.pixels[..., 3]
        plane[patch.top : patch.top + h, patch.left : patch.left + w] = value
    return np.asarray(255 - plane, np.uint8) if turned else plane
