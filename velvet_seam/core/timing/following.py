"""Following: what moves with a track, how, and since when."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from velvet_seam.core.words import Id, Part

How = Literal["shift", "turn", "stretch", "plane"]


class Follow(Part):
    """Moves over the canvas as one or more tracks do, on top of its own values.

    Several points say together how it turns and grows. At ``frame`` it lies where its own values say.
    """

    layer: Id | None = Field(
        None, description="whose tracks they are; null: of the layer that follows itself"
    )
    tracks: tuple[Id, ...] = Field((), max_length=16, description="none: it follows nothing")
    how: How = Field(
        "shift",
        description="across and down; turning, too; growing, too; in perspective, with its corners",
    )
    frame: int = Field(0, ge=0, le=200_000, description="of the shot, at which nothing is moved")
    still: bool = Field(False, description="moved back, so that what is tracked stands still")

    @property
    def none(self) -> bool:
        return not self.tracks
