"""Mattes: ways to compute a layer's coverage from pictures. A seam holds a list of them.

Each kind is a file of its own: its values, its words, and the step that computes it.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from velvet_seam.core.mattes.base import Asked, Beside, Cut, MatteBase, Side
from velvet_seam.core.mattes.colour import ColourKey
from velvet_seam.core.mattes.difference import DifferenceKey, FootagePlate, FramePlate, MedianPlate
from velvet_seam.core.mattes.ground import GroundKey
from velvet_seam.core.mattes.layer_matte import Home, LayerMatte
from velvet_seam.core.mattes.luma import LumaKey
from velvet_seam.core.mattes.own_alpha import OwnAlpha
from velvet_seam.core.mattes.people import PeopleMatte
from velvet_seam.core.mattes.roto import RotoMatte
from velvet_seam.core.mattes.roto_strokes import RotoStroke
from velvet_seam.core.mattes.screen import ScreenKey

__all__ = [
    "MATTES", "Asked", "Beside", "ColourKey", "Cut", "DifferenceKey", "FootagePlate", "FramePlate", "GroundKey", "Home", "LayerMatte",
    "LumaKey", "Matte", "MatteBase", "MedianPlate", "OwnAlpha", "PeopleMatte", "RotoMatte", "RotoStroke",
    "ScreenKey", "Side",
]  # fmt: skip

MATTES: tuple[type[MatteBase], ...] = (
    ScreenKey, GroundKey, LumaKey, ColourKey, DifferenceKey, PeopleMatte, RotoMatte, OwnAlpha, LayerMatte,
)  # fmt: skip
"""All kinds, in the order in which they are offered; a new one is named here."""

if TYPE_CHECKING:
    Matte = MatteBase
else:
    Matte = Annotated[Union[MATTES], Field(discriminator="kind")]  # noqa: UP007
