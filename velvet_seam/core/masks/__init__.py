"""Masks: shapes that limit a layer, remove junk from its matte, or force the subject into it.

Each kind is a file of its own: its values, its words, and how it covers a picture.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from velvet_seam.core.masks.band import BandMask
from velvet_seam.core.masks.base import Ground, MaskBase
from velvet_seam.core.masks.box import BoxMask
from velvet_seam.core.masks.drawn import (
    DrawnMask,
    Outline,
    OutlineKey,
    OutlineKeys,
    Vertex,
    outline_at,
)
from velvet_seam.core.masks.oval import OvalMask
from velvet_seam.core.masks.star import StarMask
from velvet_seam.core.masks.straight import StraightMask

__all__ = [
    "MASKS", "BandMask", "BoxMask", "DrawnMask", "Ground", "Mask", "MaskBase", "Outline", "OutlineKey",
    "OutlineKeys", "OvalMask", "StarMask", "StraightMask", "Vertex", "outline_at",
]  # fmt: skip

MASKS: tuple[type[MaskBase], ...] = (
    BoxMask, OvalMask, StraightMask, BandMask, StarMask, DrawnMask,
)  # fmt: skip
"""All kinds, in the order in which they are offered; a new one is named here."""

if TYPE_CHECKING:
    Mask = MaskBase
else:
    Mask = Annotated[Union[MASKS], Field(discriminator="kind")]  # noqa: UP007
