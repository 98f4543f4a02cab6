"""Following: what moves with a track, how, and since when."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from velvet_seam.core.timing.bounds import Lasting
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
    frame: Annotated[int, Lasting()] = Field(
        0, ge=-200_000, le=200_000,
        description="of the shot, at which nothing is moved; before its first, where it was taken out of another one",
    )  # fmt: skip
    still: bool = Field(False, description="moved back, so that what is tracked stands still")

    @property
    def none(self) -> bool:
        return not self.tracks
