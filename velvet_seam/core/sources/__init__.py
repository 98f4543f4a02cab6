"""Sources: what a layer shows. Each kind is a file of its own."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from velvet_seam.core.sources.adjustment import AdjustmentSource
from velvet_seam.core.sources.baked import BakedSource
from velvet_seam.core.sources.bars import BarsSource
from velvet_seam.core.sources.base import Asked, SourceBase
from velvet_seam.core.sources.camera import CameraSource
from velvet_seam.core.sources.clouds import CloudsSource
from velvet_seam.core.sources.colour import ColourSource
from velvet_seam.core.sources.flash import FlashSource
from velvet_seam.core.sources.footage import FootageSource
from velvet_seam.core.sources.generated import GeneratedBase
from velvet_seam.core.sources.gradient import GradientSource
from velvet_seam.core.sources.leak import LightLeakSource
from velvet_seam.core.sources.nested import NestedSource
from velvet_seam.core.sources.paint import PaintSource
from velvet_seam.core.sources.particles import ParticlesSource
from velvet_seam.core.sources.rays import RaysSource
from velvet_seam.core.sources.scan_lines import ScanLinesSource
from velvet_seam.core.sources.speed_lines import SpeedLinesSource
from velvet_seam.core.sources.text import TextSource
from velvet_seam.core.sources.windows import WindowsSource

__all__ = [
    "GENERATED",
    "SOURCES",
    "AdjustmentSource",
    "Asked",
    "BakedSource",
    "BarsSource",
    "CameraSource",
    "CloudsSource",
    "ColourSource",
    "FlashSource",
    "FootageSource",
    "GeneratedBase",
    "GradientSource",
    "LightLeakSource",
    "NestedSource",
    "PaintSource",
    "ParticlesSource",
    "RaysSource",
    "ScanLinesSource",
    "Source",
    "SourceBase",
    "SpeedLinesSource",
    "TextSource",
    "WindowsSource",
]

SOURCES: tuple[type[SourceBase], ...] = (
    FootageSource, NestedSource, BakedSource, ColourSource, AdjustmentSource, CameraSource,
    TextSource, PaintSource, GradientSource, CloudsSource, ParticlesSource, RaysSource,
    LightLeakSource, FlashSource, SpeedLinesSource, ScanLinesSource, BarsSource, WindowsSource,
)  # fmt: skip
"""All kinds; a new one is named here."""

GENERATED: tuple[type[GeneratedBase], ...] = tuple(
    one for one in SOURCES if issubclass(one, GeneratedBase)
)
"""Those that are computed rather than filmed."""

if TYPE_CHECKING:
    Source = SourceBase
else:
    Source = Annotated[Union[SOURCES], Field(discriminator="kind")]  # noqa: UP007
