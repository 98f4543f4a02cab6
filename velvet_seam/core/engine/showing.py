"""What a source is answered when it is asked for the picture of one layer at one frame."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from velvet_seam.core.engine.clip_time import reading, seen_of
from velvet_seam.core.engine.nested import Nested
from velvet_seam.core.engine.sheet import MOST_SPREAD, Sheet
from velvet_seam.core.shot.layer import Layer
from velvet_seam.core.steps import Footage, Step
from velvet_seam.core.timing.animated import Keyframes
from velvet_seam.core.timing.at import At


@dataclass(frozen=True)
class Showing:
    """One layer at a shot frame (``sources.Asked``)."""

    layer: Layer
    frame: int
    rate: Fraction
    on: Sheet
    find: Callable[[str], Footage]
    inner: Callable[[Nested, int, tuple[int, int]], Step]
    """The picture of a frame of a nested shot, in a size."""

    @property
    def canvas(self) -> tuple[int, int]:
        return self.on.canvas

    @property
    def sheet(self) -> tuple[int, int]:
        return self.on.spread

    @property
    def at(self) -> At:
        return At(self.frame - self.layer.span.first)

    @property
    def per(self) -> float:
        return self.on.per

    @property
    def seen_size(self) -> tuple[int, int]:
        scale = self.layer.place.scale
        keys = [key.value for key in scale.keys] if isinstance(scale, Keyframes) else [scale]
        shown = self.layer.source.shows
        footage = self.find(shown) if shown is not None else None
        width, height = (footage.width, footage.height) if footage else self.on.canvas
        factor = min(self.on.per * max(keys) / 100, MOST_SPREAD / max(width, height))
        return max(1, round(width * factor)), max(1, round(height * factor))

    @property
    def seconds(self) -> float:
        return float(self.layer.time.at(self.frame - self.layer.span.first, self.rate))

    @property
    def age(self) -> int:
        return self.layer.age

    def footage(self, identity: str) -> Footage:
        return self.find(identity)

    def frame_of(self, footage: Footage, planes: bool) -> Step:
        at = self.frame - self.layer.span.first
        soon = self.layer.seam.edge.steady != 0
        if isinstance(footage, Nested):
            size = self.seen_size
            inside = lambda number: self.inner(footage, number, size)  # noqa: E731
            return seen_of(footage, inside, self.layer.time, at, self.rate)
        return reading(footage, self.layer.time, at, self.rate, soon, planes)
