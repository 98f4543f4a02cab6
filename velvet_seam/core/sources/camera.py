"""No picture of its own: what lies below moves as one."""

from __future__ import annotations

from typing import ClassVar, Literal

from velvet_seam.core.sources.base import Asked, SourceBase
from velvet_seam.core.sources.colour import filled
from velvet_seam.core.steps import Step, step


class CameraSource(SourceBase):
    """All that lies below, moved, scaled and turned together as the layer is placed, in its span. What lies far
    behind the canvas moves less, what lies before it more (see ``depth`` of a layer's place)."""

    label: ClassVar[str] = "Camera"
    moves: ClassVar[bool] = True

    kind: Literal["camera"] = "camera"

    def picture(self, asked: Asked, planes: bool = False) -> Step:
        return step("colour", filled, ((255, 255, 255), asked.sheet))
