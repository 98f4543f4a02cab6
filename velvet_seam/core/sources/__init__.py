"""Sources: what a layer shows. Each kind is a file of its own."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from velvet_seam.core.sources.adjustment import AdjustmentSource
from velvet_seam.core.sources.base import Asked, SourceBase
from velvet_seam.core.sources.colour import ColourSource
from velvet_seam.core.sources.footage import FootageSource

__all__ = [
    "SOURCES",
    "AdjustmentSource",
    "Asked",
    "ColourSource",
    "FootageSource",
    "Source",
    "SourceBase",
]

SOURCES: tuple[type[SourceBase], ...] = (FootageSource, ColourSource, AdjustmentSource)
"""All kinds; a new one is named here."""

if TYPE_CHECKING:
    Source = SourceBase
else:
    Source = Annotated[Union[SOURCES], Field(discriminator="kind")]  # noqa: UP007
