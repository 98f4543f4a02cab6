"""What the steps of one layer ask about the rest of a plan: the sheet, the shot, footage, other layers."""

from __future__ import annotations

from typing import Protocol

from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.masks import MaskBase
from velvet_seam.core.mattes import Home
from velvet_seam.core.picture.placement import Matrix
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.steps import Footage, Step


class Context(Protocol):
    """See :class:`velvet_seam.core.engine.plan.Planner`, which is one."""

    @property
    def sheet(self) -> Sheet: ...

    @property
    def shot(self) -> Shot: ...

    @property
    def video(self) -> bool:
        """Whether plans of video frames are made."""

    def footage(self, identity: str) -> Footage: ...

    def camera(self, layer: Layer, frame: float) -> Matrix | None:
        """What cameras above a layer make of canvas pixels; None where there are none."""

    def mask_followed(self, mask: MaskBase, layer: Layer, frame: float) -> Matrix | None:
        """What the track that a mask follows makes of its coordinates; None where it follows none."""

    def to_sheet(self, layer: Layer, frame: float) -> Matrix:
        """3 × 3, from source pixels of a layer to those of the sheet; all zeros where nothing of it is seen."""

    def picture_size(self, layer: Layer) -> tuple[int, int]:
        """Width and height of a layer's picture as it is read, before it is placed."""

    def in_planes(self, layer: Layer, frame: int) -> Step:
        """The layer's picture as its codec holds it, where it can be had so."""

    def seen(self, layer: Layer, frame: int) -> Step:
        """A layer's picture at a frame, before anything is done to it."""

    def raw_placed(self, layer: Layer, frame: int) -> Step:
        """The layer with nothing cut out, placed on the sheet."""

    def keyed(self, layer: Layer, frame: int, within: frozenset[str]) -> tuple[Step, Step]:
        """A layer's picture at a frame, and what its mattes leave of it: for the frames beside it."""

    def on_sheet(
        self, layer: Layer, frame: int, within: frozenset[str], moved: Matrix | None
    ) -> Step:
        """A layer as another one's matte asks for it; ``moved`` from where it lies on the canvas."""

    def moved(self, layer: Layer, frame: int, home: Home | None) -> Matrix | None:
        """How a layer has moved over the canvas since it lay at home; None where nothing moves with it."""
