"""Looks: what is done to a layer's colours and surface, or by an adjustment layer to all below it.

Each kind of part is a file of its own: its values, its words, and what it does.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Union

from pydantic import Field

from velvet_seam.core.looks.balance import Balance
from velvet_seam.core.looks.base import GROUPS, Area, Ground, LookBase, Stage, Tone, Work
from velvet_seam.core.looks.blocks import Blocks
from velvet_seam.core.looks.blur import Blur
from velvet_seam.core.looks.curves import Curves
from velvet_seam.core.looks.decision import Decision
from velvet_seam.core.looks.defocus import Defocus
from velvet_seam.core.looks.flicker import Flicker
from velvet_seam.core.looks.glow import Glow
from velvet_seam.core.looks.grain import Grain
from velvet_seam.core.looks.light import Light
from velvet_seam.core.looks.line_blur import LineBlur
from velvet_seam.core.looks.lut import Lut
from velvet_seam.core.looks.matrix import Matrix
from velvet_seam.core.looks.mirror import Mirror
from velvet_seam.core.looks.monochrome import Monochrome
from velvet_seam.core.looks.negative import Negative
from velvet_seam.core.looks.posterise import Posterise
from velvet_seam.core.looks.ripple import Ripple
from velvet_seam.core.looks.saturation import Saturation
from velvet_seam.core.looks.sharpen import Sharpen
from velvet_seam.core.looks.slices import Slices
from velvet_seam.core.looks.spin_blur import SpinBlur
from velvet_seam.core.looks.split import ChannelSplit
from velvet_seam.core.looks.tints import Tints
from velvet_seam.core.looks.vignette import Vignette
from velvet_seam.core.looks.zoom_blur import ZoomBlur

__all__ = ["GROUPS", "LOOKS", "Area", "Ground", "LookBase", "LookPart", "Stage", "Tone", "Work"]

LOOKS: tuple[type[LookBase], ...] = (
    Light, Balance, Curves, Saturation, Tints, Decision, Matrix, Monochrome, Negative, Posterise, Flicker, Lut,
    Blur, LineBlur, SpinBlur, ZoomBlur, Defocus, Sharpen, Glow,
    Vignette, Grain, ChannelSplit, Blocks,
    Ripple, Slices, Mirror,
)  # fmt: skip
"""All kinds of parts, in the order in which they are offered; a new one is named here."""

if TYPE_CHECKING:
    LookPart = LookBase
else:
    LookPart = Annotated[Union[LOOKS], Field(discriminator="kind")]  # noqa: UP007
