"""Flicker of exposure."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from velvet_seam.core.looks.base import Stage, Tone
from velvet_seam.core.looks.light import exposed
from velvet_seam.core.timing.animated import Animated
from velvet_seam.core.timing.at import At
from velvet_seam.core.timing.bounds import Bounds
from velvet_seam.core.timing.noise import noise


class Flicker(Tone):
    """Exposure that jumps from frame to frame: old projectors, candles, faulty lamps."""

    label: ClassVar[str] = "Flicker"
    says: ClassVar[str] = "Brightness that jumps from frame to frame"
    find: ClassVar[str] = "candle projector old film exposure strobe"

    kind: Literal["flicker"] = "flicker"
    amount: Annotated[
        Animated,
        Bounds(0, 8, "stops", "Amount", "How far it goes up and down", step=0.05, shown=(0, 2)),
    ] = 0.3
    seed: Annotated[
        Animated,
        Bounds(0, 1_000_000, "", "Seed", "Another whole number flickers in another way", shown=(0, 100)),
    ] = 1.0  # fmt: skip

    def stages(self, at: At, frame: int) -> tuple[Stage, ...]:
        amount = at(self.amount) * noise(at.whole(self.seed), 30, frame)
        return (Stage(exposed, (2.0**amount, 1.0), channelwise=True),) if amount else ()

    def moves(self) -> bool:
        return True
