"""What all generated sources have: they are as large as the canvas, seeded, and a function of the frame alone."""

from __future__ import annotations

from typing import Annotated, ClassVar

from velvet_seam.core.picture.blends import BlendName
from velvet_seam.core.sources.base import SourceBase
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.bounds import Bounds

SEED = Bounds(
    0,
    1_000_000,
    "",
    "Seed",
    "Another whole number, another picture",
    shown=(0, 100),
    find="chance random",
)
LOOP = Bounds(0, 3600, "s", "Loop", "After so many seconds it is as at the beginning; 0 for never", step=0.1, shown=(0, 20), find="repeat seamless")  # fmt: skip

Seed = Annotated[Animated, SEED]
Loop = Annotated[Animated, LOOP]


class GeneratedBase(SourceBase):
    """A picture that is computed rather than filmed. Lengths are canvas pixels; numbers may be keyed."""

    generated: ClassVar[bool] = True
    says: ClassVar[str]
    find: ClassVar[str] = ""
    blend: ClassVar[BlendName] = "normal"
    """What a new layer of it is joined by: light screens."""


def looped(seconds: float, loop: float) -> float:
    """The time in a loop; all of it where there is none."""
    return seconds % loop if loop > 0 else seconds
