"""What a source is answered when it is asked for the picture of one layer at one frame."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from velvet_seam.core.engine.clip_time import reading
from velvet_seam.core.engine.sheet import Sheet
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.steps import Footage, Step
from velvet_seam.core.timing.at import At


@dataclass(frozen=True)
class Showing:
    """One layer at a shot frame (``sources.Asked``)."""

    layer: Layer
    frame: int
    rate: Fraction
    on: Sheet
    find: Callable[[str], Footage]

    @property
    def canvas(self) -> tuple[int, int]:
        return self.on.canvas

    @property
    def sheet(self) -> tuple[int, int]:
        return self.on.whole

    @property
    def at(self) -> At:
        return At(self.frame - self.layer.span.first)

    @property
    def per(self) -> float:
        return self.on.whole[0] / self.on.canvas[0]

    @property
    def seconds(self) -> float:
        return float(self.layer.time.at(self.frame - self.layer.span.first, self.rate))

    def footage(self, identity: str) -> Footage:
        return self.find(identity)

    def frame_of(self, footage: Footage, planes: bool) -> Step:
        at = self.frame - self.layer.span.first
        soon = self.layer.seam.edge.steady != 0
        return reading(footage, self.layer.time, at, self.rate, soon, planes)
