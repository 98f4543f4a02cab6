"""Limiting: the steps that say how much of a part of a look acts where: inside its masks, and as much as another
layer covers or shines there."""

from __future__ import annotations

import numpy as np

from velvet_seam.core.engine.context import Context
from velvet_seam.core.engine.looking import Part
from velvet_seam.core.engine.masking import Masking
from velvet_seam.core.looks.through import Through, let_through
from velvet_seam.core.mattes.layer_matte import plane_of
from velvet_seam.core.picture.coverage import Plane, all_joined, brightness
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.steps import Picture, Step, step
from velvet_seam.core.timing.at import At


class Limiting:
    """Asks for one layer at one frame; over its own picture, or, of an adjustment layer, over the sheet."""

    def __init__(
        self, context: Context, layer: Layer, frame: int, masking: Masking, within: frozenset[str],
        per: float | None = None,
    ) -> None:  # fmt: skip
        """``per``: pixels of the layer's own picture to one of the canvas; None over the sheet."""
        self._context, self._layer, self._frame, self._masking = context, layer, frame, masking
        self._within, self._per = within, per

    def __call__(self, part: Part, margin: int, before: Step) -> Step:
        """The plane of a part that is limited."""
        planes = []
        if part.masks:
            planes.append(self._masking.planes(part.masks, "limit", self._per is None, margin))
        if part.through is not None:
            planes.append(self._through(part.through, margin, before))
        return planes[0] if len(planes) == 1 else step("look-limits", _both, (), *planes)

    def _through(self, through: Through, margin: int, before: Step) -> Step:
        spread = At(self._frame - self._layer.span.first)(through.spread)
        sheet = self._context.sheet
        if through.layer is None:
            plane = step("look-through", _own, (through.of == "brightness",), before)
            sigma = spread * (self._per or sheet.per) / 2
            return step("look-spread", let_through, (sigma, through.invert), plane)
        args = (sheet.size, through.of == "brightness", False)
        plane = step("layer-matte", plane_of, args, *self._other(through.layer))
        plane = step("look-spread", let_through, (spread * sheet.per / 2, through.invert), plane)
        if self._per is None:
            return plane
        return self._masking.onto_picture(plane, margin)

    def _other(self, identity: str) -> tuple[Step, ...]:
        """Another layer as it lies on the sheet; nothing where it is not there, not yet, or asks for this one."""
        found = self._context.shot.there(identity, self._frame)
        if found is None or found.id in self._within:
            return ()
        return (self._context.on_sheet(found, self._frame, self._within, None),)


def _own(bright: bool, picture: Picture) -> Plane:
    return brightness(picture) if bright else np.ascontiguousarray(picture[..., 3])


def _both(one: Plane, other: Plane) -> Plane:
    return all_joined([(one, "add"), (other, "intersect")])
