"""No picture of its own: the layer's look acts on all that lies below it."""

from __future__ import annotations

from typing import ClassVar, Literal

from velvet_seam.core.sources.base import Asked, SourceBase
from velvet_seam.core.sources.colour import filled
from velvet_seam.core.steps import Step, step


class AdjustmentSource(SourceBase):
    """What has been joined below, changed by the layer's look: inside its masks and mattes, at its opacity, in its
    span. By itself it covers the whole canvas and is shown as white."""

    label: ClassVar[str] = "Adjustment"
    adjusts: ClassVar[bool] = True

    kind: Literal["adjustment"] = "adjustment"

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        return step("colour", filled, ((255, 255, 255), asked.sheet))
